import { Link } from 'react-router'
import { State } from '../../ui/State.tsx'
import { stateOf } from './OfferLine.tsx'
import type { ShelfOffer } from './queries.ts'
import { useShortPrice } from './shortPrice.ts'

/** The offers of a course or bundle, each with its price and state, and a way to its bench. */
export function SoldAs({ offers }: { offers: readonly ShelfOffer[] }) {
  const shortPrice = useShortPrice()
  return (
    <ul className="mb-2 grid gap-1">
      {offers.map((offer) => {
        const [shape, word] = stateOf(offer)
        return (
          <li key={offer.id} className="flex items-baseline gap-3 text-[14px]">
            <Link to={`/studio/sell/offers/${offer.id}`} className="link min-w-0 truncate">
              {offer.name || 'Untitled offer'}
            </Link>
            <span className="font-semibold">{shortPrice(offer)}</span>
            <span className="ml-auto text-[13px]">
              <State shape={shape}>{word}</State>
            </span>
          </li>
        )
      })}
    </ul>
  )
}
