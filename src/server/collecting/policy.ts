import { and, eq, gt } from 'drizzle-orm'
import * as v from 'valibot'
import { holdAgreement, saveAgreement } from '../agreements/agreements.ts'
import { agreements, school } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { recordAll } from '../journal/journal.ts'
import { queueMessage } from '../outbox/queue.ts'
import { inMode, inTransaction, type Services } from '../platform/context.ts'

/** Days after the first try on which a declined payment is tried again (collecting rules, section 2). */
export const retriesSchema = v.pipe(
  v.array(
    v.pipe(
      v.number('Write days as numbers, like 1, 3, 7.'),
      v.integer('Write whole days, like 1, 3, 7.'),
      v.minValue(1, 'The first retry is at least one day later.'),
      v.maxValue(60, 'The last retry is at most 60 days after the first try.'),
    ),
  ),
  v.maxLength(8, 'At most 8 retries.'),
  v.check(
    (days) => days.every((day, index) => index === 0 || day > (days[index - 1] as number)),
    'Each day must be later than the one before.',
  ),
)

/**
 * Changes when declined payments are tried again, for those being tried now too.
 * @throws Problem 409 `would-stop` where agreements had all their tries by it already, unless `mayStop`.
 */
export async function setRetries(services: Services, retryAfterDays: number[], mayStop: boolean): Promise<void> {
  const { db } = services
  const hadAll = and(eq(agreements.state, 'active'), gt(agreements.tries, retryAfterDays.length))
  const stopping = mayStop ? 0 : await db.$count(agreements, hadAll)
  if (stopping > 0) {
    const they = stopping === 1 ? 'One agreement has' : `${stopping} agreements have`
    const theirs =
      stopping === 1 ? 'It stops at once, and its buyer is told.' : 'They stop at once, and buyers are told.'
    throw new Problem(
      409,
      'would-stop',
      `${they} already reached this number of tries. ${theirs} This cannot be undone.`,
    )
  }
  await db.update(school).set({ retryAfterDays })
  const trying = await db
    .select({ id: agreements.id, mode: agreements.mode })
    .from(agreements)
    .where(and(eq(agreements.state, 'active'), gt(agreements.tries, 0)))
  for (const { id, mode } of trying) {
    const inTheirTime = await inMode(services, mode)
    await inTransaction(inTheirTime, async (inTheirTime) => {
      const { db: tx } = inTheirTime
      const held = await holdAgreement(tx, id)
      const { agreement, order } = held
      if (agreement.tries <= retryAfterDays.length) {
        await saveAgreement(tx, held, agreement)
        return
      }
      // One that has had all its tries by the new policy has stopped, and its buyer is told as after a last try.
      await saveAgreement(tx, held, { ...agreement, state: 'stopped' })
      const about = { orderId: order.id, personId: order.personId }
      const { queued, rows } = queueMessage(inTheirTime, {
        mode,
        kind: 'stopped',
        personId: order.personId,
        orderId: order.id,
        agreementId: id,
      })
      await recordAll(tx, inTheirTime.now(), [{ about, what: 'agreement-stopped' }, queued], rows)
    })
  }
}
