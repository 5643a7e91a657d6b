import { formatDay, formatDayShort } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import type { MessageKind } from '../../server/client.ts'
import type { StateShape } from '../../ui/State.tsx'

interface Agreed {
  kind: string
  state: 'active' | 'completed' | 'stopped' | 'cancelled'
  tries: number
  collected: number
  count: number | null
  /** The day of the next charge. */
  chargedNext: string | null
}

interface StandingOrder {
  state: 'open' | 'paying' | 'paid'
  payToday: number
  currency: string
  /** What was collected for it, and what of that went back. */
  received: number
  refunded: number
  /** A payment of it is disputed, and not decided yet. */
  disputed: boolean
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
  if (order.disputed) return ['late', 'disputed']
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
      return ['awaited', gateway === 'transfer' ? 'waiting for the transfer' : 'money on its way']
    case 'confirming':
      return ['awaited', 'waiting for approval']
    case 'started':
    case 'unknown':
      return ['awaited', 'checking with the gateway']
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
  return ['received', agreement.state === 'active' ? 'paid, more to come' : 'paid']
}

/** Of the agreements of an order the one that asks for somebody first: late, then stopped, then going on. */
export function firstAgreement<A extends Pick<Agreed, 'state' | 'tries'>>(agreements: readonly A[]): A | null {
  const rank = ({ state, tries }: A) => (state === 'active' ? (tries > 0 ? 0 : 2) : state === 'stopped' ? 1 : 3)
  return [...agreements].sort((a, b) => rank(a) - rank(b))[0] ?? null
}

function agreementState(agreement: Agreed): readonly [StateShape, string] {
  const { collected, count, tries, kind, chargedNext } = agreement
  const paid = collected === 0 ? 'begun' : `${collected} of ${count} paid`
  const goesOn = kind === 'subscription' && count === null && chargedNext !== null
  const renews =
    chargedNext === null ? '' : `${collected === 0 ? 'first payment' : 'renews'} on ${formatDayShort(chargedNext, '')}`
  switch (agreement.state) {
    case 'active':
      return tries > 0 ? ['late', `payment ${collected + 1} overdue`] : ['received', goesOn ? renews : paid]
    case 'completed':
      return ['received', `all ${collected} paid`]
    case 'stopped':
      return ['failed', kind === 'subscription' ? 'stopped' : `stopped, ${paid}`]
    case 'cancelled':
      return ['off', kind === 'installments' ? `ended, ${paid}` : 'cancelled']
  }
}

/** A payment's status as shape and word, as Money has it. */
export function paymentState(
  { state, due, lineId }: { state: string; due: string; lineId: string },
  order: PaidOrder,
): readonly [StateShape, string] {
  if (state === 'collected') return ['received', 'paid']
  if (state === 'written-off') return ['off', 'written off']
  if (order.awaited && due === order.quote.purchaseDay) return ['awaited', 'waiting']
  const agreement = order.agreements.find((other) => other.lineId === lineId)
  if (agreement?.state === 'stopped') return ['failed', 'not retried']
  const isTried = agreement !== undefined && agreement.tries > 0 && due <= order.today
  return agreement && (isTried || due < order.today) ? ['late', 'overdue'] : ['due', 'to come']
}

/** What an order came to: what was received for it so far, or what it was placed for; "free" where nothing comes later either. */
export function formatWorth(
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
      return ['awaited', 'waiting for the buyer’s approval']
    case 'awaiting':
      return ['awaited', 'waiting for the money']
    case 'unknown':
      return ['late', 'no answer yet, checking']
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
      return 'no payment method'
    case 'over-limit':
      return 'more than the wallet allows'
    case 'approval-ended':
      return 'approval ended in the wallet'
    case 'not-arrived':
      return 'no transfer received'
    default:
      return 'refused'
  }
}

const MESSAGES: Record<MessageKind, string> = {
  receipt: 'receipt',
  password: 'password link',
  given: 'access given',
  collected: 'payment received',
  declined: 'payment failed',
  stopped: 'payments have stopped',
  cancelled: 'cancelled',
  'method-changed': 'payment method changed',
  'card-expiring': 'card expires soon',
  awaiting: 'how to pay',
  'not-arrived': 'no transfer received',
  'transfer-part': 'part of a transfer received',
  'transfer-surplus': 'too much received',
  opened: 'course opens',
  'opening-moved': 'opening moved',
  'ends-soon': 'access ends soon',
  refunded: 'refund',
  'already-owned': 'already bought',
  'paid-twice': 'paid twice',
  'code-refused': 'code not usable',
  'bundle-grew': 'course added to a bundle',
  'due-moved': 'payment date moved',
  'cancel-taken-back': 'no longer cancelled',
  'renewal-ahead': 'renews soon',
  'pay-link': 'payment link',
  'creator-declined': 'to you: payment failed',
  'creator-stopped': 'to you: payments have stopped',
  'creator-cancelled': 'to you: cancelled by the buyer',
  'creator-disputed': 'to you: a payment is disputed',
  'creator-dispute-ended': 'to you: dispute decided',
  'creator-sold': 'to you: new sale',
  'creator-awaiting': 'to you: ordered by bank transfer',
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
    data.source === 'event' ? ', reported by the gateway' : data.source === 'lookup' ? ', found by checking' : ''
  const day = (when: string | number | null | undefined) => formatDay(String(when), money.language)
  switch (what) {
    case 'order-placed':
      return `Ordered, for ${amount}`
    case 'order-changed':
      return `Ordered again, for ${amount}`
    case 'attempt-started':
      return `Asked the gateway for ${amount}`
    case 'attempt-unknown':
      return 'The gateway did not answer; checking what happened'
    case 'attempt-confirming':
      return 'The bank asks the buyer to approve'
    case 'attempt-awaiting':
      return `Waiting for the money${data.reference ? `, reference ${data.reference}` : ''}${source}`
    case 'attempt-declined':
      return `Declined: ${reasonInWords(data.reason)}${source}`
    case 'attempt-abandoned':
      return `Not finished by the buyer${source}; nothing was charged`
    case 'attempt-collected':
      return `Collected ${amount}${data.method ? ` by ${data.method}` : ''}${source}`
    case 'attempt-surplus':
      return `The gateway collected ${amount} a second time (${data.reference}). Refund it there.`
    case 'attempt-mismatch':
      return `The gateway reports a different amount than we asked for (${data.reference}). It was not counted.`
    case 'order-paid':
      return 'Paid'
    case 'order-paid-twice':
      return `Paid twice: ${amount} received for what another order had opened. Refund it.`
    case 'agreement-begun':
      return `Later payments are agreed${data.method ? `, by ${data.method}` : ''}`
    case 'agreement-goes-on':
      return 'Payments resumed'
    case 'agreement-stopped':
      return data.note ? `Not retried any more: “${data.note}”` : 'Stopped: the last retry was declined too'
    case 'agreement-completed':
      return 'All payments received'
    case 'agreement-cancelled':
      return `Cancelled by the ${data.by}, ${data.when === 'now' ? 'and access ended at once' : 'at the end of the period'}`
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
      return `No longer cancelled${data.by ? ` by the ${data.by}` : ''}`
    case 'transfer-came':
      return `Marked as received: ${amount}, on ${day(data.day)}${data.note ? `. “${data.note}”` : ''}`
    case 'transfer-taken-back':
      return `Mark undone: ${amount} was not received. “${data.note}”`
    case 'written-off':
      return `Written off: ${amount}. “${data.note}”`
    case 'dispute-decided':
      return `${data.access === 'close' ? 'Access ended' : 'Access kept'} after the lost dispute: “${data.note}”`
    case 'transfer-surplus':
      return `Received although the order is paid: ${amount}, on ${day(data.day)}. Return it.${data.note ? ` “${data.note}”` : ''}`
    case 'transfer-given-back':
      return `Returned at the bank: ${amount}. “${data.note}”`
    case 'person-joined':
      return data.name ? `Joined with ${data.name}, ${data.email}: “${data.note}”` : 'Joined with another person'
    case 'person-erased':
      return `Personal data deleted: “${data.note}”`
    case 'address-changed':
      return data.to
        ? `Postal address changed to “${String(data.to).replace(/\n+/g, ', ')}”${noted(data)}`
        : 'Postal address changed'
    case 'transfer-ended':
      return 'No transfer came in time: we wait no longer'
    case 'transfer-waits-again':
      return 'Waiting for the transfer again'
    case 'code-over-limit':
      return `Code ${data.code} was used more often than it allows`
    case 'later-lowered':
      return `Later payments are lowered to ${amount}, from payment ${data.n} on`
    case 'access-until':
      return `Access to ${data.course} ${data.until ? `lasts until ${formatDay(String(data.until), money.language)}` : 'lasts for good'} now${data.note ? `: “${data.note}”` : ''}`
    case 'opening-moved':
      return `${data.course} opens on ${formatDay(String(data.to), money.language)} now, not on ${formatDay(String(data.from), money.language)}`
    case 'upsell-taken':
      return `“${data.title}” was offered after it: yes`
    case 'upsell-refused':
      return `“${data.title}” was offered after it: no`
    case 'code-given-back':
      return `Code ${data.code} can be used again`
    case 'code-released':
      return `Code ${data.code} is no longer held for this order. It keeps its price`
    case 'transfer-given-up':
      return 'Stopped waiting for the transfer'
    case 'refund-started':
      return `Refund of ${amount} started, ${data.access === 'close' ? 'access ends' : 'access stays open'}: “${data.note}”`
    case 'charging-again':
      return `Charging ${amount} again for “${data.course}”, so that the payment can be refunded as a whole`
    case 'refunded':
      if (data.whole) return `Refunded: ${amount}, with the whole payment of ${formatMoney(Number(data.whole), money)}`
      return `Refunded: ${amount}${data.reference ? '' : ', by hand'}`
    case 'refund-refused':
      return `Refund of ${amount} refused: ${data.why}`
    case 'dispute-opened':
      return `Disputed, ${amount}: ${data.reason}`
    case 'dispute-answered':
      return `${data.answer === 'contested' ? 'Contested' : 'Accepted'}: “${data.note}”`
    case 'dispute-ended':
      return data.state === 'won' ? `Dispute won; you keep ${amount}` : `Dispute lost; ${amount} was returned`
    case 'course-shut':
      return `Access ended: “${data.note}”`
    case 'message-off':
      return `Not sent, because it is switched off: ${messageKind(data.kind)}`
    case 'course-opened':
      return `Access opened: ${data.course}${data.closes ? `, until ${day(data.closes)}` : ', without an end'}`
    case 'course-given':
      return `Access given: ${data.course}. “${data.note}”`
    case 'course-taken-back':
      return `Access removed: ${data.course}. “${data.note}”`
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
