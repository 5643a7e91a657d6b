import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { expect, it } from 'vitest'
import { quote } from './quote.ts'
import { readQuoteRequest } from './read.ts'

/**
 * The pricing rules once more, as slowly and plainly as they read: every amount a BigInt, every day counted by the
 * calendar of the platform, every sum by looking at all payments anew. It shares nothing with the product.
 */

interface Span {
  count: number
  unit: 'day' | 'week' | 'month' | 'year'
}
interface Offer {
  id: string
  courses: { id: string; weight?: number }[]
  terms: {
    kind: 'free' | 'single' | 'openPrice' | 'installments' | 'subscription'
    amount?: number
    total?: number
    minimum?: number
    suggested?: number
    count?: number
    every?: Span
    deposit?: number
    setupFee?: number
    payments?: number | null
    trial?: { length: Span; amount: number } | null
  }
  sale?: { amount: number; from: string | null; until: string | null; scope: 'every' | 'first' } | null
  taxRate?: number | null
  access?: { from: string | null; lasts: 'forever' | 'whilePaying' | Span | { until: string }; graceDays: number }
}
interface Coupon {
  code: string
  kind: 'percent' | 'fixed'
  rate?: number
  amount?: number
  currency?: string
  payments?: number | null
  offers?: string[] | null
  roles?: string[]
  skipsSale?: boolean
  minimum?: number
  startsAt?: string | null
  endsAt?: string | null
  limit?: number | null
  used?: number
  limitPerBuyer?: number | null
  usedByBuyer?: number
  firstPurchaseOnly?: boolean
  combines?: boolean
}
interface Basket {
  currency: string
  timeZone: string
  at: string
  tax: { mode: 'none' | 'inclusive' | 'exclusive'; rate: number }
  horizon: number
  buyer: { purchases: number }
  lines: { role: string; chosen: number | null; offer: Offer }[]
  coupons: Coupon[]
  codes: string[]
}
interface Slot {
  kind: string
  n: number
  due: string
  list: bigint
  price: bigint
  discount: bigint
  tax: bigint
  pay: bigint
}

const roundedHalfUp = (a: bigint, b: bigint, c: bigint) => (2n * a * b + c) / (2n * c)

const least = (a: bigint, b: bigint) => [a, b].sort((one, other) => (one < other ? -1 : 1))[0] as bigint

/** Section 1: each gets its floor; the units left over go to the largest fractions, one by one. */
function shareOut(total: bigint, given: readonly bigint[]): bigint[] {
  const weights = given.every((weight) => weight === 0n) ? given.map(() => 1n) : [...given]
  const whole = weights.reduce((sum, weight) => sum + weight, 0n)
  const parts = weights.map((weight) => (total * weight) / whole)
  const hasGot = new Set<number>()
  while (parts.reduce((sum, part) => sum + part, 0n) < total) {
    let best = -1
    for (let i = 0; i < weights.length; i++) {
      if (hasGot.has(i)) continue
      const fraction = (at: number) => (total * (weights[at] as bigint)) % whole
      if (best < 0 || fraction(i) > fraction(best)) best = i
    }
    hasGot.add(best)
    parts[best] = (parts[best] as bigint) + 1n
  }
  return parts
}

const later = (day: string, k: number, { count, unit }: Span) =>
  Temporal.PlainDate.from(day)
    .add({ [`${unit}s`]: k * count }, { overflow: 'constrain' })
    .toString()
const isNotBefore = (a: string, b: string) => Temporal.Instant.compare(a, b) >= 0
const runs = (from: string | null | undefined, until: string | null | undefined, at: string) =>
  (!from || isNotBefore(at, from)) && !(until && isNotBefore(at, until))

/** Sections 3 and 4. */
function payments({ offer, chosen }: Basket['lines'][number], { at, horizon }: Basket, today: string): Slot[] {
  const { terms } = offer
  const sale = offer.sale && runs(offer.sale.from, offer.sale.until, at) ? offer.sale : null
  const slots: Slot[] = []
  const add = (kind: string, n: number, due: string, list: number | bigint, price: number | bigint = list) =>
    slots.push({ kind, n, due, list: BigInt(list), price: BigInt(price), discount: 0n, tax: 0n, pay: 0n })
  const anchor = terms.trial ? later(today, 1, terms.trial.length) : today
  if (terms.kind === 'single') add('regular', 1, today, terms.amount as number, sale ? sale.amount : terms.amount)
  if (terms.kind === 'openPrice') {
    const named = chosen ?? (terms.suggested as number)
    if (named > 0) add('regular', 1, today, named)
  }
  if (terms.kind === 'subscription') {
    if (terms.setupFee) add('setup', 0, today, terms.setupFee)
    if (terms.trial?.amount) add('trial', 0, today, terms.trial.amount)
    for (let n = 1; n <= (terms.payments ?? horizon); n++) {
      const isOnSale = sale !== null && (sale.scope === 'every' || n === 1)
      add(
        'regular',
        n,
        later(anchor, n - 1, terms.every as Span),
        terms.amount as number,
        isOnSale ? sale.amount : terms.amount,
      )
    }
  }
  if (terms.kind === 'installments') {
    const count = terms.count as number
    const evenly = (total: number) => shareOut(BigInt(total), new Array<bigint>(count).fill(1n))
    const before = terms.total ? evenly(terms.total) : new Array<bigint>(count).fill(BigInt(terms.amount as number))
    let now = before
    if (sale && terms.total) now = evenly(sale.amount)
    else if (sale) now = before.map((amount, i) => (sale.scope === 'every' || i === 0 ? BigInt(sale.amount) : amount))
    if (terms.trial?.amount) add('trial', 0, today, terms.trial.amount)
    if (terms.deposit) add('deposit', 1, today, terms.deposit)
    for (let i = 1; i <= count; i++) {
      const due = terms.deposit ? later(today, i, terms.every as Span) : later(anchor, i - 1, terms.every as Span)
      add('regular', terms.deposit ? i + 1 : i, due, before[i - 1] as bigint, now[i - 1] as bigint)
    }
  }
  return slots
}

/** What the rules say to a basket. */
function judge(basket: Basket) {
  const { at, tax } = basket
  const today = Temporal.Instant.from(at).toZonedDateTimeISO(basket.timeZone).toPlainDate().toString()
  const lines = basket.lines.map((line) => ({ ...line, slots: payments(line, basket, today) }))
  const left = (slot: Slot) => slot.price - slot.discount
  const numbered = (slots: Slot[]) => slots.filter(({ n }) => n > 0)
  const firstOf = (slots: Slot[]) => numbered(slots)[0] as Slot

  // Section 6.
  const counting: Coupon[] = []
  const seen: Coupon[] = []
  const codes = basket.codes.map((written) => {
    const same = (code: string) => code.trim().toUpperCase() === written.trim().toUpperCase()
    const coupon = basket.coupons.find(({ code }) => same(code))
    if (!coupon) return { code: written.trim(), counts: false, why: 'unknown' }
    const eligible = lines.filter(({ offer, role, slots }) => {
      const onSale = Boolean(offer.sale && runs(offer.sale.from, offer.sale.until, at))
      if (numbered(slots).length === 0) return false
      if (coupon.offers && !coupon.offers.includes(offer.id)) return false
      if (!(coupon.roles ?? ['main']).includes(role)) return false
      return !(coupon.skipsSale && onSale)
    })
    const reasons: [string, boolean][] = [
      ['already-entered', seen.includes(coupon)],
      ['wrong-currency', coupon.kind === 'fixed' && coupon.currency !== basket.currency],
      ['not-yet', Boolean(coupon.startsAt) && !isNotBefore(at, coupon.startsAt as string)],
      ['expired', Boolean(coupon.endsAt) && isNotBefore(at, coupon.endsAt as string)],
      ['used-up', coupon.limit != null && (coupon.used ?? 0) >= coupon.limit],
      ['used-by-buyer', coupon.limitPerBuyer != null && (coupon.usedByBuyer ?? 0) >= coupon.limitPerBuyer],
      ['first-purchase-only', Boolean(coupon.firstPurchaseOnly) && basket.buyer.purchases !== 0],
      ['does-not-combine', counting.some((other) => !(other.combines && coupon.combines))],
      ['nothing-eligible', eligible.every(({ slots }) => left(firstOf(slots)) === 0n)],
      [
        'below-minimum',
        eligible.reduce((sum, { slots }) => sum + firstOf(slots).price, 0n) < BigInt(coupon.minimum ?? 0),
      ],
    ]
    seen.push(coupon)
    const why = reasons.find(([, holds]) => holds)?.[0]
    if (why) return { code: coupon.code, counts: false, why }
    counting.push(coupon)
    const reach = coupon.payments === undefined ? 1 : (coupon.payments ?? Number.MAX_SAFE_INTEGER)
    let saves = 0n
    const lefts = eligible.map(({ slots }) => left(firstOf(slots)))
    const most = lefts.reduce((sum, amount) => sum + amount, 0n)
    const fixed = BigInt(coupon.amount ?? 0)
    const shares = shareOut(least(fixed, most), lefts)
    eligible.forEach(({ slots }, index) => {
      for (const slot of numbered(slots).filter(({ n }) => n <= reach)) {
        const share = shares[index] as bigint
        const off =
          coupon.kind === 'percent'
            ? roundedHalfUp(left(slot), BigInt(coupon.rate as number), 10_000n)
            : least(share, left(slot))
        slot.discount += off
        saves += off
      }
    })
    return { code: coupon.code, counts: true, saves: Number(saves) }
  })

  // Section 7.
  for (const { offer, slots } of lines) {
    const rate = BigInt(offer.taxRate ?? tax.rate)
    for (const slot of slots) {
      const charge = left(slot)
      slot.pay = charge
      if (tax.mode === 'inclusive') slot.tax = roundedHalfUp(charge, rate, 10_000n + rate)
      if (tax.mode === 'exclusive') {
        slot.tax = roundedHalfUp(charge, rate, 10_000n)
        slot.pay = charge + slot.tax
      }
    }
  }

  const all = lines.flatMap(({ slots }) => slots)
  const sum = (slots: Slot[], of: (slot: Slot) => bigint) => Number(slots.reduce((total, slot) => total + of(slot), 0n))
  const now = all.filter(({ due }) => due === today)
  const days = [...new Set(all.map(({ due }) => due))].filter((due) => due !== today).sort()
  const isEndless = ({ terms }: Offer) => terms.kind === 'subscription' && terms.payments == null
  const courses = lines.flatMap(({ offer }) => offer.courses.map(({ id }) => id))
  return {
    purchaseDay: today,
    lines: lines.map(({ offer, role, slots }) => ({
      offer: offer.id,
      role,
      payments: slots.map(({ n, kind, due, list, price, discount, tax: taxed, pay }) => ({
        n,
        kind,
        due,
        list: Number(list),
        price: Number(price),
        discount: Number(discount),
        tax: Number(taxed),
        pay: Number(pay),
      })),
      untilCancelled: isEndless(offer),
      ...access(offer, slots, today),
      shares: sharesOf(offer, numbered(slots)),
    })),
    today: {
      price: sum(now, ({ price }) => price),
      discount: sum(now, ({ discount }) => discount),
      tax: sum(now, (slot) => slot.tax),
      pay: sum(now, ({ pay }) => pay),
    },
    later: days.map((due) => ({
      due,
      pay: sum(
        all.filter((slot) => slot.due === due),
        ({ pay }) => pay,
      ),
    })),
    committed: lines.some(({ offer }) => isEndless(offer)) ? null : sum(all, ({ pay }) => pay),
    codes,
    overlaps: [...new Set(courses)].filter((id) => courses.filter((other) => other === id).length > 1),
  }
}

/** Section 8. */
function access({ access: rule, terms }: Offer, slots: Slot[], today: string) {
  const opens = rule?.from && rule.from > today ? rule.from : today
  const lasts = rule?.lasts ?? 'forever'
  if (lasts === 'forever') return { opens, closes: null }
  if (lasts === 'whilePaying') {
    const anchor = terms.trial ? later(today, 1, terms.trial.length) : today
    const paid = slots.filter(({ kind, due }) => kind === 'regular' && due === today).length
    const through = later(anchor, paid, terms.every as Span)
    return { opens, closes: later(through, rule?.graceDays ?? 0, { count: 1, unit: 'day' }) }
  }
  return { opens, closes: 'until' in lasts ? lasts.until : later(opens, 1, lasts) }
}

/** Section 9. */
function sharesOf({ courses }: Offer, [first]: Slot[]) {
  const parts = first
    ? shareOut(
        first.price - first.discount,
        courses.map(({ weight }) => BigInt(weight ?? 1)),
      )
    : courses.map(() => 0n)
  return courses.map(({ id }, index) => ({ course: id, amount: Number(parts[index]) }))
}

const span = fc.record({ count: fc.integer({ min: 1, max: 4 }), unit: fc.constantFrom('day', 'week', 'month', 'year') })
const amount = fc.oneof(
  fc.integer({ min: 20, max: 400 }),
  fc.integer({ min: 20, max: 30_000 }),
  fc.integer({ min: 99_999_999_000, max: 99_999_999_999 }),
)
const trial = fc.option(fc.record({ length: span, amount: fc.constantFrom(0, 0, 1, 99, 500) }))
const ats = ['2027-01-31T09:30:00+01:00', '2028-02-28T23:30:00Z', '2026-11-26T00:10:00+14:00', '2027-06-30T12:00:00Z']
const instant = fc.option(fc.constantFrom(...ats))

const terms: fc.Arbitrary<Offer['terms']> = fc.oneof(
  fc.constant({ kind: 'free' as const }),
  fc.record({ kind: fc.constant('single' as const), amount }),
  fc.record({ kind: fc.constant('openPrice' as const), minimum: fc.constantFrom(0, 5), suggested: amount }),
  fc
    .record({
      count: fc.integer({ min: 2, max: 7 }),
      every: span,
      of: amount,
      isTotal: fc.boolean(),
      trial,
      deposit: fc.option(amount),
    })
    .map(({ of, isTotal, trial: tried, deposit, ...rest }) => ({
      kind: 'installments' as const,
      ...rest,
      ...(isTotal ? { total: of } : { amount: of }),
      ...(deposit === null ? { trial: tried } : { deposit }),
    })),
  fc.record({
    kind: fc.constant('subscription' as const),
    amount,
    every: span,
    payments: fc.option(fc.integer({ min: 1, max: 5 })),
    setupFee: fc.constantFrom(0, 0, 250),
    trial,
  }),
)

const offer = (id: string): fc.Arbitrary<Offer> =>
  fc
    .record({
      terms,
      courses: fc.uniqueArray(
        fc.record({ id: fc.constantFrom('a', 'b', 'c', 'd'), weight: fc.constantFrom(0, 1, 7, 12_900) }),
        {
          minLength: 1,
          maxLength: 3,
          selector: (course) => course.id,
        },
      ),
      taxRate: fc.constantFrom(null, null, 0, 700, 1),
      sale: fc.option(
        fc.record({
          from: instant,
          until: instant,
          scope: fc.constantFrom('every', 'first'),
          of: fc.integer({ min: 1, max: 99 }),
        }),
      ),
      lasts: fc.oneof(fc.constantFrom('forever', 'whilePaying'), span, fc.constant({ until: '2040-01-01' })),
      from: fc.constantFrom(null, null, '2027-02-15', '2020-01-01'),
      graceDays: fc.constantFrom(0, 3, 14),
    })
    .map(({ sale, lasts, from, graceDays, ...rest }) => {
      const of = rest.terms
      const replaced = of.total ?? of.amount
      const takesSale = replaced !== undefined && of.kind !== 'free' && of.kind !== 'openPrice'
      const isPaidOn = lasts === 'whilePaying' && of.kind === 'subscription'
      const access = {
        from: isPaidOn ? null : from,
        lasts: lasts === 'whilePaying' && !isPaidOn ? 'forever' : lasts,
        graceDays,
      } as Offer['access']
      return {
        id,
        ...rest,
        access: access as NonNullable<Offer['access']>,
        sale:
          sale && takesSale
            ? {
                amount: Math.max(of.total ? (of.count ?? 1) : 1, Math.floor((replaced * sale.of) / 100)),
                from: sale.from,
                until: sale.until,
                scope: of.total ? 'every' : sale.scope,
              }
            : null,
      } as Offer
    })

const CODES = ['LINEN10', 'ten', 'Half-Off', 'ALL_OF_IT']
const coupon = (code: string): fc.Arbitrary<Coupon> =>
  fc
    .record({
      reduction: fc.oneof(
        fc.record({
          kind: fc.constant('percent' as const),
          rate: fc.oneof(fc.integer({ min: 1, max: 10_000 }), fc.constant(10_000)),
        }),
        fc.record({
          kind: fc.constant('fixed' as const),
          amount: fc.oneof(fc.integer({ min: 1, max: 300 }), amount),
          currency: fc.constantFrom('EUR', 'EUR', 'EUR', 'CHF'),
        }),
      ),
      payments: fc.constantFrom(undefined, null, null, 1, 2, 3),
      offers: fc.constantFrom(null, undefined, ['o0'], ['o1', 'o2'], []),
      roles: fc.constantFrom(undefined, ['main', 'bump', 'upsell'], ['main', 'bump', 'upsell'], ['bump']),
      minimum: fc.constantFrom(undefined, 0, 100, 5000),
      startsAt: instant,
      endsAt: instant,
      limit: fc.constantFrom(null, null, 0, 2),
      used: fc.constantFrom(0, 1, 2),
      limitPerBuyer: fc.constantFrom(null, null, 1),
      usedByBuyer: fc.constantFrom(0, 1),
      skipsSale: fc.boolean(),
      firstPurchaseOnly: fc.boolean(),
      combines: fc.constantFrom(true, true, false),
    })
    .map(({ reduction, ...rest }) => ({ code, ...reduction, ...rest }) as Coupon)

/** Most coupons are plain, or hardly any code would ever count. */
const plainOr = (code: string) =>
  fc.oneof(
    {
      weight: 2,
      arbitrary: coupon(code).map(
        ({ kind, rate, amount: of, payments: reach, currency }) =>
          ({
            code,
            kind,
            rate,
            amount: of,
            payments: reach,
            combines: true,
            roles: ['main', 'bump', 'upsell'],
            ...(kind === 'fixed' ? { currency: currency ?? 'EUR' } : {}),
          }) as Coupon,
      ),
    },
    { weight: 1, arbitrary: coupon(code) },
  )

const basket: fc.Arbitrary<Basket> = fc.integer({ min: 1, max: 5 }).chain((count) =>
  fc.record({
    currency: fc.constant('EUR'),
    timeZone: fc.constantFrom('Europe/Vienna', 'Pacific/Auckland', 'America/New_York'),
    at: fc.constantFrom(...ats),
    tax: fc.record({
      mode: fc.constantFrom('none', 'inclusive', 'exclusive'),
      rate: fc.constantFrom(0, 810, 2000, 10_000),
    }),
    horizon: fc.integer({ min: 1, max: 14 }),
    buyer: fc.record({ purchases: fc.constantFrom(0, 0, 1, 3) }),
    lines: fc.tuple(
      ...Array.from({ length: count }, (_, index) =>
        fc
          .record({
            role: fc.constantFrom('main', 'main', 'bump', 'upsell'),
            offer: offer(`o${index}`),
            own: fc.option(fc.constantFrom(5, 6, 1200)),
          })
          .map(({ role, offer: of, own }) => ({ role, offer: of, chosen: of.terms.kind === 'openPrice' ? own : null })),
      ),
    ),
    coupons: fc.tuple(...CODES.map(plainOr)),
    codes: fc.array(fc.constantFrom(...CODES, ...CODES, ' linen10 ', 'TEN', 'nothing', 'half-off'), { maxLength: 5 }),
  }),
) as fc.Arbitrary<Basket>

/** What the document would say: no fields that stand for nothing. */
const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T

it('says of any basket what the rules say', () => {
  let counted = 0
  fc.assert(
    fc.property(basket, (asked) => {
      const said = quote(readQuoteRequest(plain(asked)))
      expect(plain(said)).toEqual(plain(judge(plain(asked))))
      if (said.codes.some(({ counts }) => counts)) counted++
    }),
    { numRuns: 1200 },
  )
  // Codes that hardly ever count would prove little about what they take off.
  expect(counted).toBeGreaterThan(240)
}, 120_000)

it('holds what any buyer relies on, whatever is in the basket', () => {
  fc.assert(
    fc.property(basket, (asked) => {
      const said = quote(readQuoteRequest(plain(asked)))
      const all = said.lines.flatMap(({ payments: of }) => of)
      for (const { list, price, discount, tax, pay, kind } of all) {
        expect(price).toBeLessThanOrEqual(list)
        expect(discount).toBeGreaterThanOrEqual(0)
        expect(discount).toBeLessThanOrEqual(price)
        expect(pay).toBe(price - discount + (asked.tax.mode === 'exclusive' ? tax : 0))
        if (kind === 'setup' || kind === 'trial') expect(discount).toBe(0)
      }
      const saved = said.codes.reduce((sum, code) => sum + (code.counts ? code.saves : 0), 0)
      expect(saved).toBe(all.reduce((sum, { discount }) => sum + discount, 0))
      const inAll = said.today.pay + said.later.reduce((sum, { pay }) => sum + pay, 0)
      expect(inAll).toBe(all.reduce((sum, { pay }) => sum + pay, 0))
      if (said.committed !== null) expect(said.committed).toBe(inAll)
      for (const { payments: of, shares } of said.lines) {
        const first = of.find(({ n }) => n > 0)
        expect(shares.reduce((sum, share) => sum + share.amount, 0)).toBe(first ? first.price - first.discount : 0)
      }
      // A line alone, without codes, costs what it costs among others.
      const bare = quote(readQuoteRequest(plain({ ...asked, codes: [] })))
      for (const [index, line] of asked.lines.entries()) {
        const alone = quote(readQuoteRequest(plain({ ...asked, codes: [], lines: [line] })))
        expect(alone.lines[0]).toEqual(bare.lines[index])
      }
    }),
    { numRuns: 300 },
  )
}, 120_000)
