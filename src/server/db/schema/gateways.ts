import { sql } from 'drizzle-orm'
import {
  bigserial,
  boolean,
  index,
  integer,
  jsonb,
  pgTable,
  text,
  unique,
  uniqueIndex,
  uuid,
} from 'drizzle-orm/pg-core'
import { MODES, moment } from './columns.ts'

/** What the creator writes for who pays by transfer. */
export interface TransferSettings {
  title: string
  description: string
  instructions: string
  holder: string
  iban: string
  /** Empty where it is not known. */
  bic: string
}

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
    /** By the account's own terms nothing else may be offered beside it. */
    standsAlone: boolean().notNull().default(false),
    /** For bank transfer: what buyers are told, and the account. */
    transfer: jsonb().$type<TransferSettings>(),
    position: integer().notNull().default(0),
    verifiedAt: moment().notNull(),
    createdAt: moment().notNull(),
    disconnectedAt: moment(),
    /** Not offered to buyers since then; what is agreed is still collected. */
    pausedAt: moment(),
    /** It has not answered since then; null once it does. */
    downSince: moment(),
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
