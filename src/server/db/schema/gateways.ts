import { sql } from 'drizzle-orm'
import {
  bigserial,
  boolean,
  date,
  index,
  integer,
  jsonb,
  pgTable,
  primaryKey,
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
  /** Empty of an account in a country without IBANs; then it has a number. */
  iban: string
  accountNumber?: string | undefined
  /** The bank's code, and what its country calls it. */
  bankCode?: string | undefined
  bankCodeName?: string | undefined
  /** Empty where it is not known; without an IBAN another code may stand here. */
  bic: string
  /** Other details of the account, one a line. */
  lines?: string | undefined
  /** For so many days an order waits for its transfer; absent: 14. */
  waitDays?: number | undefined
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
    /** Its books were compared with ours up to then, in real time. */
    reconciledAt: moment(),
  },
  (table) => [
    uniqueIndex('connections_one_per_adapter')
      .on(table.mode, table.adapter)
      .where(sql`${table.disconnectedAt} is null`),
  ],
)

/** Every event that a gateway signed. */
export const gatewayEvents = pgTable(
  'gateway_events',
  {
    id: bigserial({ mode: 'number' }).primaryKey(),
    connectionId: uuid().references(() => connections.id),
    /** The sender's id; null where the event was refused and its id cannot be trusted. */
    eventId: text(),
    type: text(),
    /** unreadable: rightly signed, and not of a shape that is known · refused: from before they were counted. */
    state: text({ enum: ['received', 'handled', 'unknown', 'unreadable', 'refused'] }).notNull(),
    note: text(),
    body: jsonb(),
    receivedAt: moment().notNull(),
  },
  (table) => [
    unique('gateway_events_once').on(table.connectionId, table.eventId),
    index('gateway_events_newest').on(table.receivedAt),
  ],
)

/** Events that nobody signed, or that are too old, counted by day: they are not kept. */
export const eventRefusals = pgTable(
  'event_refusals',
  {
    connectionId: uuid()
      .notNull()
      .references(() => connections.id, { onDelete: 'cascade' }),
    /** A date in UTC. */
    day: date({ mode: 'string' }).notNull(),
    count: integer().notNull(),
    lastNote: text().notNull(),
    lastAt: moment().notNull(),
  },
  (table) => [primaryKey({ columns: [table.connectionId, table.day] })],
)
