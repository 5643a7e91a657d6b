import { sql } from 'drizzle-orm'
import { type AnyPgColumn, check, index, pgTable, text, unique, uuid } from 'drizzle-orm/pg-core'
import { MODES, moment } from './columns.ts'
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

/** A signed-in browser: a creator's or a buyer's, never both. Only the token's hash is kept. */
export const sessions = pgTable(
  'sessions',
  {
    tokenHash: text().primaryKey(),
    creatorId: uuid().references(() => creators.id, { onDelete: 'cascade' }),
    personId: uuid().references(() => people.id, { onDelete: 'cascade' }),
    /** Names it to its owner. */
    id: uuid().notNull().unique().defaultRandom(),
    /** What the browser calls itself. */
    device: text().notNull().default(''),
    createdAt: moment().notNull(),
    expiresAt: moment().notNull(),
  },
  (table) => [check('sessions_one_owner', sql`num_nonnulls(${table.creatorId}, ${table.personId}) = 1`)],
)
