import { sql } from 'drizzle-orm'
import {
  type AnyPgColumn,
  boolean,
  date,
  index,
  integer,
  jsonb,
  pgSequence,
  pgTable,
  primaryKey,
  text,
  unique,
  uniqueIndex,
  uuid,
} from 'drizzle-orm/pg-core'
import type { StoredPhases } from '../../../core/collecting/phase.ts'
import type { Quote, QuotedLine } from '../../../core/quote/types.ts'
import { baskets } from './baskets.ts'
import { checkoutPages, courses, offers, products } from './catalogue.ts'
import { amount, MODES, moment, versioned } from './columns.ts'
import { connections } from './gateways.ts'
import { people } from './people.ts'

export const liveOrderNumbers = pgSequence('live_order_numbers', { startWith: 1001 })
export const practiceOrderNumbers = pgSequence('practice_order_numbers', { startWith: 1001 })

/**
 * open: placed, nothing under way (the last try failed, or was given up) · paying: an attempt is
 * under way · paid.
 */
export const ORDER_STATES = ['open', 'paying', 'paid'] as const
export type OrderState = (typeof ORDER_STATES)[number]

/** A basket that was placed, with the quote it was charged by. */
export const orders = pgTable(
  'orders',
  {
    id: uuid().primaryKey().defaultRandom(),
    mode: text({ enum: MODES }).notNull(),
    number: integer().notNull(),
    personId: uuid()
      .notNull()
      .references(() => people.id),
    /** Names what is bought, by its products: one browser of a buyer can be paying for it only once at a time. */
    basket: text().notNull(),
    /** The checkout page that it was placed on, and which version of it; null of older orders. */
    pageId: uuid().references(() => checkoutPages.id),
    pageVersion: integer(),
    /** Where its buyer came from, as the link said by which they came to the page (`?from=`); empty: it said nothing. */
    cameFrom: text().notNull().default(''),
    /** The basket that it was placed from; null where it was bought at once. */
    fromBasketId: uuid().references(() => baskets.id, { onDelete: 'set null' }),
    /** The paid order after which it was offered, and the upsell of that order's page that it answers with yes. */
    followsId: uuid().references((): AnyPgColumn => orders.id, { onDelete: 'set null' }),
    upsell: text(),
    /** When its buyer went on to the thanks page: nothing is offered after it any more. */
    upsellsEndedAt: moment(),
    state: text({ enum: ORDER_STATES }).notNull(),
    currency: text().notNull(),
    payToday: amount().notNull(),
    /** The quote's document, as `core/quote/stored.ts` keeps it, and its answer. */
    quoteInput: jsonb().notNull(),
    quote: versioned<Quote>().notNull(),
    /** What the buyer called themselves for it; null in older ones, where it is the person's. */
    buyerName: text(),
    /** Hash of the cookie of the browser that placed it. */
    browserHash: text().notNull(),
    /** Buyer, address and titles, for the search. */
    searchText: text().notNull(),
    createdAt: moment().notNull(),
    paidAt: moment(),
    /** The school's day on which it was paid, from which access counts; null while it is not. */
    placedOn: date({ mode: 'string' }),
  },
  (table) => [
    unique('orders_numbered').on(table.mode, table.number),
    // One browser; whoever types another's address in theirs begins an order of their own.
    uniqueIndex('orders_one_unpaid_per_browser')
      .on(table.personId, table.basket, table.browserHash)
      .where(sql`${table.state} <> 'paid'`),
    // An upsell is taken once, whoever presses how often.
    uniqueIndex('orders_one_per_upsell').on(table.followsId, table.upsell).where(sql`${table.followsId} is not null`),
    index('orders_newest').on(table.mode, table.number.desc()),
    index('orders_by_state').on(table.mode, table.state, table.number.desc()),
    index('orders_of_person').on(table.personId),
    index('orders_from_basket').on(table.fromBasketId).where(sql`${table.fromBasketId} is not null`),
    index('orders_found').using('gin', sql`plain_text(${table.searchText}) gin_trgm_ops`),
  ],
)

export const orderLines = pgTable(
  'order_lines',
  {
    id: uuid().primaryKey().defaultRandom(),
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    position: integer().notNull(),
    offerId: uuid()
      .notNull()
      .references(() => offers.id),
    offerVersion: integer().notNull(),
    productId: uuid()
      .notNull()
      .references(() => products.id),
    /** Titles as they were when it was placed. */
    title: text().notNull(),
    offerName: text().notNull(),
    role: text({ enum: ['main', 'bump', 'upsell'] }).notNull(),
    quoted: versioned<QuotedLine>().notNull(),
    /** Its access lasts as long as that to one of these courses or bundles; null: it hangs on no membership. */
    membersOf: jsonb().$type<string[]>(),
    /** The first day of its offer's access; null: the purchase. Its courses have days of their own. */
    opensFrom: date({ mode: 'string' }),
    /** The paid order that opened the same courses first: the money for this line was on its way already, and opens nothing. */
    duplicateOf: uuid().references(() => orders.id, { onDelete: 'set null' }),
  },
  (table) => [
    unique('order_lines_placed').on(table.orderId, table.position),
    index('order_lines_duplicate').on(table.orderId).where(sql`${table.duplicateOf} is not null`),
    index('order_lines_of_offer').on(table.offerId),
    // Lines of one product in the order of their ids: a bundle that grows goes through them.
    index('order_lines_of_product').on(table.productId, table.id),
  ],
)

/** An upsell that was answered with no. */
export const upsellRefusals = pgTable(
  'upsell_refusals',
  {
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    upsell: text().notNull(),
    createdAt: moment().notNull(),
  },
  (table) => [primaryKey({ columns: [table.orderId, table.upsell] })],
)

/** The courses that a line opens, as they were when its order was placed or paid, and their weights. */
export const lineCourses = pgTable(
  'line_courses',
  {
    lineId: uuid()
      .notNull()
      .references(() => orderLines.id, { onDelete: 'cascade' }),
    courseId: uuid()
      .notNull()
      .references(() => courses.id),
    position: integer().notNull(),
    title: text().notNull(),
    weight: amount().notNull(),
    /** The last payment of the line that pays for it too, since it was refunded and later ones lowered; null: all do. */
    paidThrough: integer(),
  },
  (table) => [
    primaryKey({ columns: [table.lineId, table.courseId] }),
    index('line_courses_of_course').on(table.courseId, table.lineId),
  ],
)

export const PAYMENT_STATES = ['due', 'collected', 'written-off'] as const
export type PaymentState = (typeof PAYMENT_STATES)[number]

/** One scheduled amount of an order. */
export const payments = pgTable(
  'payments',
  {
    id: uuid().primaryKey().defaultRandom(),
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    lineId: uuid()
      .notNull()
      .references(() => orderLines.id, { onDelete: 'cascade' }),
    /** The order's and the line's, so that a month of one mode, or of one offer, is read in its order. */
    mode: text({ enum: MODES }).notNull(),
    offerId: uuid().notNull(),
    n: integer().notNull(),
    kind: text({ enum: ['regular', 'deposit', 'setup', 'trial'] }).notNull(),
    due: date({ mode: 'string' }).notNull(),
    list: amount().notNull(),
    price: amount().notNull(),
    discount: amount().notNull(),
    tax: amount().notNull(),
    pay: amount().notNull(),
    /** due: expected · collected: also an amount of 0 that was settled · let-go: no longer expected. */
    state: text({ enum: PAYMENT_STATES }).notNull(),
    attemptId: uuid().references(() => attempts.id),
    collectedAt: moment(),
    /** Its part of what the gateway took for the attempt that collected it. */
    fee: amount().notNull().default(0),
  },
  (table) => [
    unique('payments_scheduled').on(table.lineId, table.kind, table.n),
    index('payments_of_order').on(table.orderId),
    index('payments_of_attempt').on(table.attemptId).where(sql`${table.attemptId} is not null`),
    index('payments_by_due').on(table.mode, table.due, table.orderId, table.id),
    index('payments_of_offer').on(table.mode, table.offerId, table.due, table.orderId, table.id),
  ],
)

/**
 * started: stored, the gateway has been or is being called · unknown: no answer came ·
 * confirming: the buyer is asked to approve · awaiting: the buyer has done their part, the money comes hours or
 * days later · collected · declined · abandoned: it can no longer be collected.
 */
export const ATTEMPT_STATES = [
  'started',
  'unknown',
  'confirming',
  'awaiting',
  'collected',
  'declined',
  'abandoned',
] as const
export type AttemptState = (typeof ATTEMPT_STATES)[number]
export const OPEN_ATTEMPTS: readonly AttemptState[] = ['started', 'unknown', 'confirming', 'awaiting']

/** What a receipt names, whatever is renamed after it. */
export interface Parties {
  /** The school's. */
  name: string
  language: string
  buyer: { name: string; email: string; postalAddress: string }
}

/**
 * One try to collect what an order owes today, or payments of an agreement. Stored with its idempotency
 * key before the gateway is called. The partial indexes hold what code alone cannot promise: one attempt
 * under way for an order, and none collected twice for the same money.
 */
export const attempts = pgTable(
  'attempts',
  {
    id: uuid().primaryKey().defaultRandom(),
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    /** What it collects: null for the sum due on the purchase day, else payments of this agreement … */
    agreementId: uuid().references((): AnyPgColumn => agreements.id, { onDelete: 'cascade' }),
    /** … numbered from here … */
    fromN: integer(),
    /** … to here. */
    toN: integer(),
    /** The collected attempt of which it charges some lines again, so that all of that one can be refunded. */
    replacesId: uuid().references((): AnyPgColumn => attempts.id, { onDelete: 'cascade' }),
    /** A date in the school's zone: the day of the try. */
    day: date({ mode: 'string' }).notNull(),
    /** Whose doing it is. A try of the worker counts as one; what is paid by hand does not. */
    madeBy: text({ enum: ['buyer', 'creator', 'worker'] }).notNull(),
    key: text().notNull().unique(),
    connectionId: uuid()
      .notNull()
      .references(() => connections.id),
    amount: amount().notNull(),
    currency: text().notNull(),
    state: text({ enum: ATTEMPT_STATES }).notNull(),
    /** The gateway's own reference. */
    reference: text(),
    reason: text(),
    fee: amount(),
    /** The card or account in words, "card ending 4821". */
    method: text(),
    confirmUrl: text(),
    /** The gateway's reference of the method that it saved for later charges. */
    savedMethod: text(),
    /** The last day on which that method can be charged. */
    expires: date({ mode: 'string' }),
    /** The method was saved for upsells; from then on it is forgotten, unless later payments need it. */
    forgetAt: moment(),
    /** Who received it and who paid, as they were called when it was collected; null before, and in older ones. */
    parties: jsonb().$type<Parties>(),
    startedAt: moment().notNull(),
    settledAt: moment(),
  },
  (table) => [
    uniqueIndex('attempts_one_open')
      .on(table.orderId, sql`coalesce(${table.agreementId}, ${table.orderId})`)
      .where(sql`${table.state} in ('started', 'unknown', 'confirming', 'awaiting')`),
    uniqueIndex('attempts_one_collected')
      .on(table.orderId)
      .where(sql`${table.state} = 'collected' and ${table.agreementId} is null and ${table.replacesId} is null`),
    uniqueIndex('attempts_one_collected_again')
      .on(table.replacesId)
      .where(sql`${table.state} = 'collected' and ${table.replacesId} is not null`),
    uniqueIndex('attempts_one_collected_later')
      .on(table.agreementId, table.fromN)
      .where(sql`${table.state} = 'collected'`),
    index('attempts_of_order').on(table.orderId),
    index('attempts_replacing').on(table.replacesId).where(sql`${table.replacesId} is not null`),
    // What stands on a bank's or a gateway's paper is looked for by these.
    index('attempts_of_amount').on(table.amount),
    index('attempts_referred').on(sql`lower(${table.reference})`),
    index('attempts_of_agreement').on(table.agreementId, table.startedAt).where(sql`${table.agreementId} is not null`),
    index('attempts_to_forget').on(table.forgetAt).where(sql`${table.forgetAt} is not null`),
    index('attempts_under_way')
      .on(table.startedAt)
      .where(sql`${table.state} in ('started', 'unknown', 'confirming', 'awaiting')`),
  ],
)

/**
 * What an attempt charges again of the one that it replaces: the payments of some lines, which their buyer keeps. Once all
 * of that one is refunded they count as collected by this one.
 */
export const chargedAgain = pgTable(
  'charged_again',
  {
    attemptId: uuid()
      .notNull()
      .references(() => attempts.id, { onDelete: 'cascade' }),
    lineId: uuid()
      .notNull()
      .references(() => orderLines.id, { onDelete: 'cascade' }),
    amount: amount().notNull(),
  },
  (table) => [primaryKey({ columns: [table.attemptId, table.lineId] })],
)

export const AGREEMENT_STATES = ['active', 'completed', 'stopped', 'cancelled'] as const
export type AgreementState = (typeof AGREEMENT_STATES)[number]

/**
 * The promise to pay over time that a line makes, how it stands (collecting rules), and the method
 * that is saved for it. Its payments are the numbered ones of the line.
 */
export const agreements = pgTable(
  'agreements',
  {
    id: uuid().primaryKey().defaultRandom(),
    mode: text({ enum: MODES }).notNull(),
    personId: uuid()
      .notNull()
      .references(() => people.id),
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    lineId: uuid()
      .notNull()
      .references(() => orderLines.id, { onDelete: 'cascade' })
      .unique(),
    connectionId: uuid()
      .notNull()
      .references(() => connections.id),
    /** The gateway's reference; null where it saved none and the buyer must give a method. */
    savedMethod: text(),
    method: text(),
    /** The last day on which the method can be charged; null where it does not end by itself. */
    expires: date({ mode: 'string' }),
    /** The `expires` that its buyer was told of. */
    expiryNotified: date({ mode: 'string' }),
    /** The due day of the renewal that its buyer was told of. */
    renewalNotified: date({ mode: 'string' }),
    kind: text({ enum: ['installments', 'subscription', 'single', 'openPrice', 'free'] }).notNull(),
    /** Goes on until cancelled: more payments follow those listed. */
    endless: boolean().notNull(),
    state: text({ enum: AGREEMENT_STATES }).notNull(),
    /** What it charges and opens, from which of its numbers on. */
    phases: jsonb().$type<StoredPhases>().notNull(),
    /** How many of the numbered payments are collected; the next follows. */
    collected: integer().notNull(),
    lastCollected: date({ mode: 'string' }).notNull(),
    /** Tries made for the next payment. */
    tries: integer().notNull(),
    /** The days of the first and the latest of them. */
    firstTried: date({ mode: 'string' }),
    lastTried: date({ mode: 'string' }),
    /** The day of the next try or settling; null where none comes. */
    nextTry: date({ mode: 'string' }),
    cancelledOn: date({ mode: 'string' }),
    cancelledWhen: text({ enum: ['now', 'period-end'] }),
    createdAt: moment().notNull(),
  },
  (table) => [
    index('agreements_to_collect').on(table.mode, table.nextTry).where(sql`${table.nextTry} is not null`),
    index('agreements_late')
      .on(table.mode, table.firstTried)
      .where(sql`${table.state} = 'active' and ${table.tries} > 0`),
    index('agreements_stopped').on(table.mode, table.lastCollected).where(sql`${table.state} = 'stopped'`),
    index('agreements_expiring')
      .on(table.mode, table.nextTry)
      .where(sql`${table.state} = 'active' and ${table.expires} is not null`),
    index('agreements_of_connection').on(table.connectionId, table.nextTry).where(sql`${table.state} = 'active'`),
    index('agreements_of_person').on(table.personId),
    index('agreements_of_order').on(table.orderId),
  ],
)

/** A link in a message by which a buyer pays, or gives another method, without a password: for one agreement, and it ends. */
export const payLinks = pgTable(
  'pay_links',
  {
    tokenHash: text().primaryKey(),
    agreementId: uuid()
      .notNull()
      .references(() => agreements.id, { onDelete: 'cascade' }),
    createdAt: moment().notNull(),
    expiresAt: moment().notNull(),
    usedAt: moment(),
  },
  (table) => [index('pay_links_of_agreement').on(table.agreementId)],
)

/** A link in a message by which whoever holds it sees one order, on any device. */
export const orderLinks = pgTable(
  'order_links',
  {
    tokenHash: text().primaryKey(),
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    createdAt: moment().notNull(),
    expiresAt: moment().notNull(),
  },
  (table) => [index('order_links_of_order').on(table.orderId)],
)
