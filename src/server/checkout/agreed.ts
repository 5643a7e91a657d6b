import { codeKey } from '../../core/quote/codes.ts'
import { CODES } from '../../core/words/en/codes.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import { formatWhyNot } from '../coupons/sayings.ts'
import { Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import { requireHolder } from './audience.ts'
import { type Coded, quoteWithCodes } from './codedQuote.ts'
import type { Following, PlaceRequest, PlacingLine, Shopper } from './placing.ts'
import type { Quoted } from './quoteBasket.ts'

/** What a buyer agreed to, and what it comes to now. */
interface Agreed {
  school: School
  lines: readonly PlacingLine[]
  coded: Coded
  quoted: Quoted
  request: PlaceRequest
  shopper: Shopper
  follows: Following | null
}

/**
 * Whether the buyer may have all of it, at the price that they agreed to.
 * @throws Problem 409 where something is for members only and they are none, or where the price is another by now.
 */
export async function requireAgreed(services: Services, agreed: Agreed): Promise<void> {
  const { school, lines, coded, quoted, request, shopper, follows } = agreed
  for (const { offer, product } of lines) {
    const { audience } = offer.live
    if (audience.who !== 'holders') continue
    requireNotInOneBasket(product.title, audience.of, lines)
    await requireHolder(services, audience.of, request.email, shopper)
  }
  if (request.agreed.pay === quoted.quote.today.pay && request.agreed.currency === school.currency) return
  const ranOut = follows ? null : await codeThatRanOut(services, school, coded, quoted, request.agreed.pay)
  throw ranOut ?? new Problem(409, 'price-changed', REFUSED.priceChanged)
}

/**
 * The code that was used up between the page and the button, where the button's price was right with it; null where
 * another thing changed the price.
 */
async function codeThatRanOut(
  { db, now }: Services,
  school: School,
  coded: Coded,
  { quote }: Quoted,
  agreed: number,
): Promise<Problem | null> {
  const over = quote.codes.find((code) => !code.counts && (code.why === 'used-up' || code.why === 'used-by-buyer'))
  if (!over || over.counts) return null
  const before = await quoteWithCodes(db, school, coded, null, now())
  if (before.quote.today.pay !== agreed) return null
  const of = coded.found.find(({ code }) => codeKey(code) === codeKey(over.code))
  const why = await formatWhyNot(db, school, over.why, of, { quote, lines: coded.lines })
  return new Problem(409, 'code-changed', say(CODES.changed, { code: over.code, why }))
}

/** A members' offer needs the membership before; it cannot be bought in one go with it (selling rules, section 2). */
function requireNotInOneBasket(title: string, needed: readonly string[], lines: readonly PlacingLine[]) {
  const brings = lines.find(
    ({ courses, product }) => needed.includes(product.id) || courses.some(({ id }) => needed.includes(id)),
  )
  if (!brings) return
  throw new Problem(409, 'needs-it-before', say(REFUSED.needsItBefore, { title, membership: brings.product.title }))
}
