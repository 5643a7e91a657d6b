import { jsonb, pgTable, text, unique, uuid } from 'drizzle-orm/pg-core'
import { amount, moment } from './columns.ts'
import { connections } from './gateways.ts'

/** What the installation knows of itself, by name: when it was backed up and put back. */
export const upkeep = pgTable('upkeep', {
  name: text({ enum: ['backup', 'restored'] }).primaryKey(),
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
