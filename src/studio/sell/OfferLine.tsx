import { useMutation } from '@tanstack/react-query'
import { NavLink, useNavigate } from 'react-router'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { unwrap } from '../../ui/problem.ts'
import { StateMark } from '../../ui/State.tsx'
import { api } from '../api.ts'
import type { ShelfOffer } from './queries.ts'
import { useShortPrice } from './shortPrice.ts'

/** An offer below its product on the shelf. */
export function OfferLine({ offer }: { offer: ShelfOffer }) {
  const shortPrice = useShortPrice()
  const [shape, word] = stateOf(offer)
  return (
    <NavLink
      to={`/studio/sell/offers/${offer.id}`}
      className={({ isActive }) =>
        classes(
          '-ml-2 flex min-h-6 items-center gap-1.5 rounded-[5px] px-2 py-[3px] text-[13px]',
          isActive ? 'bg-acorn font-semibold text-ink' : 'text-ink-2 hover:bg-sheet-2',
        )
      }
    >
      <StateMark shape={shape} size={9} />
      <span className="sr-only">{word}: </span>
      <span className="min-w-0 truncate" title={`${offer.content.label || offer.name}: ${word}`}>
        {offer.content.label || offer.name || 'Untitled offer'}
      </span>
      <span className="ml-auto whitespace-nowrap text-ink">{shortPrice(offer)}</span>
    </NavLink>
  )
}

/** An offer's state as shape and word. */
export function stateOf(offer: Pick<ShelfOffer, 'isLive' | 'isChanged' | 'onSale' | 'isRetired'>) {
  if (offer.isRetired) return ['off', 'retired'] as const
  if (!offer.isLive) return ['awaited', 'draft'] as const
  if (!offer.onSale) return ['off', 'off sale'] as const
  return offer.isChanged ? (['awaited', 'on sale, changes not published'] as const) : (['received', 'on sale'] as const)
}

/** Makes an offer of a product and opens it on the bench. */
export function useAddOffer(productId: string) {
  const navigate = useNavigate()
  const { mutate } = useMutation({
    mutationFn: () => unwrap(api.offers.$post({ json: { productId } })),
    onSuccess: ({ id }) => navigate(`/studio/sell/offers/${id}`),
    meta: { invalidates: [['shelf']] },
  })
  return () => mutate()
}

export function AddOffer({ productId, label = 'Give it a price' }: { productId: string; label?: string }) {
  const add = useAddOffer(productId)
  return (
    <Button kind="link" className="min-h-6 text-[13px]" onClick={add}>
      {label}
    </Button>
  )
}
