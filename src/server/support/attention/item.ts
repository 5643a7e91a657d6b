import type { Day } from '../../../core/calendar/day.ts'
import type { Database } from '../../db/client.ts'
import type { Mode } from '../../db/schema/columns.ts'

/** What a person should look at, the most pressing first. */
export const ATTENTION_KINDS = [
  'clock',
  'disputed',
  'paid-twice',
  'paid-too-late',
  'dispute-lost',
  'surplus-transfer',
  'surplus',
  'mismatch',
  'code-over-limit',
  'unknown-payment',
  'unreadable-event',
  'refund-refused',
  'stopped',
  'late',
  'transfer',
  'unknown',
  'message-failed',
  'expiring',
] as const
export type AttentionKind = (typeof ATTENTION_KINDS)[number]

export interface AttentionItem {
  kind: AttentionKind
  /** Null where it belongs to no order. */
  orderId: string | null
  /** Where it belongs to a buyer, and to no order. */
  personId?: string
  number: number | null
  buyer: string
  /** The course, or the gateway where it belongs to no order. */
  course: string
  /** In minor units; null where it is not about money. */
  amount: number | null
  currency: string
  /** Since when: a date in the school's zone, or an instant. */
  since: string
  /** The day on which something happens by itself. */
  next: Day | null
  /** Of a transfer that is not complete: what has come. */
  came?: number
  /** Why, where the gateway or the mail server said so. */
  why: string | null
}

/** Where, and as of when, it is looked for what needs attention. */
export interface Looking {
  db: Database
  mode: Mode
  today: Day
  /** The school's policy. */
  retryAfterDays: readonly number[]
  /** What stopped, or went wrong, before is not looked at any more. */
  backThenAt: Date
  aWhileAgo: Date
  aWeekAgo: Date
}

/** Finds what there is of one kind. */
export type Finder = (looking: Looking) => PromiseLike<Omit<AttentionItem, 'kind'>[]>
