import { type RefObject, useState } from 'react'
import type { CheckoutView, ShopPage } from '../../server/client.ts'
import { useChosen } from './useChosen.ts'
import { usePaying } from './usePaying.ts'
import { usePrice } from './usePrice.ts'

/** All that happens between the first look at a checkout page and the thanks: what is chosen, costs, and is paid. */
export function useCheckout(page: ShopPage, first: CheckoutView, frame: RefObject<HTMLIFrameElement | null>) {
  const [view, setView] = useState(first)
  const chosen = useChosen(page, first)
  const price = usePrice(page, view, chosen)
  const paying = usePaying({ page, view, setView, chosen, price, frame })
  return { view, chosen, price, paying }
}
