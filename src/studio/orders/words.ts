import { sayDay } from '../../core/calendar/sayDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import type { MessageKind } from '../../server/client.ts'
import type { StateShape } from '../../ui/State.tsx'

interface Agreed {
  kind: string
  state: 'active' | 'completed' | 'stopped' | 'cancelled'
  tries: number
  collected: number
  count: number | null
}

interface StandingOrder {
  state: 'open' | 'paying' | 'paid'
  payToday: number
  currency: string
  /** What was collected for it, and what of that went back. */
  received: number
  refunded: number
  /** What has come of a transfer that is not complete. */
  came: number
  /** Of an unpaid order the state and gateway of its newest attempt. */
  last: string | null
  /** Of several, the one that asks for somebody first. */
  agreement: Agreed | null
  /** How many things it holds. */
  lines: number
}

/** What of an order says how its payments stand. */
interface PaidOrder {
  today: string
  awaited: unknown
  quote: { purchaseDay: string }
  agreements: readonly { lineId: string; state: string; tries: number }[]
}

/** How an order stands as shape and word: what it waits for, how far its later payments have come, what went back. */
export function orderState(order: StandingOrder, money: MoneyFormat): readonly [StateShape, string] {
  const say = (amount: number) => formatMoney(amount, { ...money, currency: order.currency })
  if (order.state !== 'paid') return unpaidState(order, say)
  const { received, refunded, agreement } = order
  if (refunded > 0 && refunded >= received) return ['off', 'refunded']
  const [shape, word] = agreement ? agreedState(agreement, order.lines) : (['received', 'paid'] as const)
  return [shape, refunded > 0 ? `${word}, ${say(refunded)} refunded` : word]
}

function unpaidState(
  { last, came, payToday }: StandingOrder,
  say: (amount: number) => string,
): readonly [StateShape, string] {
  const [attempt, gateway] = (last ?? '').split(' ')
  switch (attempt) {
    case 'awaiting':
      if (came > 0) return ['awaited', `${say(came)} received, ${say(payToday - came)} missing`]
      return ['awaited', gateway === 'transfer' ? 'waits for the transfer' : 'money on its way']
    case 'confirming':
      return ['awaited', 'waits for approval']
    case 'started':
    case 'unknown':
      return ['awaited', 'being looked up']
    case 'declined':
      return ['failed', 'declined']
    case 'abandoned':
      return ['off', 'not finished']
    default:
      return ['due', 'not paid']
  }
}

/** Of several things the counts of one say little: it is paid, and goes on, unless one of them needs a look. */
function agreedState(agreement: Agreed, lines: number): readonly [StateShape, string] {
  const needsALook = agreement.state === 'stopped' || (agreement.state === 'active' && agreement.tries > 0)
  if (lines === 1 || needsALook) return agreementState(agreement)
  return ['received', agreement.state === 'active' ? 'paid, goes on' : 'paid']
}

/** Of the agreements of an order the one that asks for somebody first: late, then stopped, then going on. */
export function firstAgreement<A extends Pick<Agreed, 'state' | 'tries'>>(agreements: readonly A[]): A | null {
  const rank = ({ state, tries }: A) => (state === 'active' ? (tries > 0 ? 0 : 2) : state === 'stopped' ? 1 : 3)
  return [...agreements].sort((a, b) => rank(a) - rank(b))[0] ?? null
}

function agreementState(agreement: Agreed): readonly [StateShape, string] {
  const { collected, count, tries, kind } = agreement
  const came =
    collected === 0 ? 'begun' : count === null ? `${collected} received` : `${collected} of ${count} received`
  switch (agreement.state) {
    case 'active':
      return tries > 0 ? ['late', `payment ${collected + 1} is late`] : ['received', came]
    case 'completed':
      return ['received', `all ${collected} received`]
    case 'stopped':
      return ['failed', kind === 'subscription' ? 'stopped' : `stopped, ${came}`]
    case 'cancelled':
      return ['off', kind === 'installments' ? `ended, ${came}` : 'cancelled']
  }
}

/** A payment's standing as shape and word, as Money has it. */
export function paymentState(
  { state, due, lineId }: { state: string; due: string; lineId: string },
  order: PaidOrder,
): readonly [StateShape, string] {
  if (state === 'collected') return ['received', 'received']
  if (state === 'let-go') return ['off', 'let go']
  if (order.awaited && due === order.quote.purchaseDay) return ['awaited', 'awaited']
  const agreement = order.agreements.find((other) => other.lineId === lineId)
  if (agreement?.state === 'stopped') return ['failed', 'given up']
  const isTried = agreement !== undefined && agreement.tries > 0 && due <= order.today
  return agreement && (isTried || due < order.today) ? ['late', 'late'] : ['due', 'to come']
}

/** What an order came to: what was received for it so far, or what it was placed for; "free" where nothing comes later either. */
export function sayWorth(
  { state, payToday, currency, received, agreement }: StandingOrder,
  money: MoneyFormat,
): string {
  if (payToday === 0 && !agreement) return 'free'
  return formatMoney(state === 'paid' ? received : payToday, { ...money, currency })
}

/** An attempt's state as shape and word. */
export function attemptState(state: string, reason: string | null): readonly [StateShape, string] {
  switch (state) {
    case 'collected':
      return ['received', 'collected']
    case 'declined':
      return ['failed', `declined: ${reasonInWords(reason)}`]
    case 'abandoned':
      return ['off', 'not finished']
    case 'confirming':
      return ['awaited', 'waits for the buyer’s approval']
    case 'awaiting':
      return ['awaited', 'the money is awaited']
    case 'unknown':
      return ['late', 'no answer yet, being looked up']
    default:
      return ['awaited', 'on its way']
  }
}

export function reasonInWords(reason: string | number | null | undefined): string {
  switch (reason) {
    case 'not-enough-money':
      return 'not enough money'
    case 'refused-by-buyer':
      return 'refused by the buyer'
    case 'expired':
      return 'card expired'
    case 'bad-token':
      return 'card details not usable'
    case 'no-method':
      return 'nothing to charge it to'
    case 'over-limit':
      return 'more than the wallet allows'
    case 'approval-ended':
      return 'approval ended in the wallet'
    case 'not-arrived':
      return 'the transfer did not arrive'
    default:
      return 'refused'
  }
}

const MESSAGES: Record<MessageKind, string> = {
  receipt: 'receipt',
  password: 'password link',
  given: 'news of the course',
  collected: 'a payment came',
  declined: 'a payment did not come',
  stopped: 'payments have stopped',
  cancelled: 'cancelled',
  'method-changed': 'another card',
  'card-expiring': 'the card ends soon',
  awaiting: 'how to pay, or that it is awaited',
  'not-arrived': 'the money did not arrive',
  refunded: 'money given back',
  'already-owned': 'the course is theirs already',
  'paid-twice': 'paid twice',
  'due-moved': 'the due day was moved',
  'cancel-taken-back': 'it goes on',
  'renewal-ahead': 'it renews soon',
  'pay-link': 'link to pay',
  'told-declined': 'to you: a payment did not come',
  'told-stopped': 'to you: payments have stopped',
  'told-cancelled': 'to you: cancelled by the buyer',
  'told-disputed': 'to you: a payment is disputed',
  'told-dispute-ended': 'to you: how a dispute ended',
  'told-sold': 'to you: you sold something',
}

export function messageKind(kind: string | number | null | undefined): string {
  return MESSAGES[kind as MessageKind] ?? String(kind)
}

interface Entry {
  what: string
  data: Record<string, string | number | null>
}

/** One row of a journal in plain words. */
export function journalInWords({ what, data }: Entry, money: MoneyFormat): string {
  const amount = typeof data.amount === 'number' ? formatMoney(data.amount, money) : ''
  const source =
    data.source === 'event' ? ', by the gateway’s event' : data.source === 'lookup' ? ', found by looking it up' : ''
  const day = (when: string | number | null | undefined) => sayDay(String(when), money.language)
  switch (what) {
    case 'order-placed':
      return `Ordered, for ${amount}`
    case 'order-changed':
      return `Ordered again, for ${amount}`
    case 'attempt-started':
      return `Asked the gateway for ${amount}`
    case 'attempt-unknown':
      return 'The gateway did not answer; looking it up by its key'
    case 'attempt-confirming':
      return 'The bank asks the buyer to approve'
    case 'attempt-awaiting':
      return `Waits for the money${data.reference ? `, reference ${data.reference}` : ''}${source}`
    case 'attempt-declined':
      return `Declined: ${reasonInWords(data.reason)}${source}`
    case 'attempt-abandoned':
      return `Not finished by the buyer${source}; nothing was charged`
    case 'attempt-collected':
      return `Collected ${amount}${data.method ? ` by ${data.method}` : ''}${source}`
    case 'attempt-surplus':
      return `The gateway collected ${amount} once more (${data.reference}). Give it back there.`
    case 'attempt-mismatch':
      return `The gateway reports another amount than it was asked for (${data.reference}). Nothing was settled by it.`
    case 'order-paid':
      return 'Paid'
    case 'order-paid-twice':
      return `Paid twice: ${amount} received after another order had opened the course. It opens nothing; refund it.`
    case 'agreement-begun':
      return `Later payments are agreed${data.method ? `, by ${data.method}` : ''}`
    case 'agreement-goes-on':
      return 'Goes on again'
    case 'agreement-stopped':
      return data.note ? `Not chased any more: “${data.note}”` : 'Stopped: the last try was declined too'
    case 'agreement-completed':
      return 'All payments have come'
    case 'agreement-cancelled':
      return `Cancelled by the ${data.by}, ${data.when === 'now' ? 'and closed at once' : 'for the end of the period'}`
    case 'payment-collected':
      return `Payment ${data.n}: ${amount} collected${data.method ? ` by ${data.method}` : ''}${source}`
    case 'payment-settled':
      return `Payment ${data.n}: nothing to pay`
    case 'payment-declined':
      return `Payment ${data.n}: ${amount} declined, ${reasonInWords(data.reason)}${source}`
    case 'due-moved':
      return `Payment ${data.n} moved from ${day(data.from)} to ${day(data.to)}: “${data.reason}”`
    case 'method-changed':
      return `Charged to ${data.method} from now on`
    case 'cancel-taken-back':
      return `The cancelling was taken back${data.by ? ` by the ${data.by}` : ''}`
    case 'transfer-came':
      return `Marked as received: ${amount}, on ${day(data.day)}${data.note ? `. “${data.note}”` : ''}`
    case 'transfer-taken-back':
      return `Taken back: ${amount} did not come. “${data.note}”`
    case 'written-off':
      return `Written off: ${amount} is not expected any more. “${data.note}”`
    case 'dispute-decided':
      return `${data.access === 'close' ? 'The course is closed' : 'The buyer keeps the course'} after the lost dispute: “${data.note}”`
    case 'transfer-surplus':
      return `Received for the paid order: ${amount}, on ${day(data.day)}. Give it back.${data.note ? ` “${data.note}”` : ''}`
    case 'transfer-given-back':
      return `Given back at the bank: ${amount}. “${data.note}”`
    case 'person-joined':
      return data.name ? `Joined with ${data.name}, ${data.email}: “${data.note}”` : 'Joined with another person'
    case 'person-erased':
      return `Personal data deleted: “${data.note}”`
    case 'address-changed':
      return data.to
        ? `Postal address changed to “${String(data.to).replace(/\n+/g, ', ')}”${noted(data)}`
        : 'Postal address changed'
    case 'transfer-given-up':
      return 'The transfer is not waited for any more'
    case 'refund-started':
      return `Giving back ${amount}, ${data.access === 'close' ? 'and closing the course' : 'and leaving the course'}: “${data.note}”`
    case 'refunded':
      return `Given back: ${amount}${data.reference ? '' : ', by hand'}`
    case 'refund-refused':
      return `Not given back, ${amount}: ${data.why}`
    case 'dispute-opened':
      return `Disputed, ${amount}: ${data.reason}`
    case 'dispute-answered':
      return `${data.answer === 'contested' ? 'Contested' : 'Given up'}: “${data.note}”`
    case 'dispute-ended':
      return data.state === 'won' ? `Dispute won; ${amount} stays` : `Dispute lost; ${amount} went back`
    case 'course-shut':
      return `The course is shut again: “${data.note}”`
    case 'message-off':
      return `Not told, because it is switched off: ${messageKind(data.kind)}`
    case 'course-opened':
      return `Opened ${data.course}${data.closes ? ` until ${day(data.closes)}` : ' for good'}`
    case 'course-given':
      return `Given by hand: ${data.course}. “${data.note}”`
    case 'course-taken-back':
      return `Taken back: ${data.course}. “${data.note}”`
    case 'message-queued':
      return `Message on its way: ${messageKind(data.kind)}`
    case 'message-sent':
      return `Message sent: ${messageKind(data.kind)}`
    case 'message-failed':
      return `Message could not be sent yet: ${messageKind(data.kind)} (${data.why})`
    case 'email-changed':
      return data.to ? `Email changed from ${data.from} to ${data.to}${noted(data)}` : 'Email changed'
    case 'name-changed':
      return data.to ? `Name changed from “${data.from}” to “${data.to}”${noted(data)}` : 'Name changed'
    case 'password-set':
      return 'The buyer set a password'
    default:
      return what
  }
}

/** Why it was done, where somebody said so. */
function noted({ note }: Entry['data']): string {
  return note ? `: “${note}”` : ''
}
