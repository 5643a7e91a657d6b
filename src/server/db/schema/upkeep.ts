import { index, integer, jsonb, pgTable, text, unique, uuid } from 'drizzle-orm/pg-core'
import { amount, MODES, moment } from './columns.ts'
import { connections } from './gateways.ts'

/** What the installation knows of itself, by name: when it was backed up and put back, and of which time it lost what was. */
export const upkeep = pgTable('upkeep', {
  name: text({ enum: ['backup', 'restored', 'gap', 'clock'] }).primaryKey(),
  /** Real time. */
  at: moment().notNull(),
  data: jsonb().$type<Record<string, string>>().notNull().default({}),
})

/** A payment in a gateway's books that no order of ours knows, to be looked at by a person. */
export const unknownPayments = pgTable(
  'unknown_payments',
  {
    id: uuid().primaryKey().defaultRandom(),
    connectionId: uuid()
      .notNull()
      .references(() => connections.id),
    key: text().notNull(),
    /** The gateway's own. */
    reference: text().notNull(),
    amount: amount().notNull(),
    currency: text().notNull(),
    method: text().notNull(),
    /** What it was for, as it was said when it began. */
    about: text().notNull(),
    collectedAt: moment().notNull(),
    foundAt: moment().notNull(),
    /** open: nobody has looked at it · refunded · settled: dealt with otherwise, as the note says. */
    state: text({ enum: ['open', 'refunded', 'settled'] }).notNull(),
    note: text(),
    settledAt: moment(),
  },
  (table) => [unique('unknown_payments_once').on(table.connectionId, table.key)],
)

/**
 * One act of a person that was asked for with a key (`Idempotency-Key`), kept for a week with its answer, so that the same
 * request again is answered by it and does nothing (`platform/keyedRequest.ts`).
 */
export const keyedRequests = pgTable(
  'keyed_requests',
  {
    id: uuid().primaryKey().defaultRandom(),
    /** Whose key: the creator's, or a browser's. */
    who: text().notNull(),
    mode: text({ enum: MODES }).notNull(),
    key: text().notNull(),
    /** A hash of what was asked for: method, address and body. */
    fingerprint: text().notNull(),
    /** Until when an answer may still come from whoever works on it; after that another may go on. Real time. */
    busyUntil: moment().notNull(),
    /** What its transaction committed; null before. */
    result: jsonb().$type<{ value: unknown }>(),
    /** The answer, once there is one. */
    status: integer(),
    body: text(),
    /** Real time. */
    createdAt: moment().notNull(),
  },
  (table) => [
    unique('keyed_requests_once').on(table.who, table.mode, table.key),
    index('keyed_requests_by_age').on(table.createdAt),
  ],
)
