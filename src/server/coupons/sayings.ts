import { inArray } from 'drizzle-orm'
import { clockMoment } from '../../core/calendar/clock.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { type CouponContent, isFor } from '../../core/content/coupon.ts'
import { formatMoney } from '../../core/money/format.ts'
import { codeKey } from '../../core/quote/codes.ts'
import type { Quote, QuotedCode, WhyNot } from '../../core/quote/types.ts'
import { formatSaves } from '../../core/sentence/codes.ts'
import { formatList } from '../../core/sentence/words.ts'
import { CODES } from '../../core/words/en/codes.ts'
import { say } from '../../core/words/message.ts'
import type { Queryable } from '../db/client.ts'
import { catalogue, offers } from '../db/schema/index.ts'
import type { School } from '../school/service.ts'
import type { FoundCode } from './codes.ts'

/** A code that was entered: whether it counts, what it takes off in all (minor units), and that, or why not, in words. */
export interface EnteredCode {
  code: string
  counts: boolean
  saves: number
  says: string
}

/** What a basket is, as far as codes are explained by it. */
export interface CodedBasket {
  quote: Quote
  lines: readonly { offer: { id: string; productId: string } }[]
}

/** What is said of each code that was entered: what it takes off, or why it does not count, with the figures. */
export async function describeCodes(
  db: Queryable,
  school: School,
  found: readonly FoundCode[],
  basket: CodedBasket,
): Promise<EnteredCode[]> {
  return Promise.all(
    basket.quote.codes.map(async (code) => {
      const of = found.find((other) => codeKey(other.code) === codeKey(code.code))
      if (!code.counts) {
        return { code: code.code, counts: false, saves: 0, says: await formatWhyNot(db, school, code.why, of, basket) }
      }
      return { code: code.code, counts: true, saves: code.saves, says: formatCounting(code, of, basket.quote, school) }
    }),
  )
}

/** What a code takes off, and until when it may be used. */
function formatCounting(
  { saves }: Extract<QuotedCode, { counts: true }>,
  of: FoundCode | undefined,
  quote: Quote,
  school: School,
): string {
  const off = formatSaves(saves, quote, school)
  const ends = of?.content.until
  return ends ? `${off}, ${say(CODES.until, { day: dayOf(ends, school, 'until') })}` : off
}

function dayOf(moment: string, { timeZone, language }: School, which: 'from' | 'until'): string {
  const { day, time } = clockMoment(moment, timeZone, which)
  return time === null ? formatDay(day, language) : `${formatDay(day, language)}, ${time}`
}

/** Why a code does not count, in a sentence. */
export async function formatWhyNot(
  db: Queryable,
  school: School,
  why: WhyNot,
  of: FoundCode | undefined,
  { quote, lines }: CodedBasket,
): Promise<string> {
  if (!of) return why === 'already-entered' ? CODES.alreadyEntered : CODES.unknown
  const { content } = of
  switch (why) {
    case 'unknown':
      return CODES.unknown
    case 'already-entered':
      return CODES.alreadyEntered
    case 'wrong-currency':
      return say(CODES.wrongCurrency, { currency: school.currency })
    case 'not-yet':
      return say(CODES.notYet, { day: dayOf(content.from ?? '', school, 'from') })
    case 'expired':
      return say(CODES.expired, { day: dayOf(content.until ?? '', school, 'until') })
    case 'used-up':
      return CODES.usedUp
    case 'used-by-buyer':
      return say(CODES.usedByBuyer, { count: content.limitPerBuyer ?? 1 })
    case 'first-purchase-only':
      return CODES.firstPurchaseOnly
    case 'does-not-combine': {
      const other = quote.codes.find(({ code, counts }) => counts && codeKey(code) !== codeKey(of.code))
      return say(CODES.doesNotCombine, { other: other?.code ?? '' })
    }
    case 'nothing-eligible': {
      const eligible = lines.some(({ offer }) => isFor(content, offer))
      if (!eligible) return say(CODES.notForThis, { titles: await titlesOf(db, content) })
      return content.skipsSale ? CODES.notBesideSale : CODES.nothingLeft
    }
    case 'below-minimum':
      return say(CODES.belowMinimum, {
        minimum: formatMoney(content.minimum ?? 0, school),
        sum: formatMoney(firstPayments(content, quote, lines), school),
      })
  }
}

/** What the minimum is held against: the first numbered payment of each line that a coupon is for, before it. */
function firstPayments(content: CouponContent, { lines: quoted }: Quote, lines: CodedBasket['lines']): number {
  return quoted.reduce((sum, { payments }, index) => {
    const offer = lines[index]?.offer
    const first = payments.find(({ n }) => n > 0)
    return offer && first && isFor(content, offer) ? sum + first.price : sum
  }, 0)
}

/** What a coupon is for, by the names that buyers see. */
async function titlesOf(db: Queryable, { appliesTo }: CouponContent): Promise<string> {
  const { products = [], offers: single = [] } = appliesTo ?? {}
  const [whole, some] = await Promise.all([
    products.length > 0
      ? db
          .select({ live: catalogue.live, draft: catalogue.draft })
          .from(catalogue)
          .where(inArray(catalogue.id, products))
      : [],
    single.length > 0
      ? db.select({ live: offers.live, draft: offers.draft }).from(offers).where(inArray(offers.id, single))
      : [],
  ])
  return formatList(
    [
      ...whole.map(({ live, draft }) => (live ?? draft).title),
      ...some.map(({ live, draft }) => (live ?? draft).name),
    ].map((title) => `“${title}”`),
    'or',
  )
}
