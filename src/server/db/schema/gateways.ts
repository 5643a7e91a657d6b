import { sql } from 'drizzle-orm'
import { bigserial, index, integer, jsonb, pgTable, text, unique, uniqueIndex, uuid } from 'drizzle-orm/pg-core'
import { MODES, moment } from './columns.ts'

/** A gateway set up by the creator, in one mode. Secrets are encrypted; only their ends are shown. */
export const connections = pgTable(
  'connections',
  {
    id: uuid().primaryKey().defaultRandom(),
    mode: text({ enum: MODES }).notNull(),
    adapter: text().notNull(),
    account: text().notNull(),
    accountName: text().notNull(),
    secret: text().notNull(),
    secretEnds: text().notNull(),
    signingSecret: text().notNull(),
    position: integer().notNull().default(0),
    verifiedAt: moment().notNull(),
    createdAt: moment().notNull(),
    disconnectedAt: moment(),
  },
  (table) => [
    uniqueIndex('connections_one_per_adapter')
      .on(table.mode, table.adapter)
      .where(sql`${table.disconnectedAt} is null`),
  ],
)

/** Every event that a gateway sent, the refused ones too. */
export const gatewayEvents = pgTable(
  'gateway_events',
  {
    id: bigserial({ mode: 'number' }).primaryKey(),
    connectionId: uuid().references(() => connections.id),
    /** The sender's id; null where the event was refused and its id cannot be trusted. */
    eventId: text(),
    type: text(),
    state: text({ enum: ['received', 'handled', 'unknown', 'refused'] }).notNull(),
    note: text(),
    body: jsonb(),
    receivedAt: moment().notNull(),
  },
  (table) => [
    unique('gateway_events_once').on(table.connectionId, table.eventId),
    index('gateway_events_newest').on(table.receivedAt),
  ],
)
