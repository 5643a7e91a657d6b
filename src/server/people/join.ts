import { and, eq, inArray, isNull } from 'drizzle-orm'
import { joinBaskets } from '../baskets/basket.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, grants, journal, messages, orders, passwordLinks, people, sessions } from '../db/schema/index.ts'
import { refreshSearch } from '../db/searchText.ts'
import { fieldProblem, notFound } from '../http/problem.ts'
import { record } from '../journal/journal.ts'
import type { Services } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'

/**
 * Joins two persons who are one buyer: all that the other has and did becomes the one's, who keeps name, email and
 * password. This cannot be undone. @throws Problem 404, or at `/other` where both are the same.
 */
export async function joinPeople(
  services: Services,
  mode: Mode,
  id: string,
  otherId: string,
  note: string,
): Promise<void> {
  if (id === otherId) throw fieldProblem('/other', 'Choose another person.')
  await onceInTransaction(services, async ({ db: tx, now }) => {
    // In the order of their ids, so that two joins at once cannot wait for each other.
    const rows = await tx
      .select()
      .from(people)
      .where(and(inArray(people.id, [id, otherId]), eq(people.mode, mode), isNull(people.erasedAt)))
      .orderBy(people.id)
      .for('update')
    const person = rows.find((row) => row.id === id)
    const other = rows.find((row) => row.id === otherId)
    if (!person || !other) throw notFound('person')
    // Settling holds an order, and refers to its buyer.
    await tx
      .select({ id: orders.id })
      .from(orders)
      .where(inArray(orders.personId, [id, otherId]))
      .orderBy(orders.id)
      .for('update')
    await endDoubled(tx, id, otherId, now())
    const theirs = { personId: id }
    for (const order of await tx
      .select({ id: orders.id, state: orders.state })
      .from(orders)
      .where(eq(orders.personId, otherId))) {
      // One browser has one unpaid order of an offer and buyer; those of two buyers may meet here.
      const apart = order.state === 'paid' ? {} : { browserHash: `joined ${order.id}` }
      await tx
        .update(orders)
        .set({ ...theirs, ...apart })
        .where(eq(orders.id, order.id))
    }
    await tx.update(grants).set(theirs).where(eq(grants.personId, otherId))
    await tx.update(agreements).set(theirs).where(eq(agreements.personId, otherId))
    await tx.update(messages).set(theirs).where(eq(messages.personId, otherId))
    await tx.update(journal).set(theirs).where(eq(journal.personId, otherId))
    await joinBaskets(tx, id, otherId)
    await tx.delete(sessions).where(eq(sessions.personId, otherId))
    await tx.delete(passwordLinks).where(eq(passwordLinks.personId, otherId))
    await tx.delete(people).where(eq(people.id, otherId))
    await refreshSearch(tx, id)
    await record(tx, now(), { personId: id }, 'person-joined', { name: other.name, email: other.email, note })
  })
}

/** A course that both were given by hand is held once. */
async function endDoubled(
  tx: Parameters<typeof refreshSearch>[0],
  id: string,
  otherId: string,
  at: Date,
): Promise<void> {
  const byHand = (personId: string) => and(eq(grants.personId, personId), isNull(grants.lineId), isNull(grants.endedAt))
  const held = await tx.select({ courseId: grants.courseId }).from(grants).where(byHand(id))
  if (held.length === 0) return
  const doubled = inArray(
    grants.courseId,
    held.map(({ courseId }) => courseId),
  )
  await tx
    .update(grants)
    .set({ endedAt: at, endedNote: 'Held twice after joining' })
    .where(and(byHand(otherId), doubled))
}
