import { useEffect, useRef, useState } from 'react'
import { formatPlain } from '../../core/money/format.ts'
import type { CheckoutView, ShopPage } from '../../server/client.ts'
import { readBasket, saveBasket } from './basket.ts'

/** What a buyer types and chooses on a checkout page. It stays in this tab, and stands there again after a reload. */
export function useChosen(page: ShopPage, first: CheckoutView) {
  const { slug, linked } = first
  const [offerId, setOfferId] = useState(first.chosen)
  const [name, setName] = useState(page.visitor?.name ?? first.prefill.name)
  const [email, setEmail] = useState(page.visitor?.email ?? first.prefill.email)
  /** The price that they name, as typed; null before they typed one. */
  const [ownPrice, setOwnPrice] = useState<string | null>(
    first.chosenPrice === null ? null : formatPlain(first.chosenPrice, page.school),
  )
  const [codes, setCodes] = useState(first.codes)
  const [ticked, setTicked] = useState<readonly string[]>([])
  const [connectionId, setConnectionId] = useState<string | null>(null)
  const hasRead = useRef(false)

  // Stored as it is typed and chosen, once what was stored before has been read.
  useEffect(() => {
    if (!hasRead.current) return
    saveBasket(slug, { name, email, linked, offerId, ownPrice, connectionId, codes, ticked })
  }, [slug, name, email, linked, offerId, ownPrice, connectionId, codes, ticked])

  // biome-ignore lint/correctness/useExhaustiveDependencies: once, for the page as it was loaded
  useEffect(() => {
    const before = readBasket(slug)
    if (!page.visitor) {
      setName((typed) => typed || before.name || '')
      setEmail((typed) => typed || before.email || '')
    }
    // A link names an offer once; after that, what the buyer chose counts.
    if (before.linked === linked && first.offers.some(({ id }) => id === before.offerId)) {
      if (before.offerId) setOfferId(before.offerId)
      if (before.ownPrice != null) setOwnPrice(before.ownPrice)
      if (before.connectionId) setConnectionId(before.connectionId)
    }
    // Codes of a link come before those that were entered here.
    const entered = before.codes ?? []
    if (entered.length > 0) {
      setCodes((linkedCodes) => [...linkedCodes, ...entered.filter((code) => !linkedCodes.includes(code))])
    }
    setTicked(before.ticked ?? [])
    hasRead.current = true
  }, [])

  return {
    offerId,
    setOfferId,
    name,
    setName,
    email,
    setEmail,
    ownPrice,
    setOwnPrice,
    codes,
    setCodes,
    /** The order bumps that are ticked, by their ids. */
    ticked,
    tick: (id: string, isTicked: boolean) =>
      setTicked((before) => [...before.filter((other) => other !== id), ...(isTicked ? [id] : [])]),
    connectionId,
    setConnectionId,
  }
}

export type Chosen = ReturnType<typeof useChosen>
