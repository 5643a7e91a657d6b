import type { FeeTerms } from '../core/money/fee.ts'
import type { CollectingMethod } from '../core/paymentMethods/collects.ts'

/**
 * What the product asks of a payment gateway. An adapter is an object of this shape; what it can
 * do is data, the rest are verbs. Amounts are whole minor units. Every call that may move money
 * carries an idempotency key: the same key twice is one charge.
 */
export interface Adapter {
  readonly id: string
  readonly capabilities: Capabilities
  /** Asks the gateway whether the credentials are good, and for which mode. Moves nothing. */
  verify(credentials: Credentials): Promise<Verification>
  /** Has the gateway send its events to `url`; asking again for the same url gives the same secret. */
  listen(credentials: Credentials, url: string): Promise<{ signingSecret: string }>
  /**
   * Where the buyer's browser finds the gateway's own payment fields; null where it has none to be framed. `at` is
   * the product's clock, as in {@link Credentials}.
   */
  fieldsUrl(account: string, mode: GatewayMode, at: string): string | null
  begin(credentials: Credentials, payment: NewPayment): Promise<Outcome>
  /** Keeps a method for later charges without charging it now; only where it `chargesAgain`. */
  keep(credentials: Credentials, method: { key: string; token: string }): Promise<SavedReference>
  /** Forgets a saved method, so that it is charged no more. One that is not known, or forgotten already, is as well. */
  forget(credentials: Credentials, reference: string): Promise<void>
  /** What became of a key. Moves nothing. */
  lookUp(credentials: Credentials, key: string): Promise<Outcome>
  /**
   * Makes sure that a key can no longer be charged, a key that the gateway has not seen yet too,
   * and says what became of it: `collected` where it was charged already.
   */
  abandon(credentials: Credentials, key: string): Promise<Outcome>
  /**
   * Every payment that was collected since an instant of real time, by whatever call, oldest first. Moves nothing; what
   * our own books have lost is found by it.
   */
  listCollected(credentials: Credentials, since: Date): Promise<Collected[]>
  /** Gives back a part of what was collected, or all of it. The same key twice gives back once, so it may be asked again. */
  refund(credentials: Credentials, refund: NewRefund): Promise<RefundOutcome>
  /** Gives a disputed payment up, or stands by it; the gateway then decides. Absent where there are no disputes. */
  answerDispute?(credentials: Credentials, answer: { reference: string; accept: boolean }): Promise<Dispute>
  /**
   * Checks signature and age of an event and reads it.
   * @throws EventRefused where either is wrong, EventUnreadable where it is signed and cannot be read.
   */
  readEvent(signingSecret: string, headers: Record<string, string>, body: string): GatewayEvent
}

export type GatewayMode = 'practice' | 'live'

export interface Credentials {
  account: string
  secret: string
  /**
   * The product's clock, as an RFC 3339 instant. Practice time may run ahead; a gateway's practice side goes by
   * it, so that a card expires and a transfer arrives when practice time is moved. Live, it is not looked at.
   */
  at?: string
}

export interface Capabilities extends CollectingMethod {
  /** What the buyer reads at the checkout: "Card". */
  method: string
  /**
   * embedded: fields in a frame on our page · redirect: the buyer goes to the gateway's page and comes back ·
   * offline: the buyer pays elsewhere, and someone says that it came.
   */
  style: 'embedded' | 'redirect' | 'offline'
  refunds: 'none' | 'whole' | 'part'
  /** Whether the outcome is known with the answer, or hours later by an event. */
  known: 'at-once' | 'later'
  fee: FeeTerms
  /** Whether it must be the only one offered: never, or where the account's own terms say so (`verify` tells). */
  standsAlone: 'never' | 'by-account'
}

export type Verification =
  | { ok: true; mode: GatewayMode; accountName: string; standsAlone: boolean }
  | { ok: false; why: 'unknown-account' | 'wrong-key' }

export interface NewPayment {
  key: string
  amount: number
  currency: string
  /**
   * What is charged: the token that the gateway's own fields gave the browser in place of a card number; what
   * the buyer approves on the gateway's page, from where they come back to `returnUrl` (`keep` where either is
   * to be charged again later); or a method kept before.
   */
  source: { token: string; keep: boolean } | { returnUrl: string; keep: boolean } | { savedMethod: string }
  /** Our reference, shown in the gateway's books. */
  reference: string
  /** Up to 22 characters on the buyer's statement. */
  statement: string
}

export interface NewRefund {
  key: string
  /** The gateway's reference of the payment. */
  reference: string
  amount: number
}

/** A method that can be charged again, by the gateway's own reference. */
export interface SavedReference {
  reference: string
  /** In words, "card ending 4821". */
  method: string
  /** The last day on which it can be charged; null where it does not end by itself. */
  expires: string | null
}

/** A payment that the buyer has their bank ask back. It moves nothing by itself. */
export interface Dispute {
  /** The gateway's reference of the dispute. */
  reference: string
  /** The idempotency key of the payment. */
  key: string
  amount: number
  reason: string
  /** open: an answer is awaited · contested: the gateway decides · won: the money stays · lost: it went back. */
  state: 'open' | 'contested' | 'won' | 'lost'
}

/** What became of a payment. `absent`: the gateway has never seen the key. */
export type Outcome =
  | {
      state: 'collected'
      reference: string
      amount: number
      currency: string
      fee: number
      method: string
      /** The reference of the saved method, where it was to be kept. */
      savedMethod: string | null
      /** The last day on which the method can be charged. */
      expires: string | null
    }
  | { state: 'declined'; reference: string; reason: DeclineReason; method: string | null }
  /** The buyer is asked to approve: in a frame at `url`, or there and back where the gateway redirects. */
  | { state: 'confirming'; reference: string; url: string }
  /** The buyer has done their part; whether the money comes is known hours or days later. */
  | { state: 'awaited'; reference: string; method: string | null }
  | { state: 'abandoned' }
  | { state: 'absent' }

/** `no-method`: there is no saved method that could be charged; the gateway was not asked. */
export const DECLINE_REASONS = [
  'not-enough-money',
  'refused-by-buyer',
  'expired',
  'bad-token',
  'no-method',
  'over-limit',
  'approval-ended',
  'not-arrived',
  'refused',
] as const
export type DeclineReason = (typeof DECLINE_REASONS)[number]

/** A payment in the gateway's books. */
export interface Collected {
  key: string
  outcome: Extract<Outcome, { state: 'collected' }>
  /** What it was for, as we said when it began. */
  about: string
  /** When it was collected, as an RFC 3339 instant of real time. */
  at: string
}

export type RefundOutcome = { state: 'refunded'; reference: string } | { state: 'refused'; why: string }

export type GatewayEvent =
  | { id: string; type: string; payment: { key: string; outcome: Outcome }; dispute: null }
  | { id: string; type: string; payment: null; dispute: Dispute | null }

/** The gateway did not answer: whether money moved is not known. */
export class GatewayUnreachable extends Error {
  override name = 'GatewayUnreachable'
}

/** The gateway answered that it will not do this; nothing moved. */
export class GatewayRefused extends Error {
  override name = 'GatewayRefused'
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message)
  }
}

/** An event that is rightly signed, and of a shape that this version does not know. */
export class EventUnreadable extends Error {
  override name = 'EventUnreadable'
  constructor(
    /** The sender's id of it, which its signature covers. */
    readonly id: string,
    message: string,
  ) {
    super(message)
  }
}

/** An event whose signature or age is wrong. */
export class EventRefused extends Error {
  override name = 'EventRefused'
}
