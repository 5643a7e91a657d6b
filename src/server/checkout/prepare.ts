import { and, asc, eq, inArray, isNull, ne, sql } from 'drizzle-orm'
import type { Within } from '../context.ts'
import type { Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import {
  agreements,
  attempts,
  grants,
  OPEN_ATTEMPTS,
  offers,
  orderLines,
  orders,
  payments,
  people,
} from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { type Happening, recordAll } from '../orders/journal.ts'
import { CALL_SECONDS } from './lookup.ts'
import type { PlaceRequest, Placing } from './place.ts'
import { type Attempt, markPaid, type Order } from './settle.ts'

/** What is to be done next for a placed order. */
export type Prepared =
  | { kind: 'paid'; orderId: string }
  | { kind: 'ready'; attempt: Attempt }
  | { kind: 'busy'; attempt: Attempt; order: Order }

/**
 * Stores everything before money moves. Statements that do not need each other's answers are sent
 * together; the database still runs them in their order. The buyer's row is locked, so two checkouts of one buyer queue up.
 * The lock leaves foreign keys free: settling an order holds that order and refers to its buyer.
 */
export async function prepare(services: Within, placing: Placing): Promise<Prepared> {
  const { db: tx } = services
  const { shopper, request, quoted, school } = placing
  const person = await lockPerson(services, shopper.mode, request)
  // Waits for whoever is settling an order for this course. What they opened is looked at only after
  // that, or an order that is paid in this very moment would look like none at all, and be paid again.
  const unpaid = await tx
    .select()
    .from(orders)
    .where(
      and(eq(orders.personId, person.id), inArray(orders.offerId, offersOf(tx, placing)), ne(orders.state, 'paid')),
    )
    .orderBy(asc(orders.number))
    .for('no key update')
  const owned = await ownedAlready(tx, person.id, placing)
  if (owned) return { kind: 'paid', orderId: owned }
  for (const order of unpaid) {
    const [open] = await tx
      .select()
      .from(attempts)
      .where(
        and(eq(attempts.orderId, order.id), isNull(attempts.agreementId), inArray(attempts.state, [...OPEN_ATTEMPTS])),
      )
    if (open) return { kind: 'busy', attempt: open, order }
  }
  const again = unpaid.find(({ offerId }) => offerId === placing.offer.id)
  const order = await writeOrder(services, person, placing, again ?? null)
  const placed: Happening = {
    about: { orderId: order.id, personId: person.id },
    what: again ? 'order-changed' : 'order-placed',
    data: { amount: order.payToday, currency: order.currency },
  }
  if (order.payToday === 0) {
    await markPaid(services, order, null, [placed], placing.kept)
    return { kind: 'paid', orderId: order.id }
  }
  const attempt = {
    id: crypto.randomUUID(),
    orderId: order.id,
    key: crypto.randomUUID(),
    connectionId: request.payment?.connectionId as string,
    amount: quoted.quote.today.pay,
    currency: school.currency,
    state: 'started' as const,
    startedAt: services.now(),
    day: quoted.quote.purchaseDay,
    madeBy: 'buyer' as const,
  }
  const { amount, currency, key } = attempt
  const [[stored]] = await Promise.all([
    tx.insert(attempts).values(attempt).returning(),
    services.jobs.send(tx, 'attempt-lookup', { attemptId: attempt.id }, { afterSeconds: CALL_SECONDS + 5 }),
    recordAll(tx, services.now(), [
      placed,
      { about: placed.about, what: 'attempt-started', data: { amount, currency, key } },
    ]),
  ])
  if (!stored) throw new Error('The attempt was not stored.')
  return { kind: 'ready', attempt: stored }
}

/** Every offer of the course, those too that are no longer on sale. */
function offersOf(tx: Transaction, { course }: Placing) {
  return tx.select({ id: offers.id }).from(offers).where(eq(offers.courseId, course.id))
}

/**
 * Stores the buyer where they are new, and locks their row either way. What they are called is not
 * changed by whoever types their address.
 */
async function lockPerson({ db: tx, now }: Within, mode: Mode, { email, name }: PlaceRequest) {
  const [person] = await tx
    .insert(people)
    .values({ mode, email, name, createdAt: now() })
    .onConflictDoUpdate({ target: [people.mode, people.email], set: { name: sql`${people.name}` } })
    .returning()
  if (!person) throw new Error('The buyer was not stored.')
  return person
}

/**
 * The paid order by which this browser has the course already: paying again by Back or a second
 * tab leads there. @throws Problem 409 where the buyer has it otherwise.
 */
async function ownedAlready(
  tx: Transaction,
  personId: string,
  { course, quoted, shopper }: Placing,
): Promise<string | null> {
  const held = await tx
    .select({
      orderId: grants.orderId,
      browserHash: orders.browserHash,
      closes: grants.closes,
      shuts: grants.shuts,
      kind: agreements.kind,
      state: agreements.state,
    })
    .from(grants)
    .leftJoin(orders, eq(orders.id, grants.orderId))
    .leftJoin(agreements, eq(agreements.lineId, grants.lineId))
    .where(and(eq(grants.personId, personId), eq(grants.courseId, course.id), isNull(grants.endedAt)))
  const { purchaseDay } = quoted.quote
  // What closed is bought again; so is a subscription that ended unpaid. A plan that owes is paid on instead.
  const active = held.filter(
    ({ closes, shuts, kind, state }) =>
      (closes === null || closes > purchaseDay) &&
      !(shuts !== null && shuts <= purchaseDay && kind === 'subscription' && state !== 'active'),
  )
  if (active.length === 0) return null
  const own = active.find((grant) => grant.browserHash === shopper.browserHash)
  if (own?.orderId) return own.orderId
  throw new Problem(
    409,
    'already-yours',
    'Someone with this address has the course already. Sign in to open it; nothing was charged.',
  )
}

async function writeOrder(
  services: Within,
  person: typeof people.$inferSelect,
  placing: Placing,
  unpaid: Order | null,
) {
  const { db: tx } = services
  const { school, course, offer, shopper, quoted } = placing
  const current = {
    payToday: quoted.quote.today.pay,
    currency: school.currency,
    quoteInput: quoted.input,
    quote: quoted.quote,
    browserHash: shopper.browserHash,
    state: quoted.quote.today.pay > 0 ? ('paying' as const) : ('open' as const),
  }
  if (unpaid) {
    // Nothing was ever collected for it, so it may be quoted anew.
    await tx.delete(payments).where(eq(payments.orderId, unpaid.id))
    await tx.delete(orderLines).where(eq(orderLines.orderId, unpaid.id))
  }
  const id = unpaid?.id ?? crypto.randomUUID()
  const sequence = shopper.mode === 'live' ? 'live_order_numbers' : 'practice_order_numbers'
  const write = unpaid
    ? tx.update(orders).set(current).where(eq(orders.id, id)).returning()
    : tx
        .insert(orders)
        .values({
          ...current,
          id,
          mode: shopper.mode,
          number: sql`nextval(${sequence}::regclass)`,
          personId: person.id,
          offerId: offer.id,
          searchText: `${person.name} ${person.email} ${course.live.title} ${offer.live.name}`.toLowerCase(),
          createdAt: services.now(),
        })
        .returning()
  const [[order]] = await Promise.all([write, ...writeLines(tx, id, placing)])
  if (!order) throw new Error('The order was not stored.')
  return order
}

/** The lines of an order and their payments, as statements on their way. */
function writeLines(
  tx: Transaction,
  orderId: string,
  { course, offer, quoted, shopper: { mode } }: Placing,
): PromiseLike<unknown>[] {
  const lines = quoted.quote.lines.map((line, position) => ({
    id: crypto.randomUUID(),
    orderId,
    position,
    offerId: offer.id,
    offerVersion: offer.version,
    role: line.role,
    quoted: line,
    courseTitle: course.live.title,
    offerName: offer.live.name,
  }))
  const scheduled = lines.flatMap(({ id, quoted: line }) =>
    line.payments.map((payment) => ({
      orderId,
      lineId: id,
      mode,
      offerId: offer.id,
      state: 'due' as const,
      ...payment,
    })),
  )
  const write = tx.insert(orderLines).values(lines)
  return scheduled.length > 0 ? [write, tx.insert(payments).values(scheduled)] : [write]
}
