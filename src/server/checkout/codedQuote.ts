import type { BasketTerms } from '../../core/content/quoteInput.ts'
import { DocumentError } from '../../core/document/reader.ts'
import { formatMoney } from '../../core/money/format.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import { asQuoted, type Counting, countUses, type FoundCode, inputOf } from '../coupons/codes.ts'
import { purchasesOf } from '../coupons/uses.ts'
import type { Queryable } from '../db/client.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import type { School } from '../school/service.ts'
import type { PlacingLine, Shopper } from './placing.ts'
import { type Quoted, quoteBasket } from './quoteBasket.ts'

/** What a basket is quoted by: its lines, and the codes as they were typed, with those that exist. */
export interface Coded {
  lines: readonly PlacingLine[]
  codes: readonly string[]
  found: readonly FoundCode[]
}

/**
 * Quotes a basket with its codes, as often as they were used by now; a price of the buyer's own that does not fit is said
 * at its field.
 * @param counting null: as if nobody had used them.
 * @throws Problem 410 where something can be bought no more, 422 at a price that cannot be paid.
 */
export async function quoteWithCodes(
  db: Queryable,
  school: School,
  { lines, ...typed }: Coded,
  counting: Counting | null,
  at: Date,
): Promise<Quoted> {
  const { codes, found } = asQuoted(typed.codes, typed.found)
  if (codes.length === 0) return quoteFor(school, lines, () => quoteBasket(school, lines, at))
  const [uses, purchases] = await Promise.all([
    counting ? countUses(db, found, counting) : new Map(),
    !counting || counting.personId === null ? 0 : purchasesOf(db, counting.personId, counting.mode),
  ])
  const offers = lines.map(({ offer }) => offer)
  const coupons = inputOf(found, uses, { currency: school.currency, offers })
  return quoteFor(school, lines, () => quoteBasket(school, lines, at, { coupons, codes, buyer: { purchases } }))
}

/** Quotes what is offered after an order, by what was inherited from that. @throws Problem as {@link quoteWithCodes}. */
export function quoteFollowing(school: School, lines: readonly PlacingLine[], terms: BasketTerms, at: Date): Quoted {
  return quoteFor(school, lines, () => quoteBasket(school, lines, at, terms))
}

function quoteFor(school: School, lines: readonly PlacingLine[], quote: () => Quoted): Quoted {
  try {
    return quote()
  } catch (error) {
    if (!(error instanceof DocumentError)) throw error
    const [, index] = /^\/lines\/(\d+)\/chosen$/.exec(error.at) ?? []
    const line = index === undefined ? undefined : lines[Number(index)]
    // Its access has ended, or it does not fit the rules any more: the shop does not list it.
    if (!line) throw notOnSale()
    const { terms } = line.offer.live
    const least = terms.kind === 'openPrice' ? (terms.minimum ?? 0) : 0
    throw fieldProblem(error.at, say(REFUSED.minimum, { money: formatMoney(least, school) }))
  }
}

/** @param index the line of the request that it is about, where it is about one. */
export function notOnSale(index: number | null = null): Problem {
  const errors = index === null ? [] : [{ at: `/lines/${index}/offerId`, why: REFUSED.notOnSale }]
  return new Problem(410, 'not-on-sale', REFUSED.notOnSale, errors)
}

/** Uses as they count before the buyer is known: what this browser has reserved and not paid is its own. */
export function countingFor({ mode, person, browserHash }: Shopper): Counting {
  return { mode, personId: person?.id ?? null, except: { browserHash } }
}
