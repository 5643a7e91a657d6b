import { asc, eq, inArray } from 'drizzle-orm'
import { PAYMENTS_IN_ORDER } from '../agreements/inOrder.ts'
import { basketOfPerson } from '../baskets/basket.ts'
import type { Mode } from '../db/schema/columns.ts'
import {
  agreements,
  attempts,
  grants,
  journal,
  messages,
  orderLines,
  orders,
  payments,
  people,
  refunds,
  transfers,
} from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import { openPerson } from './service.ts'

/**
 * Everything that is kept of one buyer, as one document: details, orders with what was paid and given back, agreements,
 * access, messages with their texts, and what happened. No secret and no key of ours is in it. @throws Problem 404.
 */
export async function dataOf(services: Services, mode: Mode, id: string) {
  const { db } = services
  await openPerson(services, mode, id)
  const [person] = await db.select().from(people).where(eq(people.id, id))
  const theirs = await db.select().from(orders).where(eq(orders.personId, id)).orderBy(asc(orders.number))
  const ids = theirs.map((order) => order.id)
  const of = async <T>(read: (ids: string[]) => Promise<T[]>): Promise<T[]> => (ids.length > 0 ? read(ids) : [])
  const [inBasket, lines, paid, tries, given, came, agreed, held, sent, events] = await Promise.all([
    basketOfPerson(services, id),
    of((some) => db.select().from(orderLines).where(inArray(orderLines.orderId, some))),
    of((some) =>
      db
        .select()
        .from(payments)
        .where(inArray(payments.orderId, some))
        .orderBy(...PAYMENTS_IN_ORDER),
    ),
    of((some) => db.select().from(attempts).where(inArray(attempts.orderId, some)).orderBy(asc(attempts.startedAt))),
    of((some) => db.select().from(refunds).where(inArray(refunds.orderId, some))),
    of((some) => db.select().from(transfers).where(inArray(transfers.orderId, some))),
    db.select().from(agreements).where(eq(agreements.personId, id)),
    db.select().from(grants).where(eq(grants.personId, id)),
    db.select().from(messages).where(eq(messages.personId, id)).orderBy(asc(messages.createdAt)),
    db.select().from(journal).where(eq(journal.personId, id)).orderBy(asc(journal.id)),
  ])
  return {
    made: services.now().toISOString(),
    person: {
      name: person?.name,
      email: person?.email,
      postalAddress: person?.postalAddress,
      since: person?.createdAt,
      hasPassword: person?.passwordHash !== null,
    },
    basket: inBasket.map(({ productId, offerId, priceSeen, addedAt, takenOutAt }) => ({
      ...{ product: productId, offer: offerId, price: priceSeen },
      ...{ added: addedAt, takenOut: takenOutAt },
    })),
    orders: theirs.map(({ id: orderId, number, state, currency, payToday, createdAt, paidAt, buyerName }) => ({
      number,
      state,
      currency,
      dueAtOrder: payToday,
      ordered: createdAt,
      paid: paidAt,
      buyerName,
      lines: lines
        .filter((line) => line.orderId === orderId)
        .map(({ title, offerName }) => ({ course: title, offer: offerName })),
      payments: paid
        .filter((payment) => payment.orderId === orderId)
        .map(({ due, kind, n, pay, tax, state: status, collectedAt }) => ({
          due,
          kind,
          n,
          pay,
          tax,
          state: status,
          collectedAt,
        })),
      tries: tries
        .filter((attempt) => attempt.orderId === orderId)
        .map(({ startedAt, amount, state: status, method, reference, reason }) => ({
          startedAt,
          amount,
          state: status,
          method,
          reference,
          reason,
        })),
      givenBack: given
        .filter((refund) => refund.orderId === orderId)
        .map(({ day, amount, state: status, note }) => ({ day, amount, state: status, note })),
      transfers: came
        .filter((transfer) => transfer.orderId === orderId)
        .map(({ day, amount, note, takenBackAt }) => ({ day, amount, note, takenBackAt })),
    })),
    agreements: agreed.map(({ kind, state, method, expires, collected, nextTry, createdAt }) => ({
      kind,
      state,
      method,
      expires,
      collected,
      nextTry,
      since: createdAt,
    })),
    access: held.map(({ courseId, opens, closes, note, endedAt, endedNote }) => ({
      courseId,
      opens,
      closes,
      note,
      endedAt,
      endedNote,
    })),
    messages: sent.map(({ kind, state, createdAt, sentAt, to, email }) => ({
      kind,
      state,
      createdAt,
      sentAt,
      to,
      subject: email?.subject ?? null,
      text: email?.text ?? null,
    })),
    events: events.map(({ at, what, data: { key: _key, ...data } }) => ({ at, what, data })),
  }
}
