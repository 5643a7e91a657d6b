import type { Day } from '../calendar/day.ts'
import { sayDay } from '../calendar/sayDay.ts'
import type { Amount } from '../money/arithmetic.ts'
import { formatMoney, type MoneyFormat } from '../money/format.ts'
import type { PaymentKind, Quote, QuotedLine, ScheduledPayment } from '../quote/types.ts'
import type { Access, Terms } from '../terms/terms.ts'
import { type Run, runsOf, sayRun } from './runs.ts'
import { sayLength, sayRate } from './words.ts'

/**
 * A price in words. Everything said is read off the quote's payments and days, never computed anew, so
 * that a sentence cannot say what the numbers do not hold. Amounts are what is paid, tax included.
 */
export interface Spoken {
  terms: Terms
  access: Access
  line: QuotedLine
  purchaseDay: Day
  money: MoneyFormat
}

/** The whole price in plain sentences: what is paid when, in all, and how long the course is open. */
export function sayPrice(spoken: Spoken): string {
  const { terms, line, money } = spoken
  if (terms.kind === 'free') return `Free. ${sayAccess(spoken)}`
  if (terms.kind === 'openPrice') return `${sayOpenPrice(terms.minimum, terms.suggested, money)} ${sayAccess(spoken)}`
  const clauses = [sayToday(spoken), ...laterRuns(spoken).map((run) => sayLaterRun(run, spoken))]
  const later = laterPayments(spoken)
  const all = line.payments.reduce((sum, { pay }) => sum + pay, 0)
  const inAll = later.length > 0 && !line.untilCancelled ? ` ${formatMoney(all, money)} in all.` : ''
  return `${clauses.join(', then ')}.${inAll} ${sayAccess(spoken)}`
}

/** Installments in parts: "€30.00 deposit, then 3 × €30.00; €120.00 in all". */
export function sayInParts({ line, money }: Pick<Spoken, 'line' | 'money'>): string {
  const say = (amount: Amount) => formatMoney(amount, money)
  const sumOf = (of: readonly ScheduledPayment[]) => of.reduce((sum, { pay }) => sum + pay, 0)
  const deposit = sumOf(line.payments.filter(({ kind }) => kind === 'deposit'))
  const parts = runsOf(
    line.payments.filter(({ kind }) => kind === 'regular'),
    false,
  )
  const runs = parts.map(({ pay, dues }) => (dues.length === 1 ? say(pay) : `${dues.length} × ${say(pay)}`))
  const begin = deposit > 0 ? [`${say(deposit)} deposit`] : []
  return `${[...begin, ...runs].join(', then ')}; ${say(sumOf(line.payments))} in all`
}

/** What follows today, for the line below an offer: "then €43.00 on 28 February · open for 1 year". */
export function sayLater(spoken: Spoken): string {
  const runs = laterRuns(spoken).map((run) => `then ${sayLaterRun(run, spoken)}`)
  return [...(runs.length > 0 ? [runs.join(', ')] : []), sayAccessShort(spoken)].join(' · ')
}

/** A price in a list, where there is little room: "€129", "3 × €43", "€180 + 8 × €65", "€19 a month", "from €4", "free". */
export function sayShort({ terms, line, money }: Pick<Spoken, 'terms' | 'line' | 'money'>): string {
  const short = (amount: Amount) => formatMoney(amount, money, true)
  const regular = runsOf(
    line.payments.filter(({ kind }) => kind === 'regular'),
    line.untilCancelled,
  )
  switch (terms.kind) {
    case 'free':
      return 'free'
    case 'single':
      return short(line.payments[0]?.pay ?? 0)
    case 'openPrice':
      return terms.minimum === 0 ? 'your price' : `from ${short(terms.minimum)}`
    case 'installments':
    case 'subscription': {
      const kindSum = (kind: PaymentKind) =>
        line.payments.filter((payment) => payment.kind === kind).reduce((sum, { pay }) => sum + pay, 0)
      const once = kindSum('deposit') + kindSum('setup')
      const parts = regular.map((run) => shortRun(run, terms.every, short))
      return [...(once > 0 ? [short(once)] : []), parts.join(', then ')].join(' + ')
    }
  }
}

/**
 * A price as it stands in the shop, whole and in few words: what is paid, how often, how much in all, and what comes
 * after a trial. "€129", "3 × €43 (€129 in all)", "€180 deposit + 8 × €65 (€700 in all)", "7 days free, then €19 a
 * month", "€24 to begin, then €19 a month", "from €4", "free".
 */
export function sayWhole({ terms, line, money }: Pick<Spoken, 'terms' | 'line' | 'money'>): string {
  const short = (amount: Amount) => formatMoney(amount, money, true)
  if (terms.kind !== 'installments' && terms.kind !== 'subscription') return sayShort({ terms, line, money })
  const sumOf = (kind: PaymentKind) =>
    line.payments.filter((payment) => payment.kind === kind).reduce((sum, { pay }) => sum + pay, 0)
  const regular = runsOf(
    line.payments.filter(({ kind }) => kind === 'regular'),
    line.untilCancelled,
  )
  // "€150 for the first year, then €190 a year": a first payment on sale is no price of its own.
  const isFirst = ({ dues }: Run, index: number) =>
    index === 0 && dues.length === 1 && regular.length > 1 && line.untilCancelled
  const first = terms.every.count === 1 ? `the first ${terms.every.unit}` : `the first ${sayLength(terms.every)}`
  const runs = regular
    .map((run, index) => (isFirst(run, index) ? `${short(run.pay)} for ${first}` : shortRun(run, terms.every, short)))
    .join(', then ')
  const all = line.payments.reduce((sum, { pay }) => sum + pay, 0)
  const inAll = !line.untilCancelled && line.payments.length > 1 ? ` (${short(all)} in all)` : ''
  const begin = [
    ...(sumOf('setup') > 0 ? [`${short(sumOf('setup'))} to begin`] : []),
    ...(terms.trial
      ? [
          sumOf('trial') > 0
            ? `${short(sumOf('trial'))} for ${sayLength(terms.trial.length)}`
            : `${sayLength(terms.trial.length)} free`,
        ]
      : []),
  ].join(', ')
  const deposit = sumOf('deposit') > 0 ? `${short(sumOf('deposit'))} deposit + ` : ''
  return `${begin ? `${begin}, then ` : ''}${deposit}${runs}${inAll}`
}

/**
 * The prices of a course's offers beside each other: "€129, or 3 × €43 (€129 in all)". Of many the first two are said,
 * and how many more there are.
 */
export function sayWholes(offers: readonly Pick<Spoken, 'terms' | 'line' | 'money'>[]): string {
  const said = [...new Set(offers.map(sayWhole))]
  const more = said.length - 2
  const first = said.slice(0, 2).join(', or ')
  return more > 0 ? `${first}, or ${more} more ${more === 1 ? 'price' : 'prices'}` : first
}

/** What a payment is for where it is no regular one: "Set-up fee", "First 7 days", "Deposit"; null else. */
export function namePayment({ kind }: Pick<ScheduledPayment, 'kind'>, terms: Terms): string | null {
  if (kind === 'setup') return 'Set-up fee'
  if (kind === 'deposit') return 'Deposit'
  if (kind === 'trial') return 'trial' in terms && terms.trial ? `First ${sayLength(terms.trial.length)}` : 'Trial'
  return null
}

/** What is paid today, named where it is something of its own; a trial that costs nothing too. */
export function todayInParts({
  terms,
  line,
  purchaseDay,
}: Pick<Spoken, 'terms' | 'line' | 'purchaseDay'>): { name: string | null; pay: Amount }[] {
  const parts = line.payments
    .filter(({ due }) => due === purchaseDay)
    .map((payment) => ({ name: namePayment(payment, terms), pay: payment.pay }))
  const trial = 'trial' in terms ? terms.trial : null
  const isFree = trial !== null && !line.payments.some(({ kind }) => kind === 'trial')
  return isFree ? [...parts, { name: `First ${sayLength(trial.length)}`, pay: 0 }] : parts
}

function shortRun(
  { pay, dues, endless }: Run,
  every: Parameters<typeof sayRate>[0],
  short: (amount: Amount) => string,
): string {
  if (endless) return `${short(pay)} ${sayRate(every)}`
  return dues.length === 1 ? short(pay) : `${dues.length} × ${short(pay)}`
}

/** The button that pays: "Pay €129.00", "Pay €43.00 today", "Start for €0.00 today", "Get the course". */
export function sayPayButton(today: Amount, hasLater: boolean, money: MoneyFormat): string {
  const amount = formatMoney(today, money)
  if (hasLater) return today > 0 ? `Pay ${amount} today` : `Start for ${amount} today`
  return today > 0 ? `Pay ${amount}` : 'Get the course'
}

/** The button on a course page: what the creator wrote, or what the price (and being for holders alone) makes of it. */
export function sayEnrolButton(
  { terms, line, purchaseDay, money }: Omit<Spoken, 'access'>,
  written: string,
  forHolders = false,
): string {
  if (written.trim()) return written.trim()
  if (terms.kind === 'free') return forHolders ? 'Included for members' : 'Get the course'
  if (terms.kind === 'openPrice')
    return terms.minimum === 0 ? 'Name your price' : `From ${formatMoney(terms.minimum, money)}`
  const today = line.payments.filter(({ due }) => due === purchaseDay).reduce((sum, { pay }) => sum + pay, 0)
  const hasLater = line.untilCancelled || line.payments.some(({ due }) => due > purchaseDay)
  if (today === 0 && 'trial' in terms && terms.trial) return `Try ${sayLength(terms.trial.length)} free`
  return `Enrol for ${formatMoney(today, money)}${hasLater ? ' today' : ''}`
}

function sayOpenPrice(minimum: Amount, suggested: Amount, money: MoneyFormat): string {
  const from = minimum > 0 ? `, from ${formatMoney(minimum, money)}` : ''
  return `The buyer names the price${from}; ${formatMoney(suggested, money)} is suggested.`
}

/** What is paid on the purchase day: "€240.00 to begin", "7 days free", "€1.00 today for the first 14 days". */
function sayToday({ terms, line, purchaseDay, money }: Spoken): string {
  const today = line.payments.filter(({ due }) => due === purchaseDay)
  const sum = (...kinds: PaymentKind[]) =>
    today.filter(({ kind }) => kinds.length === 0 || kinds.includes(kind)).reduce((all, { pay }) => all + pay, 0)
  const setup = sum('setup')
  const trial = 'trial' in terms ? terms.trial : null
  if (!trial) {
    if (setup > 0) return `${formatMoney(sum(), money)} to begin`
    return `${formatMoney(sum(), money)} ${sum('deposit') > 0 ? 'deposit today' : 'today'}`
  }
  const length = sayLength(trial.length)
  const begin = setup > 0 ? `${formatMoney(setup, money)} to begin, ` : ''
  const paid = sum('trial')
  if (paid === 0) return `${begin}${length} free`
  return `${begin}${formatMoney(paid, money)} ${setup > 0 ? '' : 'today '}for the first ${length}`
}

function laterPayments({ line, purchaseDay }: Spoken): ScheduledPayment[] {
  return line.payments.filter(({ due }) => due > purchaseDay)
}

function laterRuns(spoken: Spoken): Run[] {
  return runsOf(laterPayments(spoken), spoken.line.untilCancelled)
}

function sayLaterRun(run: Run, { terms, money, purchaseDay }: Spoken): string {
  const every = 'every' in terms ? terms.every : { count: 1, unit: 'day' as const }
  return sayRun(run, every, money, purchaseDay.slice(0, 4))
}

/** When the course opens and closes, as sentences. */
function sayAccess({ access, line, purchaseDay, money }: Spoken): string {
  const day = (when: Day) => sayDay(when, money.language, purchaseDay.slice(0, 4))
  const opens = line.opens > purchaseDay ? `Opens on ${day(line.opens)}` : 'Open'
  const from = line.opens > purchaseDay ? ' and stays open' : ''
  if (access.lasts === 'whilePaying') {
    const grace =
      access.graceDays > 0 ? ` and ${access.graceDays} ${access.graceDays === 1 ? 'day' : 'days'} longer` : ''
    return `${opens}${from} while it is paid${grace}.`
  }
  return line.closes ? `${opens}${from} until ${day(line.closes)}.` : `${opens}${from} for good.`
}

function sayAccessShort({ access, line, purchaseDay, money }: Spoken): string {
  const opens =
    line.opens > purchaseDay
      ? `opens on ${sayDay(line.opens, money.language, purchaseDay.slice(0, 4))}`
      : 'opens at once'
  if (access.lasts === 'forever') return `${opens} · yours for good`
  if (access.lasts === 'whilePaying') return `${opens} · while you pay`
  if ('until' in access.lasts)
    return `${opens} · until ${sayDay(access.lasts.until, money.language, purchaseDay.slice(0, 4))}`
  return `${opens} · for ${sayLength(access.lasts)}`
}

/**
 * Whether all that is to come is one thing that goes on until it is cancelled: then its next payment "and so on" says it.
 * Of several, one may end or come on other days than another.
 */
export function isOneUntilCancelled({ lines, purchaseDay }: Pick<Quote, 'lines' | 'purchaseDay'>): boolean {
  const toCome = lines.filter(
    ({ untilCancelled, payments }) => untilCancelled || payments.some(({ due }) => due > purchaseDay),
  )
  return toCome.length === 1 && toCome[0]?.untilCancelled === true
}
