import type { Mode } from '../db/schema/columns.ts'
import { capabilitiesOf } from '../gateways/service.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { clock } from './attention/clock.ts'
import { codeOverLimit } from './attention/codeOverLimit.ts'
import { disputed } from './attention/disputed.ts'
import { disputeLost } from './attention/disputeLost.ts'
import { expiring } from './attention/expiring.ts'
import { ATTENTION_KINDS, type AttentionItem, type AttentionKind, type Finder, type Looking } from './attention/item.ts'
import { late } from './attention/late.ts'
import { messageFailed } from './attention/messageFailed.ts'
import { mismatch } from './attention/mismatch.ts'
import { paidTooLate } from './attention/paidTooLate.ts'
import { paidTwice } from './attention/paidTwice.ts'
import { refundRefused } from './attention/refundRefused.ts'
import { stopped } from './attention/stopped.ts'
import { surplus } from './attention/surplus.ts'
import { surplusTransfer } from './attention/surplusTransfer.ts'
import { transfer } from './attention/transfer.ts'
import { unknown } from './attention/unknown.ts'
import { unknownPayment } from './attention/unknownPayment.ts'
import { unreadableEvent } from './attention/unreadableEvent.ts'

/** What stopped, or went wrong, is looked at for so many days. */
const DAYS_BACK = 90
const AFTER_MINUTES = 10
const DAY_MS = 86_400_000

const FINDERS: Record<AttentionKind, Finder> = {
  late,
  stopped,
  expiring,
  disputed,
  'dispute-lost': disputeLost,
  'surplus-transfer': surplusTransfer,
  'paid-twice': paidTwice,
  'paid-too-late': paidTooLate,
  'refund-refused': refundRefused,
  transfer,
  unknown,
  clock,
  surplus,
  mismatch,
  'code-over-limit': codeOverLimit,
  'unknown-payment': unknownPayment,
  'unreadable-event': unreadableEvent,
  'message-failed': messageFailed,
}

/** Everything in a mode that needs a person's attention. */
export async function needsAttention(base: Services, mode: Mode): Promise<AttentionItem[]> {
  const services = await inMode(base, mode)
  const { db, now } = services
  const [today, { retryAfterDays }] = await Promise.all([schoolDay(services), getSchool(db)])
  const before = (ms: number) => new Date(now().getTime() - ms)
  const looking: Looking = {
    ...{ db, mode, today, retryAfterDays },
    backThenAt: before(DAYS_BACK * DAY_MS),
    aWhileAgo: before(AFTER_MINUTES * 60_000),
    aWeekAgo: before(7 * DAY_MS),
  }
  const all = await Promise.all(
    ATTENTION_KINDS.map(async (kind) => (await FINDERS[kind](looking)).map((item) => ({ kind, ...item }))),
  )
  const named = (item: AttentionItem): AttentionItem =>
    item.orderId === null && !item.personId && item.kind !== 'clock'
      ? { ...item, course: capabilitiesOf(services.gateways, item.course).name }
      : item
  return all.flat().map(named)
}
