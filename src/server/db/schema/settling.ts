import { sql } from 'drizzle-orm'
import { boolean, date, index, pgTable, text, unique, uuid } from 'drizzle-orm/pg-core'
import { amount, moment } from './columns.ts'
import { attempts, orderLines, orders } from './orders.ts'

/** Money that came by bank transfer for an order, as someone has marked it. */
export const transfers = pgTable(
  'transfers',
  {
    id: uuid().primaryKey().defaultRandom(),
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    attemptId: uuid()
      .notNull()
      .references(() => attempts.id, { onDelete: 'cascade' }),
    amount: amount().notNull(),
    /** The day on which it came. */
    day: date({ mode: 'string' }).notNull(),
    note: text().notNull(),
    createdAt: moment().notNull(),
    takenBackAt: moment(),
    takenBackNote: text(),
    /** It came for an order that was paid already: it counts for nothing, and is given back by hand. */
    isSurplus: boolean().notNull().default(false),
    /** The day on which such money was given back at the bank. */
    givenBackOn: date({ mode: 'string' }),
  },
  (table) => [
    index('transfers_of_order').on(table.orderId),
    index('transfers_of_amount').on(table.amount),
    index('transfers_surplus')
      .on(table.createdAt)
      .where(sql`${table.isSurplus} and ${table.givenBackOn} is null and ${table.takenBackAt} is null`),
  ],
)

export const REFUND_STATES = ['started', 'refunded', 'refused'] as const

/**
 * Money given back of what one attempt collected, by line. Stored with its key before the gateway is asked; the same key
 * gives back once, so an answer that was lost is asked for again. Rows of one key are one call to the gateway.
 */
export const refunds = pgTable(
  'refunds',
  {
    id: uuid().primaryKey().defaultRandom(),
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    lineId: uuid()
      .notNull()
      .references(() => orderLines.id, { onDelete: 'cascade' }),
    attemptId: uuid()
      .notNull()
      .references(() => attempts.id, { onDelete: 'cascade' }),
    key: text().notNull(),
    /** The attempt that charges again what is kept of the same payment: once it is collected, the gateway is asked. */
    awaitsId: uuid().references(() => attempts.id, { onDelete: 'cascade' }),
    amount: amount().notNull(),
    state: text({ enum: REFUND_STATES }).notNull(),
    /** The gateway's reference, or what was typed of one given back outside; null where it was given back by hand. */
    reference: text(),
    /** Given back by other means than the payment method by which it came. */
    isOutside: boolean().notNull().default(false),
    /** Why it was refused. */
    why: text(),
    note: text().notNull(),
    /** What becomes of the access that the line gave. */
    access: text({ enum: ['keep', 'close'] }).notNull(),
    /** The courses of the line that it is for; null: all of it. */
    courseIds: uuid().array(),
    /** What is still to be paid loses the shares of these courses too. */
    lowersLater: boolean().notNull().default(false),
    /** A date in the school's zone. */
    day: date({ mode: 'string' }).notNull(),
    createdAt: moment().notNull(),
    settledAt: moment(),
  },
  (table) => [
    unique('refunds_called_by_line').on(table.key, table.lineId),
    index('refunds_of_order').on(table.orderId),
    index('refunds_of_amount').on(table.amount),
    index('refunds_referred').on(sql`lower(${table.reference})`),
    index('refunds_of_attempt').on(table.attemptId),
    index('refunds_awaiting').on(table.awaitsId).where(sql`${table.awaitsId} is not null`),
    index('refunds_under_way').on(table.createdAt).where(sql`${table.state} = 'started'`),
  ],
)

export const DISPUTE_STATES = ['open', 'contested', 'won', 'lost'] as const

/** A payment that its payer has their bank ask back, as the gateway tells it, and what was decided. */
export const disputes = pgTable(
  'disputes',
  {
    id: uuid().primaryKey().defaultRandom(),
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    attemptId: uuid()
      .notNull()
      .references(() => attempts.id, { onDelete: 'cascade' }),
    /** The gateway's own. */
    reference: text().notNull(),
    amount: amount().notNull(),
    reason: text().notNull(),
    state: text({ enum: DISPUTE_STATES }).notNull(),
    note: text(),
    createdAt: moment().notNull(),
    decidedAt: moment(),
    /** Where it was lost: when the creator decided what becomes of the course. */
    accessDecidedAt: moment(),
  },
  (table) => [
    unique('disputes_once').on(table.attemptId, table.reference),
    index('disputes_of_order').on(table.orderId),
    index('disputes_lost').on(table.createdAt).where(sql`${table.state} = 'lost' and ${table.accessDecidedAt} is null`),
    index('disputes_open').on(table.createdAt).where(sql`${table.state} in ('open', 'contested')`),
  ],
)
