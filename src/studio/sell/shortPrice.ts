import { describeOffer } from '../../core/content/quoteInput.ts'
import { formatShortPrice } from '../../core/sentence/sentence.ts'
import { useSession, useStudioNow } from '../session/session.ts'
import type { ShelfOffer } from './queries.ts'

/** Says an offer's price as it stands on the shelf, at the moment that the studio looks at. */
export function useShortPrice(): (offer: ShelfOffer) => string {
  const { school } = useSession()
  const now = useStudioNow()
  return ({ id, content }) => {
    const said = describeOffer(school, { id, courses: [{ id: id }], content }, now)
    return said ? formatShortPrice(said.priced) : 'no price'
  }
}
