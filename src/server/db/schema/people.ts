import { sql } from 'drizzle-orm'
import { type AnyPgColumn, check, date, index, pgTable, text, unique, uniqueIndex, uuid } from 'drizzle-orm/pg-core'
import { courses } from './catalogue.ts'
import { MODES, moment } from './columns.ts'
import { orderLines, orders } from './orders.ts'
import { creators } from './school.ts'

/** A buyer, in one mode. The address is kept in lower case. */
export const people = pgTable(
  'people',
  {
    id: uuid().primaryKey().defaultRandom(),
    mode: text({ enum: MODES }).notNull(),
    email: text().notNull(),
    name: text().notNull(),
    /** Where they live, as they or the creator wrote it, for receipts; empty where nobody did. */
    postalAddress: text().notNull().default(''),
    passwordHash: text(),
    /** Name and address without case and accents, for the search. */
    searchText: text().notNull().generatedAlwaysAs(sql`plain_text(name || ' ' || email)`),
    createdAt: moment().notNull(),
    /** Their data was deleted but for what the books must keep. */
    erasedAt: moment(),
  },
  (table) => [
    unique('people_one_per_address').on(table.mode, table.email),
    index('people_newest').on(table.mode, table.createdAt, table.id),
    index('people_found').using('gin', sql`${table.searchText} gin_trgm_ops`),
  ],
)

/**
 * A link by which an account proves that an address is its own: a buyer's or the creator's. It sets a password, or, where
 * it holds an address, takes that one on. Used once, and not after it has ended.
 */
export const passwordLinks = pgTable(
  'password_links',
  {
    tokenHash: text().primaryKey(),
    personId: uuid().references(() => people.id, { onDelete: 'cascade' }),
    creatorId: uuid().references((): AnyPgColumn => creators.id, { onDelete: 'cascade' }),
    /** The address that it was sent to, to be taken on; null where it sets a password. */
    email: text(),
    createdAt: moment().notNull(),
    expiresAt: moment().notNull(),
    usedAt: moment(),
  },
  (table) => [
    check('password_links_one_owner', sql`num_nonnulls(${table.creatorId}, ${table.personId}) = 1`),
    index('password_links_of_person').on(table.personId),
    index('password_links_ended').on(table.expiresAt),
  ],
)

/**
 * One buyer's access to one course and why they have it: by a line of an order, or given by hand.
 * The indexes make a second grant for the same thing impossible, whatever the code does.
 */
export const grants = pgTable(
  'grants',
  {
    id: uuid().primaryKey().defaultRandom(),
    mode: text({ enum: MODES }).notNull(),
    personId: uuid()
      .notNull()
      .references(() => people.id),
    courseId: uuid()
      .notNull()
      .references(() => courses.id),
    orderId: uuid().references(() => orders.id),
    lineId: uuid().references(() => orderLines.id),
    /** The offer by which it was bought; null where it was given. */
    offerId: uuid(),
    /** Why it was given by hand. */
    note: text(),
    opens: date({ mode: 'string' }).notNull(),
    closes: date({ mode: 'string' }),
    /** From this day an unpaid payment shuts it, past its grace, until it is paid. */
    shuts: date({ mode: 'string' }),
    createdAt: moment().notNull(),
    endedAt: moment(),
    endedNote: text(),
  },
  (table) => [
    uniqueIndex('grants_once_per_line').on(table.lineId, table.courseId),
    uniqueIndex('grants_once_by_hand')
      .on(table.personId, table.courseId)
      .where(sql`${table.lineId} is null and ${table.endedAt} is null`),
    index('grants_of_offer').on(table.offerId, table.mode, table.personId).where(sql`${table.endedAt} is null`),
    index('grants_of_person').on(table.personId),
    index('grants_of_order').on(table.orderId),
    // Money that came after an access that ends on a date had ended.
    index('grants_too_late').on(table.mode).where(sql`${table.closes} <= ${table.opens}`),
  ],
)
