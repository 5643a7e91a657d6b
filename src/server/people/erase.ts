import { and, eq, gte, inArray, isNotNull, isNull, lt, ne, or, type SQL, sql } from 'drizzle-orm'
import { after } from '../../core/calendar/day.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import {
  agreements,
  attempts,
  baskets,
  grants,
  journal,
  messages,
  OPEN_ATTEMPTS,
  orderLinks,
  orders,
  passwordLinks,
  payLinks,
  people,
  sessions,
} from '../db/schema/index.ts'
import { refreshSearch } from '../db/searchText.ts'
import { notFound, Problem } from '../http/problem.ts'
import { record } from '../journal/journal.ts'
import { inTransaction, type Services, type Within } from '../platform/context.ts'
import { dayFor, getSchool, schoolDay } from '../school/service.ts'

const YEAR = { count: 1, unit: 'year' } as const
/** What is called so can be no buyer's address (RFC 2606). */
const GONE = 'deleted.invalid'

/**
 * Deletes what is kept of a buyer, but for what the books must keep: orders stay with their numbers, days and sums, and
 * for so many years as the school sets with the name that stands on their receipts. Access ends, nobody can sign in, the
 * texts of messages are gone. This cannot be undone.
 * @throws Problem 404; 409 where a subscription goes on, a plan still owes, or a payment is under way.
 */
export async function erasePerson(services: Services, mode: Mode, id: string, note: string): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx, now } = services
    const [person] = await tx
      .select()
      .from(people)
      .where(and(eq(people.id, id), eq(people.mode, mode), isNull(people.erasedAt)))
      .for('update')
    if (!person) throw notFound('person')
    await requireEnded(services, id)
    const theirOrders = tx.select({ id: orders.id }).from(orders).where(eq(orders.personId, id))
    // Nothing was ever received for these; they are in no book.
    await tx.delete(messages).where(
      and(
        eq(messages.personId, id),
        inArray(
          messages.orderId,
          tx
            .select({ id: orders.id })
            .from(orders)
            .where(and(eq(orders.personId, id), ne(orders.state, 'paid'))),
        ),
      ),
    )
    await tx.delete(orders).where(and(eq(orders.personId, id), ne(orders.state, 'paid')))
    await tx.delete(baskets).where(eq(baskets.personId, id))
    await tx.delete(sessions).where(eq(sessions.personId, id))
    await tx.delete(passwordLinks).where(eq(passwordLinks.personId, id))
    await tx.delete(orderLinks).where(inArray(orderLinks.orderId, theirOrders))
    await tx
      .delete(payLinks)
      .where(
        inArray(
          payLinks.agreementId,
          tx.select({ id: agreements.id }).from(agreements).where(eq(agreements.personId, id)),
        ),
      )
    await tx.update(agreements).set({ savedMethod: null }).where(eq(agreements.personId, id))
    await tx
      .update(grants)
      .set({ endedAt: now(), endedNote: 'Personal data deleted' })
      .where(and(eq(grants.personId, id), isNull(grants.endedAt)))
    await tx
      .update(messages)
      .set({
        email: null,
        to: null,
        error: null,
        state: sql`case when ${messages.state} = 'sent' then 'sent' else 'dropped' end`,
      })
      .where(eq(messages.personId, id))
    await tx
      .update(journal)
      .set({ data: {} })
      .where(
        and(
          eq(journal.personId, id),
          inArray(journal.what, ['name-changed', 'email-changed', 'address-changed', 'person-joined']),
        ),
      )
    await tx
      .update(journal)
      .set({ data: sql`${journal.data} - 'to' - 'why'` })
      .where(and(eq(journal.personId, id), inArray(journal.what, ['message-sent', 'message-failed'])))
    const since = after(await schoolDay(services), -(await getSchool(tx)).keepYears, YEAR)
    await tx
      .update(orders)
      .set({ browserHash: `deleted ${id}`, buyerName: sql`coalesce(${orders.buyerName}, ${person.name})` })
      .where(eq(orders.personId, id))
    await tx
      .update(orders)
      .set({ buyerName: null })
      .where(and(eq(orders.personId, id), or(isNull(orders.placedOn), lt(orders.placedOn, since))))
    // The receipts of payments keep the name and address for as long.
    await tx
      .update(attempts)
      .set({ parties: sql`jsonb_set(${attempts.parties}, '{buyer,email}', '""')` })
      .where(inArray(attempts.orderId, theirOrders))
    await forgetParties(tx, and(eq(orders.personId, id), lt(orders.placedOn, since)))
    const remaining = await tx.$count(orders, and(eq(orders.personId, id), gte(orders.placedOn, since)))
    await tx
      .update(people)
      .set({
        name: 'Deleted buyer',
        email: `${id}@${GONE}`,
        passwordHash: null,
        postalAddress: remaining > 0 ? person.postalAddress : '',
        erasedAt: now(),
      })
      .where(eq(people.id, id))
    await refreshSearch(tx, id)
    await record(tx, now(), { personId: id }, 'person-erased', { note })
  })
}

/** Who paid is not kept any more with the payments of some orders. */
async function forgetParties(tx: Queryable, which: SQL | undefined): Promise<void> {
  const ids = tx.select({ id: orders.id }).from(orders).where(which)
  await tx.update(attempts).set({ parties: null }).where(inArray(attempts.orderId, ids))
}

/** @throws Problem 409 with what must end first. */
async function requireEnded({ db: tx }: Within, personId: string): Promise<void> {
  const of = await tx
    .select({ kind: agreements.kind, state: agreements.state })
    .from(agreements)
    .where(and(eq(agreements.personId, personId), inArray(agreements.state, ['active', 'stopped'])))
  if (of.some(({ kind, state }) => kind === 'subscription' && state === 'active')) {
    throw new Problem(409, 'goes-on', 'A subscription is still active. Cancel it first.')
  }
  if (of.some(({ kind }) => kind === 'installments')) {
    throw new Problem(409, 'owes', 'A payment plan is not fully paid. It must be paid or written off first.')
  }
  const underWay = await tx
    .select({ id: attempts.id })
    .from(attempts)
    .innerJoin(orders, eq(orders.id, attempts.orderId))
    .where(and(eq(orders.personId, personId), inArray(attempts.state, [...OPEN_ATTEMPTS])))
    .limit(1)
  if (underWay.length > 0) {
    throw new Problem(
      409,
      'under-way',
      'A payment is in progress, or a transfer is expected. Wait for it, or end it, first.',
    )
  }
}

/** Names and addresses that were kept for the books of deleted buyers, and need be kept no longer. @returns how many orders. */
export async function forgetOldNames(services: Services): Promise<number> {
  const { db, now } = services
  const school = await getSchool(db).catch(() => null)
  if (!school) return 0
  const since = after(dayFor(school, now()), -school.keepYears, YEAR)
  const erased = db.select({ id: people.id }).from(people).where(isNotNull(people.erasedAt))
  const old = and(isNotNull(orders.buyerName), lt(orders.placedOn, since), inArray(orders.personId, erased))
  await forgetParties(db, old)
  const forgotten = await db.update(orders).set({ buyerName: null }).where(old)
  const bare = sql`not exists (select from orders o where o.person_id = people.id and o.buyer_name is not null)`
  await db
    .update(people)
    .set({ postalAddress: '' })
    .where(and(isNotNull(people.erasedAt), ne(people.postalAddress, ''), bare))
  return forgotten.rowCount ?? 0
}
