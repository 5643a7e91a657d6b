import type { MessageKind } from '../db/schema/messages.ts'

/**
 * Everything that can happen to an order or a person, with what is said of it: the one list for the history, for files,
 * and for whoever is told of it. What is stored keeps its words; a new version may say more, never something else.
 */
export interface Happened {
  'order-placed': Money
  'order-changed': Money
  'order-paid': Money
  /** Something of it was opened by another order meanwhile; so much was paid for that. */
  'order-paid-twice': Money
  /** `n` numbers the later payment that is tried, the first of several. */
  'attempt-started': Money & { key: string; n?: number }
  'attempt-unknown': { why: string }
  'attempt-confirming': { reference: string }
  'attempt-awaiting': { reference: string; method: string | null; source: string }
  'attempt-declined': Declined
  'attempt-abandoned': { source: string }
  'attempt-collected': Collected
  /** The gateway took money for what was paid, or closed, already. */
  'attempt-surplus': Money & { key: string; reference: string }
  /** The gateway took other money (`amount` in `said`) than was asked for (`asked` in `currency`). */
  'attempt-mismatch': Money & { key: string; reference: string; asked: number; said: string }
  'charging-again': Money & { course: string; method: string | null }
  'agreement-begun': { method: string | null }
  'agreement-goes-on': Nothing
  'agreement-stopped': { note?: string }
  'agreement-completed': Nothing
  'agreement-cancelled': { when: 'now' | 'period-end'; by: string }
  'cancel-taken-back': { by: string }
  'payment-collected': Collected & { n: number }
  /** One of nothing. */
  'payment-settled': { n: number }
  'payment-declined': Money & Declined & { n: number | null }
  'due-moved': { n: number; from: string; to: string; reason: string }
  'written-off': Money & { note: string }
  'method-changed': { method: string }
  'transfer-came': Money & { day: string; note: string }
  'transfer-surplus': Money & { day: string; note: string }
  'transfer-taken-back': Money & { note: string }
  'transfer-given-back': Money & { note: string }
  'transfer-given-up': Nothing
  'transfer-ended': Nothing
  'transfer-waits-again': Nothing
  'refund-started': Money & { note: string; access: string }
  /** `whole`: what the gateway refunded, where a part of it was charged again. */
  refunded: Money & { reference: string | null; whole?: number }
  /** Later payments, from number `n` on, no longer pay for what was refunded. */
  'later-lowered': Money & { n: number; before: number }
  'refund-refused': Money & { why: string }
  'dispute-opened': Money & { reason: string }
  'dispute-ended': Money & { state: string }
  'dispute-answered': { answer: 'given-up' | 'contested'; note: string }
  'dispute-decided': { access: string; note: string }
  'code-over-limit': { code: string }
  'code-given-back': { code: string }
  'code-released': { code: string }
  'course-opened': { course: string; opens: string; closes: string | null }
  'course-given': { course: string; note: string }
  /** The last day of an access that was given by hand; null: for good. */
  'access-until': { course: string; until: string | null; note: string }
  /** Its course opens on another day now. */
  'opening-moved': { course: string; from: string; to: string }
  'course-taken-back': { course: string; note: string }
  /** All that an order opened, since its money was not there after all. */
  'course-shut': { note: string }
  /** Of the order after which it was offered. */
  'upsell-taken': { title: string }
  'upsell-refused': { title: string }
  'message-queued': { kind: MessageKind }
  'message-sent': { kind: MessageKind; to: string }
  'message-failed': { kind: MessageKind; why: string }
  'message-off': { kind: MessageKind }
  'password-set': Nothing
  'email-changed': Renamed
  'name-changed': Renamed
  'address-changed': Renamed
  'person-joined': { name: string; email: string; note: string }
  'person-erased': { note: string }
}

/** In minor units. */
type Money = { amount: number; currency: string }
type Nothing = Record<string, never>
type Collected = Money & { reference: string; method: string; source: string }
type Declined = { reason: string; reference: string; method: string | null; source: string }
type Renamed = { from: string | null; to: string | null; note?: string }

export type JournalEntry = keyof Happened

/** What an event is about: an order, a person, or both. */
export interface About {
  orderId?: string | null
  personId?: string | null
}

/** What is said of an event of a kind; left out where there is nothing to say. */
export type Said<K extends JournalEntry> = Nothing extends Happened[K] ? { data?: Happened[K] } : { data: Happened[K] }

/** One thing that happened, not written yet. */
export type JournalEvent = { [K in JournalEntry]: { about: About; what: K } & Said<K> }[JournalEntry]
