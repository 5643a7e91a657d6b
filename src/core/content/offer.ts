import * as v from 'valibot'
import { isDay, LONGEST_SPAN } from '../calendar/day.ts'
import { parseInstant } from '../calendar/instant.ts'
import { LARGEST_AMOUNT } from '../money/arithmetic.ts'
import type { Access, InstallmentTerms, Terms } from '../terms/terms.ts'

const whole = (least: number, most: number, why: string) =>
  v.pipe(v.number(why), v.integer(why), v.minValue(least, why), v.maxValue(most, why))
const price = (least: number) =>
  v.nullable(
    whole(
      least,
      LARGEST_AMOUNT,
      least > 0 ? 'A price is at least one unit and under the limit.' : 'An amount is not below 0.',
    ),
  )

const spanSchema = v.pipe(
  v.object({ count: whole(1, 366, 'A span is at least 1.'), unit: v.picklist(['day', 'week', 'month', 'year']) }),
  v.check(({ count, unit }) => count <= LONGEST_SPAN[unit], 'This span is too long.'),
)
const trialSchema = v.nullable(
  v.object({ length: spanSchema, amount: whole(0, LARGEST_AMOUNT, 'An amount is not below 0.') }),
)
const day = v.pipe(v.string(), v.check(isDay, 'This date does not exist.'))
const instant = v.pipe(
  v.string(),
  v.check((text) => parseInstant(text) !== null, 'This moment does not exist.'),
)

/** A draft's price terms, in the core's own shape; an amount is null until it is typed. */
const draftTermsSchema = v.variant('kind', [
  v.object({ kind: v.literal('free') }),
  v.object({ kind: v.literal('single'), amount: price(1) }),
  v.object({ kind: v.literal('openPrice'), minimum: price(0), suggested: price(0) }),
  v.object({
    kind: v.literal('installments'),
    count: whole(2, 120, 'There are 2 to 120 parts.'),
    every: spanSchema,
    amount: price(1),
    total: price(1),
    /** 0: there is to be one, and its amount is still to be written. */
    deposit: price(0),
    trial: trialSchema,
  }),
  v.object({
    kind: v.literal('subscription'),
    amount: price(1),
    every: spanSchema,
    payments: v.nullable(whole(1, 520, 'It stops after 1 to 520 payments.')),
    setupFee: price(0),
    trial: trialSchema,
  }),
])

const accessSchema = v.object({
  from: v.nullable(day),
  /** `whileMember`: as long as the membership that the offer is for; its quote says `forever` (selling rules, section 2a). */
  lasts: v.union([v.picklist(['forever', 'whilePaying', 'whileMember']), v.strictObject({ until: day }), spanSchema]),
  graceDays: whole(0, 90, 'There are at most 90 days of grace.'),
})

/** Most lines under a price. */
export const MAX_LINES = 5
const LONGEST_STATEMENT = 22

/** Why a text cannot stand on a card statement, in words; null where it can. Empty is the school's name. */
export function statementProblem(text: string): string | null {
  const odd = [...text].find((letter) => !/^[A-Za-z0-9 .,&/+-]$/.test(letter))
  if (odd) return `“${odd}” does not print on every statement. Use A to Z, digits, spaces and . , & / + -`
  if ([...text].length > LONGEST_STATEMENT)
    return `It is ${[...text].length - LONGEST_STATEMENT} over ${LONGEST_STATEMENT} characters.`
  if (text !== '' && !/[A-Za-z]/.test(text)) return 'It needs at least one letter.'
  return null
}

/**
 * Who may buy: everyone, members (they have one of the given courses, or bought one of the given bundles), people with the
 * link, or nobody alone: the offer can only be added to another order.
 */
const audienceSchema = v.variant('who', [
  v.object({ who: v.literal('everyone') }),
  v.object({ who: v.literal('link') }),
  v.object({ who: v.literal('added') }),
  v.object({ who: v.literal('holders'), of: v.pipe(v.array(v.pipe(v.string(), v.uuid())), v.maxLength(20)) }),
])
export type Audience = v.InferOutput<typeof audienceSchema>

export const offerContentSchema = v.object({
  name: v.pipe(v.string(), v.maxLength(80, 'Use at most 80 characters.')),
  terms: draftTermsSchema,
  sale: v.nullable(
    v.object({
      amount: price(1),
      from: v.nullable(instant),
      until: v.nullable(instant),
      scope: v.picklist(['every', 'first']),
    }),
  ),
  access: accessSchema,
  /** Basis points; null: the school's. */
  taxRate: v.nullable(whole(0, 10_000, 'A rate is from 0 to 100 %, with at most two decimals.')),
  audience: audienceSchema,
  /** Text of the pay button on the course page; empty: made from the price. */
  button: v.pipe(v.string(), v.maxLength(40, 'Use at most 40 characters.')),
  /** A few lines under the price, each on a line of its own. */
  lines: v.pipe(
    v.string(),
    v.maxLength(400, 'Use at most 400 characters in all lines together.'),
    v.check((text) => text.split('\n').length <= MAX_LINES, `There are at most ${MAX_LINES} lines.`),
  ),
  /** For the creator alone. */
  label: v.pipe(v.string(), v.maxLength(80, 'Use at most 80 characters.')),
  /** The article number, for bookkeeping. */
  sku: v.pipe(v.string(), v.maxLength(40, 'Use at most 40 characters.')),
  /** What stands on the buyer's card statement; empty: the school's name. */
  statement: v.pipe(
    v.string(),
    v.check((text) => statementProblem(text) === null, 'Use at most 22 letters, digits, spaces and plain punctuation.'),
  ),
  /** Marked among the offers of its course as the creator's suggestion. */
  highlighted: v.boolean(),
})

export type OfferContent = v.InferOutput<typeof offerContentSchema>
export type DraftTerms = v.InferOutput<typeof draftTermsSchema>
export type DraftAccess = OfferContent['access']
export type DraftSale = NonNullable<OfferContent['sale']>

/** An offer as it begins: one price, still to be written, for good. */
export function newOffer(name: string): OfferContent {
  return {
    name,
    terms: { kind: 'single', amount: null },
    sale: null,
    access: { from: null, lasts: 'forever', graceDays: 0 },
    taxRate: null,
    audience: { who: 'everyone' },
    button: '',
    lines: '',
    label: '',
    sku: '',
    statement: '',
    highlighted: false,
  }
}

/** Terms of another kind, with as much of the old figures as fits. */
export function changeKind(terms: DraftTerms, kind: DraftTerms['kind']): DraftTerms {
  const amount = 'amount' in terms ? terms.amount : terms.kind === 'openPrice' ? terms.suggested : null
  const every = 'every' in terms ? terms.every : { count: 1, unit: 'month' as const }
  const trial = 'trial' in terms ? terms.trial : null
  switch (kind) {
    case 'free':
      return { kind }
    case 'single':
      return { kind, amount: terms.kind === 'installments' ? (terms.total ?? amount) : amount }
    case 'openPrice':
      return { kind, minimum: 0, suggested: amount }
    case 'installments':
      return { kind, count: 3, every, amount: null, total: amount, deposit: null, trial }
    case 'subscription':
      return { kind, amount, every, payments: null, setupFee: null, trial }
  }
}

/** The terms that the core can quote, or null while a figure is missing. */
export function quotableTerms(terms: DraftTerms): Terms | null {
  switch (terms.kind) {
    case 'free':
      return terms
    case 'single':
      return terms.amount === null ? null : { kind: 'single', amount: terms.amount }
    case 'openPrice':
      return terms.minimum === null || terms.suggested === null
        ? null
        : { kind: 'openPrice', minimum: terms.minimum, suggested: terms.suggested }
    case 'installments':
      return quotableInstallments(terms)
    case 'subscription':
      return terms.amount === null ? null : { ...terms, amount: terms.amount, setupFee: terms.setupFee ?? 0 }
  }
}

function quotableInstallments(terms: Extract<DraftTerms, { kind: 'installments' }>): InstallmentTerms | null {
  if ((terms.amount === null) === (terms.total === null) || terms.deposit === 0) return null
  return terms
}

/** An access rule that fits the terms, as the quote has it: open while paying is for subscriptions alone. */
export function fittingAccess(access: DraftAccess, terms: DraftTerms): Access {
  const { lasts } = access
  const isForever = lasts === 'whileMember' || (lasts === 'whilePaying' && terms.kind !== 'subscription')
  return { ...access, lasts: isForever ? 'forever' : lasts }
}

/** Whether an offer's access can last as long as a membership: the offer is for members only, and free or paid once. */
export function mayLastWhileMember({ terms, audience }: Pick<OfferContent, 'terms' | 'audience'>): boolean {
  return audience.who === 'holders' && ['free', 'single', 'openPrice'].includes(terms.kind)
}

/** The courses and bundles whose membership an offer's access depends on; null where it depends on none. */
export function membersOf(content: Pick<OfferContent, 'terms' | 'audience' | 'access'>): string[] | null {
  const { audience, access } = content
  if (access.lasts !== 'whileMember' || audience.who !== 'holders' || !mayLastWhileMember(content)) return null
  return audience.of
}

/**
 * The access rule after a change of terms. Whoever turns a price into a subscription and has said nothing else
 * about access means that the course is open while it is paid; otherwise the rule is only made to fit.
 */
export function accessAfter(access: DraftAccess, before: DraftTerms, terms: DraftTerms): DraftAccess {
  const isUntouched = access.lasts === 'forever' && access.from === null
  return terms.kind === 'subscription' && before.kind !== 'subscription' && isUntouched
    ? { from: null, lasts: 'whilePaying', graceDays: access.graceDays || 3 }
    : access.lasts === 'whileMember'
      ? access
      : fittingAccess(access, terms)
}

/** Why a sale could never run, in words: it ends before it begins. Null where it can. */
export function saleSpanProblem({ from, until }: DraftSale): string | null {
  if (from === null || until === null || Date.parse(until) > Date.parse(from)) return null
  return 'The sale ends before it begins.'
}

/** A sale price that the core can quote, or null where there is none, its figure is missing, or it does not fit. */
export function quotableSale(sale: OfferContent['sale'], terms: DraftTerms) {
  if (!sale || sale.amount === null || terms.kind === 'free' || terms.kind === 'openPrice') return null
  const total = terms.kind === 'installments' ? terms.total : null
  const base = total ?? terms.amount ?? 0
  const least = terms.kind === 'installments' && total !== null ? terms.count : 1
  if (sale.amount >= base || sale.amount < least || (total !== null && sale.scope === 'first')) return null
  return { ...sale, amount: sale.amount }
}

/** Whether an offer can be chosen in a basket: what is sold by its link, or not by itself, only where it is in it already. */
export function isShownInBasket({ audience }: OfferContent, isInIt: boolean): boolean {
  return audience.who !== 'added' && (audience.who !== 'link' || isInIt)
}
