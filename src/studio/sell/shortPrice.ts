import { type PricingSchool, speakOffer } from '../../core/content/quoteInput.ts'
import { sayShort } from '../../core/sentence/sentence.ts'
import type { ShelfOffer } from './queries.ts'

/** An offer's price as it stands on the shelf. */
export function shortPrice({ id, content }: ShelfOffer, school: PricingSchool): string {
  const said = speakOffer(school, { id, courseId: id, content }, new Date().toISOString())
  return said ? sayShort(said.spoken) : 'no price'
}
