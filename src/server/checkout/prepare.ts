import { and, asc, eq, gt, inArray, isNull, ne, sql } from 'drizzle-orm'
import { membersOf } from '../../core/content/offer.ts'
import { codeKey } from '../../core/quote/codes.ts'
import type { QuotedLine } from '../../core/quote/types.ts'
import { CODES } from '../../core/words/en/codes.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import { countingOn, grantsOfBuyer, type Holding, outlasts, sameOffer } from '../access/heldAlready.ts'
import { browserAccessSince } from '../access/service.ts'
import { startAttempt } from '../charging/start.ts'
import { formatWhyNot } from '../coupons/sayings.ts'
import { hasTooMany, lockCoupons, reserveCodes } from '../coupons/uses.ts'
import { anyOf, compiled } from '../db/compiled.ts'
import { insertAll } from '../db/insertAll.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, lineCourses, messages, OPEN_ATTEMPTS, orderLines, orders, people } from '../db/schema/index.ts'
import { markPaid } from '../fulfilment/fulfil.ts'
import type { Attempt, Order } from '../fulfilment/notes.ts'
import { readOrderContext } from '../fulfilment/orderContext.ts'
import { recordAll } from '../journal/journal.ts'
import { queueMessage } from '../outbox/queue.ts'
import type { Within } from '../platform/context.ts'
import { quoteWithCodes } from './codedQuote.ts'
import {
  askedOf,
  basketOf,
  changeOrder,
  coursesIn,
  keepPlaced,
  linesOfOrders,
  numbered,
  orderOf,
  placedEvent,
  takenEvent,
} from './orderRows.ts'
import type { Placing, Shopper } from './placing.ts'
import type { Quoted } from './quoteBasket.ts'

/** What is to be done next for a placed order. */
export type Prepared =
  /** The signed-in buyer has it already, for as long as this would give it. */
  | { kind: 'owned'; title: string }
  /** The same offer goes on for the signed-in buyer, or they have cancelled it and may come back. */
  | { kind: 'same'; mayComeBack: boolean }
  /** The signed-in buyer has it for a while, and has not been told. */
  | { kind: 'untold' }
  /** An unverified email has it already, of which its owner alone is notified. */
  | { kind: 'refused' }
  /** A code counts no more, in words. */
  | { kind: 'code'; says: string }
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
  const { shopper } = placing
  const { mode } = shopper
  const { email } = placing.request
  const courseIds = coursesIn(placing)
  const [person, unpaid, grants] = await Promise.all([
    lockPerson(services, placing),
    // Waits for whoever is settling an order for this course. What they opened is looked at only after
    // that, or an order that is paid in this very moment would look like none at all, and be paid again.
    lockUnpaid(tx, { mode, email, courseIds }),
    grantsOfBuyer(tx, { mode, email, courseIds }),
  ])
  const held = countingOn(grants, placing.quoted.quote.purchaseDay)
  const owned = await ownedAlready(services, person, held, placing)
  if (owned) return owned
  const own = unpaid.filter((order) => isOwnOrder(order, shopper))
  for (const order of own) {
    const [open] = await tx
      .select()
      .from(attempts)
      .where(
        and(eq(attempts.orderId, order.id), isNull(attempts.agreementId), inArray(attempts.state, [...OPEN_ATTEMPTS])),
      )
    if (open) return { kind: 'busy', attempt: open, order }
  }
  const basket = basketOf(placing.lines)
  const same = own.filter((order) => order.basket === basket)
  const again = same.find(({ browserHash }) => browserHash === shopper.browserHash) ?? same[0] ?? null
  const coded = await holdCodes(services, person, placing, again)
  if ('kind' in coded) return coded
  const { quoted } = coded
  const order = orderOf(person, { ...placing, quoted }, again, services.now())
  const rows = linesOfOrders([{ order, placing: { ...placing, quoted } }])
  const isCoded = placing.found.length > 0 || (again !== null && again.quote.codes.length > 0)
  if (again) await changeOrder(tx, again.id, order)
  const orderRows = again ? rows : [numbered([order]), ...rows]
  // Codes refer to the order, so that it stands before them.
  if (isCoded) {
    await insertAll(tx, ...orderRows)
    const held = { at: services.now(), ip: shopper.address?.ip ?? null }
    await reserveCodes(tx, order, quoted.quote.codes, placing.found, held)
  }
  const left = isCoded ? [] : orderRows
  await keepPlaced(tx, [{ orderId: order.id, placing }])
  const about = { orderId: order.id, personId: person.id }
  const placed = [
    ...(placing.follows && !again ? [takenEvent(placing.follows.order, placing)] : []),
    placedEvent(order, again ? 'order-changed' : 'order-placed'),
  ]
  if (order.payToday === 0) {
    await insertAll(tx, ...left)
    const [stored] = await tx.select().from(orders).where(eq(orders.id, order.id))
    const paying = { order: stored as Order, by: null, before: placed, savedMethod: placing.savedMethod }
    await markPaid(services, [paying], await readOrderContext(tx, [order.id], 'wait'))
    return { kind: 'paid', orderId: order.id }
  }
  const attempt = await startAttempt(services, {
    about,
    asked: askedOf(order, { ...placing, quoted }, services.now()),
    before: placed,
    rows: left,
    isFirst: again === null,
  })
  return { kind: 'ready', attempt }
}

/**
 * Quotes the order once more with its coupons held, so that of many at once only as many count as may, and for who buys
 * it. Only its owner is notified of what a code says of an unverified email.
 */
async function holdCodes(
  services: Within,
  person: typeof people.$inferSelect,
  { school, lines, request, shopper, quoted, found }: Placing,
  again: Order | null,
): Promise<{ quoted: Quoted } | Prepared> {
  if (found.length === 0) return { quoted }
  const { db: tx } = services
  await lockCoupons(tx, found)
  const holder = { browserHash: shopper.browserHash, personId: person.id, ip: shopper.address?.ip ?? null }
  if (await hasTooMany(tx, holder, found, again?.id ?? null)) {
    return { kind: 'code', says: CODES.tooManyHeld }
  }
  const counting = { mode: shopper.mode, personId: person.id, except: { orderId: again?.id ?? null } }
  const now = await quoteWithCodes(tx, school, { lines, codes: request.codes ?? [], found }, counting, services.now())
  for (const [index, before] of quoted.quote.codes.entries()) {
    const after = now.quote.codes[index]
    if (!before.counts || !after || after.counts) continue
    const isOfBuyer = after.why === 'used-by-buyer' || after.why === 'first-purchase-only'
    if (isOfBuyer && shopper.person?.id !== person.id) {
      await notifyOwner(services, person, 'code-refused', lines[0]?.product.title ?? '')
      return { kind: 'refused' }
    }
    const of = found.find(({ code }) => codeKey(code) === codeKey(after.code))
    const why = await formatWhyNot(tx, school, after.why, of, { quote: now.quote, lines })
    return { kind: 'code', says: say(CODES.changed, { code: after.code, why }) }
  }
  if (now.quote.today.pay !== quoted.quote.today.pay) return { kind: 'code', says: REFUSED.priceChanged }
  return { quoted: now }
}

/** Unpaid orders of a buyer that would open something of what is ordered now. */
const lockUnpaid = compiled<{ mode: Mode; email: string; courseIds: readonly string[] }>()((db, given) =>
  db
    .select()
    .from(orders)
    .where(
      and(
        sql`${orders.personId} = (select id from ${people} where mode = ${given('mode')} and email = ${given('email')})`,
        inArray(
          orders.id,
          db
            .select({ id: orderLines.orderId })
            .from(orderLines)
            .innerJoin(lineCourses, eq(lineCourses.lineId, orderLines.id))
            .where(sql`${lineCourses.courseId} = ${anyOf(given('courseIds'))}`),
        ),
        ne(orders.state, 'paid'),
      ),
    )
    .orderBy(asc(orders.number))
    .for('no key update'),
)

/**
 * Whether an order may be gone on with, or ended, by a shopper: it was placed by their browser, or they are signed in
 * as its buyer. Whoever only knows the address begins an order of their own (selling rules, section 2).
 */
export function isOwnOrder(order: Pick<Order, 'browserHash' | 'personId'>, { browserHash, person }: Shopper): boolean {
  return order.browserHash === browserHash || order.personId === person?.id
}

const putPerson = compiled<{ mode: Mode; email: string; name: string; at: Date; isTheirs: boolean }>()((db, given) => {
  const hasBought = sql`exists (select from ${orders} o where o.person_id = ${people.id} and o.state = 'paid')`
  const keeps = sql`not ${given('isTheirs')}::boolean and (${people.passwordHash} is not null or ${hasBought})`
  return db
    .insert(people)
    .values({ mode: given('mode'), email: given('email'), name: given('name'), createdAt: given('at') })
    .onConflictDoUpdate({
      target: [people.mode, people.email],
      set: { name: sql`case when ${keeps} then ${people.name} else excluded.name end` },
    })
    .returning()
})

/**
 * Stores the buyer where they are new, and locks their row either way. What somebody is called who has bought already
 * is not changed by whoever types their address, only by themselves when signed in.
 */
async function lockPerson({ db: tx, now }: Within, { shopper: { mode, person: signedIn }, request }: Placing) {
  const { email, name } = request
  const [person] = await putPerson(tx, { mode, email, name, at: now(), isTheirs: signedIn?.email === email })
  if (!person) throw new Error('The buyer was not stored.')
  return person
}

/**
 * What is to be done where the buyer has something of it already; null where it may be bought, beside what they have
 * too. The browser that bought it just now, by Back or a second tab, is led to that order, and the signed-in buyer is
 * told. An unverified email learns nothing: its owner is written to (selling rules, sections 1 and 2).
 */
async function ownedAlready(
  services: Within,
  person: typeof people.$inferSelect,
  held: readonly Holding[],
  { lines, quoted, shopper, request }: Placing,
): Promise<Prepared | null> {
  const { purchaseDay } = quoted.quote
  const justNow = browserAccessSince(services.now())
  const isSignedIn = shopper.person?.id === person.id
  let isNotNotified = false
  for (const [index, { offer, product, courses }] of lines.entries()) {
    const line = quoted.quote.lines[index] as QuotedLine
    const byCourse = courses.map(({ id }) => held.filter(({ courseId }) => courseId === id))
    const active = byCourse.flat()
    if (active.length === 0) continue
    const byBrowser = active.filter(
      ({ browserHash, paidAt }) => browserHash === shopper.browserHash && paidAt !== null && paidAt > justNow,
    )
    // Of several courses each must be had for as long.
    const isOutlasted = byCourse.every((of) => of.some((one) => outlasts(one, line, membersOf(offer.live))))
    const own = byBrowser.find((held) => held.offerId === offer.id || isOutlasted)
    if (own?.orderId && lines.length === 1) return { kind: 'paid', orderId: own.orderId }
    if (!isSignedIn && byBrowser.length === 0) {
      await notifyOwner(services, person, 'already-owned', product.title)
      return { kind: 'refused' }
    }
    if (isOutlasted || own) return { kind: 'owned', title: product.title }
    const same = await sameOffer(services.db, active, offer.id, purchaseDay)
    if (same) return { kind: 'same', mayComeBack: same.mayComeBack }
    isNotNotified = true
  }
  return isNotNotified && !request.isTold ? { kind: 'untold' } : null
}

/** So long after one message about it the owner of an address is not written to again. */
const NOTIFY_AGAIN_HOURS = 24

/** Writes to the owner of an address with which somebody tried to order what they cannot, at most once a day. */
async function notifyOwner(
  services: Within,
  { id, mode }: typeof people.$inferSelect,
  kind: 'already-owned' | 'code-refused',
  courseTitle: string,
) {
  const { db: tx } = services
  const at = services.now()
  const since = new Date(at.getTime() - NOTIFY_AGAIN_HOURS * 3_600_000)
  const recently = and(eq(messages.personId, id), eq(messages.kind, kind), gt(messages.createdAt, since))
  if ((await tx.$count(messages, recently)) > 0) return
  const { queued, rows } = queueMessage(services, { mode, kind, personId: id, courseTitle })
  await recordAll(tx, at, [queued], rows)
}
