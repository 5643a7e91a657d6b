import { sql } from 'drizzle-orm'
import { bigint, boolean, check, integer, jsonb, pgTable, smallint, text, uuid, varchar } from 'drizzle-orm/pg-core'
import { type Look, PLAIN_LOOK } from '../../../core/look/look.ts'
import { MODES, moment } from './columns.ts'

/** How a kind of message is sent: whether, and with what words of the creator's own above it. */
export interface NotificationSetting {
  isOn: boolean
  ownWords: string
}

/** A move of practice time, on its way or done. */
export interface PracticeMove {
  /** The day on which it began … */
  from: string
  /** … and the one to which it goes. */
  to: string
  /** The newest journal entry before it. */
  since: number
  state: 'moving' | 'done'
}

/** The one creator's business that this installation serves. */
export const school = pgTable(
  'school',
  {
    id: smallint().primaryKey().default(1),
    name: text().notNull(),
    currency: text().notNull(),
    /** BCP 47 tag in which prices and sentences are written. */
    language: text().notNull(),
    /** Prices without decimals that are all zero, "€129". */
    leaveOutZeros: boolean().notNull().default(false),
    timeZone: text().notNull(),
    /** ISO 3166-1 alpha-2. */
    country: text().notNull(),
    taxMode: text({ enum: ['none', 'inclusive', 'exclusive'] }).notNull(),
    /** Basis points. */
    taxRate: integer().notNull(),
    /** After how many days a declined payment is tried again, and again. */
    retryAfterDays: integer().array().notNull().default([1, 3, 7]),
    /** Days of grace that a new offer begins with. */
    graceDays: integer().notNull().default(3),
    /** What is told to whom, by the kind of message; a kind that is missing is told as it comes. */
    notifications: jsonb().$type<Record<string, NotificationSetting>>().notNull().default({}),
    /** Whom mail comes from, where that is not the school's name; empty: the school's name. */
    senderName: text().notNull().default(''),
    /** Where buyers' answers go; empty: to the creator. */
    replyTo: text().notNull().default(''),
    /** How the creator hears of sales. */
    saleNotices: text({ enum: ['each', 'daily', 'off'] })
      .notNull()
      .default('each'),
    /** So many days before a subscription renews its buyer is told; 0: not at all. */
    renewalNoticeDays: integer().notNull().default(0),
    /** So many days before an access of a limited time ends its buyer is told; 0: not at all. */
    endNoticeDays: integer().notNull().default(7),
    /** For so many years the books keep what a person bought, also where their data is deleted. */
    keepYears: integer().notNull().default(7),
    /** How its shop looks. */
    look: jsonb().$type<Look>().notNull().default(PLAIN_LOOK),
    /** The terms of sale, as plain paragraphs. */
    terms: text().notNull().default(''),
    /** How far practice time runs ahead, in milliseconds. Live time cannot move. */
    practiceAheadMs: bigint({ mode: 'number' }).notNull().default(0),
    /** The last move of it. */
    practiceMove: jsonb().$type<PracticeMove>(),
    /** The mode in which strangers buy; the creator may look at the shop in the other one. */
    shopMode: text({ enum: MODES }).notNull().default('practice'),
    createdAt: moment().notNull(),
  },
  (table) => [check('school_only_one', sql`${table.id} = 1`)],
)

export const creators = pgTable('creators', {
  id: uuid().primaryKey().defaultRandom(),
  email: text().notNull().unique(),
  name: text().notNull(),
  passwordHash: text().notNull(),
  createdAt: moment().notNull(),
})

/** What is counted so that it cannot be asked for without end (limits.ts). */
export const rateLimits = pgTable('rate_limits', {
  key: varchar({ length: 255 }).primaryKey(),
  points: integer().notNull().default(0),
  /** Milliseconds since 1970; after it the row counts no more. */
  expire: bigint({ mode: 'number' }),
})
