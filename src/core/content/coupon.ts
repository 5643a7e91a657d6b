import * as v from 'valibot'
import { parseInstant } from '../calendar/instant.ts'
import { LARGEST_AMOUNT } from '../money/arithmetic.ts'
import { codeKey } from '../quote/codes.ts'
import type { Role } from '../quote/types.ts'

const whole = (least: number, most: number, why: string) =>
  v.pipe(v.number(why), v.integer(why), v.minValue(least, why), v.maxValue(most, why))
const instant = v.pipe(
  v.string(),
  v.check((text) => parseInstant(text) !== null, 'This moment does not exist.'),
)
const ids = v.pipe(v.array(v.pipe(v.string(), v.uuid())), v.maxLength(200, 'Choose at most 200.'))
/** What a coupon is for; null: everything. */
export const appliesToSchema = v.nullable(v.object({ products: ids, offers: ids }))

/** Most payments that a coupon counts one by one, as many as a subscription can list. */
export const MAX_REDUCED = 520
export const MAX_USES = 1_000_000
/** Letters and digits of a single-use code: the fewest that cannot be guessed (44 bits), and the most. */
export const MIN_LENGTH = 9
export const MAX_LENGTH = 24

/** What a creator says of a coupon, as a draft: figures are null until they are typed. Amounts are in minor units. */
export const couponContentSchema = v.object({
  /** Single-use codes for one rule, in place of a word for everybody. */
  isSet: v.boolean(),
  /** What the codes of a set begin with, and how many letters and digits follow. */
  prefix: v.pipe(v.string(), v.trim(), v.maxLength(15, 'Use at most 15 characters.')),
  length: whole(MIN_LENGTH, MAX_LENGTH, `A code has ${MIN_LENGTH} to ${MAX_LENGTH} letters and digits.`),
  /** The word that buyers type, or the name of a set; empty until it is chosen. */
  code: v.pipe(v.string(), v.trim(), v.maxLength(40, 'Use at most 40 characters.')),
  kind: v.picklist(['percent', 'fixed']),
  /** Basis points, of `percent`. */
  rate: v.nullable(whole(1, 10_000, 'A rate is above 0 and at most 100 %, with at most two decimals.')),
  /** Of `fixed`. */
  amount: v.nullable(whole(1, LARGEST_AMOUNT, 'An amount is at least one unit and under the limit.')),
  /** How many numbered payments of a line it reduces; null: all. */
  payments: v.nullable(whole(1, MAX_REDUCED, `It reduces 1 to ${MAX_REDUCED} payments.`)),
  /** What it is for: whole products, and single offers; null: everything. */
  appliesTo: appliesToSchema,
  bumps: v.boolean(),
  upsells: v.boolean(),
  /** It does not count beside a sale price that is in force. */
  skipsSale: v.boolean(),
  /** Least sum of what it is for, before it; null: none. */
  minimum: v.nullable(whole(1, LARGEST_AMOUNT, 'An amount is at least one unit and under the limit.')),
  from: v.nullable(instant),
  until: v.nullable(instant),
  limit: v.nullable(whole(1, MAX_USES, `It can be used 1 to ${MAX_USES} times.`)),
  limitPerBuyer: v.nullable(whole(1, 1000, 'A buyer can use it 1 to 1000 times.')),
  firstPurchaseOnly: v.boolean(),
  /** It may stand beside other codes that may. */
  combines: v.boolean(),
  /** For the creator alone. */
  note: v.pipe(v.string(), v.maxLength(600, 'Use at most 600 characters.')),
})
export type CouponContent = v.InferOutput<typeof couponContentSchema>

/** A coupon as it begins: a tenth off the first payment of everything, once for each buyer. */
export function newCoupon(): CouponContent {
  return {
    isSet: false,
    prefix: '',
    length: 10,
    code: '',
    kind: 'percent',
    rate: 1000,
    amount: null,
    payments: 1,
    appliesTo: null,
    bumps: false,
    upsells: false,
    skipsSale: false,
    minimum: null,
    from: null,
    until: null,
    limit: null,
    limitPerBuyer: 1,
    firstPurchaseOnly: false,
    combines: false,
    note: '',
  }
}

/** What is missing or wrong before a coupon can be published: the field, and a sentence for it. */
export interface CouponProblem {
  at: `/${keyof CouponContent}`
  why: string
}

/** That a word is another coupon's. */
export function formatTaken(code: string): string {
  return `“${code}” is the code of another coupon.`
}

const CODE = /^[A-Za-z0-9_-]{1,40}$/

/**
 * Everything that stops a coupon from being published at `at` (RFC 3339), in the order of its fields.
 * @param taken words that other coupons have, as they are compared.
 */
export function couponProblems(content: CouponContent, at: string, taken: readonly string[] = []): CouponProblem[] {
  const { isSet, prefix, code, kind, rate, amount, appliesTo, from, until } = content
  const found: CouponProblem[] = []
  if (isSet) {
    if (code === '') found.push({ at: '/code', why: 'Name the set, for yourself.' })
    if (prefix !== '' && !CODE.test(prefix)) found.push({ at: '/prefix', why: 'Use only A to Z, digits, - and _.' })
  } else if (code === '') found.push({ at: '/code', why: 'Choose the word that buyers type.' })
  else if (!CODE.test(code)) found.push({ at: '/code', why: 'Use only A to Z, digits, - and _.' })
  else if (taken.includes(codeKey(code))) found.push({ at: '/code', why: formatTaken(code) })
  if (kind === 'percent' && rate === null) found.push({ at: '/rate', why: 'Write how much it takes off.' })
  if (kind === 'fixed' && amount === null) found.push({ at: '/amount', why: 'Write how much it takes off.' })
  if (appliesTo && appliesTo.products.length + appliesTo.offers.length === 0) {
    found.push({ at: '/appliesTo', why: 'Choose what it is for.' })
  }
  const [begins, ends, now] = [from, until, at].map((moment) => (moment === null ? null : Date.parse(moment)))
  if (begins != null && ends != null && ends <= begins) {
    found.push({ at: '/until', why: 'It must end after it begins.' })
  } else if (ends != null && now != null && ends <= now) {
    found.push({ at: '/until', why: 'This day is past: nobody could use it any more.' })
  }
  return found
}

/** How often a coupon was used so far, in the mode of the purchase, this order not counted. */
export interface CouponUses {
  used: number
  usedByBuyer: number
  /** Its code is a single-use one, and was used. */
  isSpent?: boolean
}

/**
 * A published coupon as the quote's document has it (pricing rules, section 6).
 * @param code as it is shown. @param offers those of the basket, with their products.
 */
export function couponInput(
  content: CouponContent,
  { code, currency, offers }: { code: string; currency: string; offers: readonly { id: string; productId: string }[] },
  { used, usedByBuyer, isSpent = false }: CouponUses,
): object {
  const { kind, rate, amount, payments, appliesTo, skipsSale, minimum, from, until } = content
  const roles: Role[] = [
    'main',
    ...(content.bumps ? ['bump' as const] : []),
    ...(content.upsells ? ['upsell' as const] : []),
  ]
  return {
    code,
    ...(kind === 'percent' ? { kind, rate: rate ?? 0 } : { kind, amount: amount ?? 0, currency }),
    payments,
    offers: appliesTo && offers.filter((offer) => isFor(content, offer)).map(({ id }) => id),
    roles,
    skipsSale,
    minimum: minimum ?? 0,
    startsAt: from,
    endsAt: until,
    // A single-use code that was used is used up, whatever its set still allows.
    limit: isSpent ? 0 : content.limit,
    used,
    limitPerBuyer: content.limitPerBuyer,
    usedByBuyer,
    firstPurchaseOnly: content.firstPurchaseOnly,
    combines: content.combines,
  }
}

/** Whether a coupon is for an offer, by itself or with all of its product. */
export function isFor({ appliesTo }: CouponContent, { id, productId }: { id: string; productId: string }): boolean {
  return appliesTo === null || appliesTo.offers.includes(id) || appliesTo.products.includes(productId)
}
