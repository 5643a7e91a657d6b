import { sql } from 'drizzle-orm'
import { type AnyPgColumn, index, jsonb, pgTable, text, uuid } from 'drizzle-orm/pg-core'
import { MODES, moment } from './columns.ts'
import { agreements, attempts, orders } from './orders.ts'
import { people } from './people.ts'
import { refunds } from './settling.ts'

export const MESSAGE_KINDS = [
  'receipt',
  'password',
  'given',
  'collected',
  'declined',
  'stopped',
  'cancelled',
  'method-changed',
  'card-expiring',
  'awaiting',
  'not-arrived',
  'transfer-part',
  'transfer-surplus',
  'refunded',
  'already-owned',
  'paid-twice',
  'code-refused',
  'bundle-grew',
  'due-moved',
  'cancel-taken-back',
  'renewal-ahead',
  'pay-link',
  'opened',
  'opening-moved',
  'ends-soon',
  // To the creator.
  'creator-declined',
  'creator-stopped',
  'creator-cancelled',
  'creator-disputed',
  'creator-dispute-ended',
  'creator-sold',
  'creator-awaiting',
] as const
export type MessageKind = (typeof MESSAGE_KINDS)[number]

/** An email as it was sent. */
export interface SentEmail {
  subject: string
  text: string
  html: string
}

/** A message to a buyer, or to the creator about one. Its text is made when it is sent, so that no link's secret is stored. */
export const messages = pgTable(
  'messages',
  {
    id: uuid().primaryKey().defaultRandom(),
    mode: text({ enum: MODES }).notNull(),
    kind: text({ enum: MESSAGE_KINDS }).notNull(),
    personId: uuid()
      .notNull()
      .references(() => people.id),
    orderId: uuid().references(() => orders.id),
    /** What it is about, where payments over time are. */
    agreementId: uuid().references(() => agreements.id, { onDelete: 'cascade' }),
    /** For `collected`: the attempt that collected it; null in older ones. */
    attemptId: uuid().references(() => attempts.id, { onDelete: 'cascade' }),
    /** For `refunded`: the refund. */
    refundId: uuid().references(() => refunds.id, { onDelete: 'cascade' }),
    /** For `given`, `already-owned`, `code-refused` and `bundle-grew`: the course. */
    courseTitle: text(),
    /** dropped: what it would say was no longer true when its turn came. */
    state: text({ enum: ['waiting', 'sent', 'failed', 'dropped'] }).notNull(),
    error: text(),
    /** Where it was sent, or is to be sent where that is not the buyer's own address any more. */
    to: text(),
    /** As it was sent; links that work once stand in it as what they are for, so that no secret is stored. */
    email: jsonb('letter').$type<SentEmail>(),
    /** The message of which this is sent once more. */
    againOf: uuid().references((): AnyPgColumn => messages.id, { onDelete: 'set null' }),
    createdAt: moment().notNull(),
    sentAt: moment(),
  },
  (table) => [
    index('messages_of_order').on(table.orderId),
    index('messages_of_person').on(table.personId),
    index('messages_of_attempt').on(table.attemptId).where(sql`${table.attemptId} is not null`),
    index('messages_failed').on(table.createdAt).where(sql`${table.state} = 'failed'`),
    index('messages_waiting').on(table.mode).where(sql`${table.state} = 'waiting'`),
  ],
)
