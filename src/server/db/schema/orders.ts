import { sql } from 'drizzle-orm'
import {
  bigserial,
  date,
  index,
  integer,
  jsonb,
  pgSequence,
  pgTable,
  text,
  unique,
  uniqueIndex,
  uuid,
} from 'drizzle-orm/pg-core'
import type { Quote, QuotedLine } from '../../../core/quote/types.ts'
import { offers } from './catalogue.ts'
import { amount, MODES, moment } from './columns.ts'
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
    /** The offer that was ordered, which one buyer can be paying for only once at a time. */
    offerId: uuid()
      .notNull()
      .references(() => offers.id),
    state: text({ enum: ORDER_STATES }).notNull(),
    currency: text().notNull(),
    payToday: amount().notNull(),
    /** The quote's input document and its answer. */
    quoteInput: jsonb().notNull(),
    quote: jsonb().$type<Quote>().notNull(),
    /** Hash of the cookie of the browser that placed it. */
    browserHash: text().notNull(),
    /** Buyer, number and titles in lower case, for the search. */
    searchText: text().notNull(),
    createdAt: moment().notNull(),
    paidAt: moment(),
  },
  (table) => [
    unique('orders_numbered').on(table.mode, table.number),
    uniqueIndex('orders_one_unpaid').on(table.personId, table.offerId).where(sql`${table.state} <> 'paid'`),
    index('orders_newest').on(table.mode, table.number.desc()),
    index('orders_by_state').on(table.mode, table.state, table.number.desc()),
    index('orders_of_person').on(table.personId),
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
    courseTitle: text().notNull(),
    offerName: text().notNull(),
    role: text({ enum: ['main', 'bump', 'upsell'] }).notNull(),
    quoted: jsonb().$type<QuotedLine>().notNull(),
  },
  (table) => [unique('order_lines_placed').on(table.orderId, table.position)],
)

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
    n: integer().notNull(),
    kind: text({ enum: ['regular', 'deposit', 'setup', 'trial'] }).notNull(),
    due: date({ mode: 'string' }).notNull(),
    list: amount().notNull(),
    price: amount().notNull(),
    discount: amount().notNull(),
    tax: amount().notNull(),
    pay: amount().notNull(),
    state: text({ enum: ['due', 'collected'] }).notNull(),
    attemptId: uuid().references(() => attempts.id),
    collectedAt: moment(),
  },
  (table) => [
    unique('payments_scheduled').on(table.lineId, table.kind, table.n),
    index('payments_of_order').on(table.orderId),
  ],
)

/**
 * started: stored, the gateway has been or is being called · unknown: no answer came ·
 * confirming: the buyer is asked to approve · collected · declined · abandoned: it can no longer
 * be collected.
 */
export const ATTEMPT_STATES = ['started', 'unknown', 'confirming', 'collected', 'declined', 'abandoned'] as const
export type AttemptState = (typeof ATTEMPT_STATES)[number]
export const OPEN_ATTEMPTS: readonly AttemptState[] = ['started', 'unknown', 'confirming']

/**
 * One try to collect what an order owes today. Stored with its idempotency key before the gateway
 * is called. The two partial indexes hold what code alone cannot promise: one attempt under way,
 * and one collected, for the same money.
 */
export const attempts = pgTable(
  'attempts',
  {
    id: uuid().primaryKey().defaultRandom(),
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    /** What it collects: `first`, the sum due on the purchase day. */
    covers: text().notNull().default('first'),
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
    /** The gateway's reference of the method that it kept for later charges. */
    kept: text(),
    startedAt: moment().notNull(),
    settledAt: moment(),
  },
  (table) => [
    uniqueIndex('attempts_one_open')
      .on(table.orderId, table.covers)
      .where(sql`${table.state} in ('started', 'unknown', 'confirming')`),
    uniqueIndex('attempts_one_collected').on(table.orderId, table.covers).where(sql`${table.state} = 'collected'`),
    index('attempts_of_order').on(table.orderId),
  ],
)

/** The promise to pay over time that a line makes, and the method that is kept for it. */
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
    /** The gateway's reference; null where it kept none and the buyer must give a method. */
    kept: text(),
    method: text(),
    createdAt: moment().notNull(),
  },
  (table) => [index('agreements_of_person').on(table.personId), index('agreements_of_order').on(table.orderId)],
)

/** All that happened to an order or a person, in order. */
export const journal = pgTable(
  'journal',
  {
    id: bigserial({ mode: 'number' }).primaryKey(),
    orderId: uuid().references(() => orders.id, { onDelete: 'cascade' }),
    personId: uuid().references(() => people.id, { onDelete: 'cascade' }),
    at: moment().notNull(),
    what: text().notNull(),
    data: jsonb().$type<Record<string, string | number | null>>().notNull().default({}),
  },
  (table) => [
    index('journal_of_order').on(table.orderId, table.id),
    index('journal_of_person').on(table.personId, table.id),
  ],
)
