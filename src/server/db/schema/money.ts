import { bigserial, date, integer, pgTable, primaryKey, text, uuid } from 'drizzle-orm/pg-core'
import { amount, MODES } from './columns.ts'

/** What a sum is about: payments of one offer by one way that are due on one day, collected or not. */
const about = {
  mode: text({ enum: MODES }).notNull(),
  /** The payments' due day. */
  day: date({ mode: 'string' }).notNull(),
  offerId: uuid().notNull(),
  /** The gateway's id; empty where none is known. */
  adapter: text().notNull(),
  state: text({ enum: ['due', 'collected'] }).notNull(),
}
const sums = {
  pay: amount().notNull(),
  n: integer().notNull(),
}

/**
 * Changes of the sums, written by triggers in the transaction that changes a payment. Only ever added, so that no
 * two sales wait for each other; a worker adds them up into `money_sums`.
 */
export const moneyDeltas = pgTable('money_deltas', {
  id: bigserial({ mode: 'number' }).primaryKey(),
  ...about,
  ...sums,
})

/** The sums as far as they were added up. With the deltas they are what the payments come to. */
export const moneySums = pgTable('money_sums', { ...about, ...sums }, (table) => [
  primaryKey({ columns: [table.mode, table.day, table.offerId, table.adapter, table.state] }),
])
