import type { Day } from '../calendar/day.ts'
import { formatDay } from '../calendar/formatDay.ts'
import type { Amount } from '../money/arithmetic.ts'
import { formatMoney, type MoneyFormat } from '../money/format.ts'
import { lineHasLater } from '../quote/later.ts'
import type { PaymentKind, QuotedLine, ScheduledPayment } from '../quote/types.ts'
import type { Access, Terms } from '../terms/terms.ts'
import { OFFER, PAY, PRICE, SENTENCE } from '../words/en/price.ts'
import { say } from '../words/message.ts'
import { formatRun, type Run, runsOf } from './runs.ts'
import { formatLength, formatRate, formatThen } from './words.ts'

/**
 * A price in words. Everything said is read off the quote's payments and days, never computed anew, so
 * that a sentence cannot say what the numbers do not hold. Amounts are what is paid, tax included.
 */
export interface OfferInWords {
  terms: Terms
  access: Access
  /** It lasts as long as the membership that it is for, whatever its quote says. */
  isWhileMember?: boolean
  line: QuotedLine
  purchaseDay: Day
  money: MoneyFormat
}

/** The whole price in plain sentences: what is paid when, in all, and how long the course is open. */
export function formatPriceSentence(priced: OfferInWords): string {
  const { terms, line, money } = priced
  const access = formatAccess(priced)
  if (terms.kind === 'free') return say(SENTENCE.free, { access })
  if (terms.kind === 'openPrice') return formatOpenPrice(terms.minimum, terms.suggested, access, money)
  const clauses = [formatToday(priced), ...laterRuns(priced).map((run) => formatLaterRun(run, priced))]
  const later = laterPayments(priced)
  const all = line.payments.reduce((sum, { pay }) => sum + pay, 0)
  const payments = formatThen(clauses)
  return later.length > 0 && !line.untilCancelled
    ? say(SENTENCE.priceInAll, { payments, all: formatMoney(all, money), access })
    : say(SENTENCE.price, { payments, access })
}

/** Installments in parts: "€30.00 deposit, then 3 × €30.00; €120.00 in all". */
export function formatInParts({ line, money }: Pick<OfferInWords, 'line' | 'money'>): string {
  const written = (amount: Amount) => formatMoney(amount, money)
  const sumOf = (of: readonly ScheduledPayment[]) => of.reduce((sum, { pay }) => sum + pay, 0)
  const deposit = sumOf(line.payments.filter(({ kind }) => kind === 'deposit'))
  const parts = runsOf(
    line.payments.filter(({ kind }) => kind === 'regular'),
    false,
  )
  const runs = parts.map(({ pay, dues }) => formatTimes(dues.length, written(pay)))
  const begin = deposit > 0 ? [say(PRICE.deposit, { money: written(deposit) })] : []
  return say(SENTENCE.partsInAll, { parts: formatThen([...begin, ...runs]), all: written(sumOf(line.payments)) })
}

/** What follows today, for the line below an offer: "then €43.00 on 28 February · open for 1 year". */
export function formatLater(priced: OfferInWords): string {
  const payments = formatLaterPayments(priced)
  const access = formatAccessShort(priced)
  return payments === '' ? access : say(OFFER.dot, { one: say(OFFER.thenLater, { payments }), next: access })
}

/** The payments after today, "€43.00 on 28 February"; empty where there are none. */
export function formatLaterPayments(priced: OfferInWords): string {
  return formatThen(laterRuns(priced).map((run) => formatLaterRun(run, priced)))
}

/** A price in a list, where there is little room: "€129", "3 × €43", "€180 + 8 × €65", "€19 a month", "from €4", "free". */
export function formatShortPrice({ terms, line, money }: Pick<OfferInWords, 'terms' | 'line' | 'money'>): string {
  const short = (amount: Amount) => formatMoney(amount, money, true)
  const regular = runsOf(
    line.payments.filter(({ kind }) => kind === 'regular'),
    line.untilCancelled,
  )
  switch (terms.kind) {
    case 'free':
      return PRICE.free
    case 'single':
      return short(line.payments[0]?.pay ?? 0)
    case 'openPrice':
      return terms.minimum === 0 ? PRICE.yourPrice : say(PRICE.from, { money: short(terms.minimum) })
    case 'installments':
    case 'subscription': {
      const kindSum = (kind: PaymentKind) =>
        line.payments.filter((payment) => payment.kind === kind).reduce((sum, { pay }) => sum + pay, 0)
      const once = kindSum('deposit') + kindSum('setup')
      const parts = regular.map((run) => shortRun(run, terms.every, short))
      return once > 0 ? say(PRICE.plus, { first: short(once), next: formatThen(parts) }) : formatThen(parts)
    }
  }
}

/**
 * A price as it stands in the shop, whole and in few words: what is paid, how often, how much in all, and what comes
 * after a trial. "€129", "3 × €43 (€129 in all)", "€180 deposit + 8 × €65 (€700 in all)", "7 days free, then €19 a
 * month", "€24 to begin, then €19 a month", "from €4", "free".
 */
export function formatWholePrice({ terms, line, money }: Pick<OfferInWords, 'terms' | 'line' | 'money'>): string {
  const short = (amount: Amount) => formatMoney(amount, money, true)
  if (terms.kind !== 'installments' && terms.kind !== 'subscription') return formatShortPrice({ terms, line, money })
  const sumOf = (kind: PaymentKind) =>
    line.payments.filter((payment) => payment.kind === kind).reduce((sum, { pay }) => sum + pay, 0)
  const regular = runsOf(
    line.payments.filter(({ kind }) => kind === 'regular'),
    line.untilCancelled,
  )
  // "€150 for the first year, then €190 a year": a first payment on sale is no price of its own.
  const isFirst = ({ dues }: Run, index: number) =>
    index === 0 && dues.length === 1 && regular.length > 1 && line.untilCancelled
  const first =
    terms.every.count === 1
      ? PRICE.firstOnes[terms.every.unit]
      : say(PRICE.theFirst, { length: formatLength(terms.every) })
  const runs = formatThen(
    regular.map((run, index) =>
      isFirst(run, index)
        ? say(PRICE.forLength, { money: short(run.pay), length: first })
        : shortRun(run, terms.every, short),
    ),
  )
  const all = line.payments.reduce((sum, { pay }) => sum + pay, 0)
  const setup = sumOf('setup') > 0 ? [say(PRICE.toBegin, { money: short(sumOf('setup')) })] : []
  const begin = [
    ...setup,
    ...(terms.trial ? [formatTrial(sumOf('trial'), formatLength(terms.trial.length), short)] : []),
  ]
  const deposit = sumOf('deposit') > 0 && say(PRICE.deposit, { money: short(sumOf('deposit')) })
  const regularly = deposit ? say(PRICE.plus, { first: deposit, next: runs }) : runs
  const price =
    begin.length > 0
      ? formatThen([begin.reduce((one, next) => say(PRICE.listed, { one, next })), regularly])
      : regularly
  return !line.untilCancelled && line.payments.length > 1 ? say(PRICE.inBrackets, { price, all: short(all) }) : price
}

function formatTrial(pay: Amount, length: string, short: (amount: Amount) => string): string {
  return pay > 0 ? say(PRICE.forLength, { money: short(pay), length }) : say(PRICE.lengthFree, { length })
}

function formatTimes(count: number, money: string): string {
  return count === 1 ? money : say(PRICE.times, { number: count, money })
}

/**
 * The prices of a course's offers beside each other: "€129, or 3 × €43 (€129 in all)". Of many the first two are said,
 * and how many more there are.
 */
export function formatWholePrices(offers: readonly Pick<OfferInWords, 'terms' | 'line' | 'money'>[]): string {
  const said = [...new Set(offers.map(formatPriceAlone))]
  const more = said.length - 2
  const [one = '', two] = said
  const prices = two === undefined ? one : say(OFFER.orAnother, { first: one, next: two })
  return more > 0 ? say(OFFER.morePrices, { prices, count: more }) : prices
}

/** A whole price as it stands without the name of its offer: what the buyer names says so. */
function formatPriceAlone(offer: Pick<OfferInWords, 'terms' | 'line' | 'money'>): string {
  if (offer.terms.kind !== 'openPrice') return formatWholePrice(offer)
  return offer.terms.minimum === 0 ? PRICE.nameIt : say(PRICE.nameItFrom, { from: formatWholePrice(offer) })
}

/** What a payment is for where it is no regular one: "Set-up fee", "First 7 days", "Deposit"; null else. */
export function namePayment({ kind }: Pick<ScheduledPayment, 'kind'>, terms: Terms): string | null {
  if (kind === 'setup') return PRICE.setupFee
  if (kind === 'deposit') return PRICE.depositPayment
  if (kind === 'trial') {
    return 'trial' in terms && terms.trial
      ? say(PRICE.firstLength, { length: formatLength(terms.trial.length) })
      : PRICE.trialPayment
  }
  return null
}

/** What is paid today, named where it is something of its own; a trial that costs nothing too. */
export function todayInParts({
  terms,
  line,
  purchaseDay,
}: Pick<OfferInWords, 'terms' | 'line' | 'purchaseDay'>): { name: string | null; pay: Amount }[] {
  const parts = line.payments
    .filter(({ due }) => due === purchaseDay)
    .map((payment) => ({ name: namePayment(payment, terms), pay: payment.pay }))
  const free = nameFreeTrial(terms, line)
  return free === null ? parts : [...parts, { name: free, pay: 0 }]
}

/** "First 7 days" of a trial that costs nothing, and has no payment of its own; null where there is none. */
export function nameFreeTrial(terms: Terms, line: QuotedLine): string | null {
  const trial = 'trial' in terms ? terms.trial : null
  if (trial === null || line.payments.some(({ kind }) => kind === 'trial')) return null
  return say(PRICE.firstLength, { length: formatLength(trial.length) })
}

function shortRun(
  { pay, dues, endless }: Run,
  every: Parameters<typeof formatRate>[0],
  short: (amount: Amount) => string,
): string {
  if (endless) return say(PRICE.atRate, { money: short(pay), rate: formatRate(every) })
  return formatTimes(dues.length, short(pay))
}

/** The button that pays: "Pay €129.00", "Pay €43.00 today", "Start for €0.00 today", "Get the course". */
export function formatPayButton(today: Amount, hasLater: boolean, money: MoneyFormat): string {
  const values = { money: formatMoney(today, money) }
  if (hasLater) return say(today > 0 ? PAY.today : PAY.start, values)
  return today > 0 ? say(PAY.now, values) : PAY.get
}

/** The button on a course page: what the creator wrote, or what the price (and being for holders alone) makes of it. */
export function formatEnrolButton(
  { terms, line, purchaseDay, money }: Omit<OfferInWords, 'access'>,
  written: string,
  forHolders = false,
): string {
  if (written.trim()) return written.trim()
  if (terms.kind === 'free') return forHolders ? OFFER.forMembers : PAY.get
  if (terms.kind === 'openPrice')
    return terms.minimum === 0 ? OFFER.nameYourPrice : say(OFFER.from, { money: formatMoney(terms.minimum, money) })
  const today = line.payments.filter(({ due }) => due === purchaseDay).reduce((sum, { pay }) => sum + pay, 0)
  const isPaidLater = lineHasLater(line, purchaseDay)
  if (today === 0 && 'trial' in terms && terms.trial) {
    return say(OFFER.tryFree, { length: formatLength(terms.trial.length) })
  }
  return say(isPaidLater ? OFFER.enrolToday : OFFER.enrol, { money: formatMoney(today, money) })
}

function formatOpenPrice(minimum: Amount, suggested: Amount, access: string, money: MoneyFormat): string {
  const values = { suggested: formatMoney(suggested, money), access }
  return minimum > 0
    ? say(SENTENCE.openPriceFrom, { ...values, minimum: formatMoney(minimum, money) })
    : say(SENTENCE.openPrice, values)
}

/** What is paid on the purchase day: "€240.00 to begin", "7 days free", "€1.00 today for the first 14 days". */
function formatToday({ terms, line, purchaseDay, money }: OfferInWords): string {
  const today = line.payments.filter(({ due }) => due === purchaseDay)
  const sum = (...kinds: PaymentKind[]) =>
    today.filter(({ kind }) => kinds.length === 0 || kinds.includes(kind)).reduce((all, { pay }) => all + pay, 0)
  const setup = sum('setup')
  const trial = 'trial' in terms ? terms.trial : null
  if (!trial) {
    const values = { money: formatMoney(sum(), money) }
    if (setup > 0) return say(PRICE.toBegin, values)
    return say(sum('deposit') > 0 ? SENTENCE.depositToday : SENTENCE.today, values)
  }
  const length = formatLength(trial.length)
  const paid = sum('trial')
  const values = { money: formatMoney(paid, money), length }
  const first =
    paid === 0
      ? say(PRICE.lengthFree, values)
      : say(setup > 0 ? SENTENCE.forTheFirst : SENTENCE.todayForTheFirst, values)
  if (setup === 0) return first
  return say(SENTENCE.listed, { one: say(PRICE.toBegin, { money: formatMoney(setup, money) }), next: first })
}

function laterPayments({ line, purchaseDay }: OfferInWords): ScheduledPayment[] {
  return line.payments.filter(({ due }) => due > purchaseDay)
}

function laterRuns(priced: OfferInWords): Run[] {
  return runsOf(laterPayments(priced), priced.line.untilCancelled)
}

function formatLaterRun(run: Run, { terms, money, purchaseDay }: OfferInWords): string {
  const every = 'every' in terms ? terms.every : { count: 1, unit: 'day' as const }
  return formatRun(run, every, money, purchaseDay.slice(0, 4))
}

/** When the course opens and closes, as sentences. */
function formatAccess({ access, isWhileMember, line, purchaseDay, money }: OfferInWords): string {
  const day = (when: Day) => formatDay(when, money.language, purchaseDay.slice(0, 4))
  const opens = line.opens > purchaseDay ? say(SENTENCE.opensOn, { day: day(line.opens) }) : SENTENCE.open
  if (access.lasts === 'whilePaying') {
    return access.graceDays > 0
      ? say(SENTENCE.whilePaidGrace, { opens, count: access.graceDays })
      : say(SENTENCE.whilePaid, { opens })
  }
  if (isWhileMember) return say(SENTENCE.whileMember, { opens })
  return line.closes ? say(SENTENCE.until, { opens, day: day(line.closes) }) : say(SENTENCE.forGood, { opens })
}

/** When a course opens and for how long, in few words. */
export function formatAccessShort({ access, isWhileMember, line, purchaseDay, money }: OfferInWords): string {
  const day = (when: Day) => formatDay(when, money.language, purchaseDay.slice(0, 4))
  const opens = line.opens > purchaseDay ? say(OFFER.opensOn, { day: day(line.opens) }) : OFFER.opensAtOnce
  const lasts = isWhileMember ? OFFER.whileMember : formatLasts(access.lasts, day)
  return say(OFFER.dot, { one: opens, next: lasts })
}

function formatLasts(lasts: Access['lasts'], day: (when: Day) => string): string {
  if (lasts === 'forever') return OFFER.forGood
  if (lasts === 'whilePaying') return OFFER.whilePaying
  return 'until' in lasts
    ? say(OFFER.until, { day: day(lasts.until) })
    : say(OFFER.forLength, { length: formatLength(lasts) })
}
