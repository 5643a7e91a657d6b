import { sql } from 'drizzle-orm'
import { pgTable, primaryKey, text, uniqueIndex, uuid } from 'drizzle-orm/pg-core'
import { offers, products } from './catalogue.ts'
import { amount, MODES, moment } from './columns.ts'
import { people } from './people.ts'

/** What somebody is about to buy: of a browser by its cookie, or of who is signed in. */
export const baskets = pgTable(
  'baskets',
  {
    id: uuid().primaryKey().defaultRandom(),
    mode: text({ enum: MODES }).notNull(),
    /** Hash of the browser's cookie; null once it belongs to an account. */
    tokenHash: text(),
    personId: uuid().references(() => people.id, { onDelete: 'cascade' }),
    changedAt: moment().notNull(),
  },
  (table) => [
    uniqueIndex('baskets_of_browser').on(table.mode, table.tokenHash).where(sql`${table.tokenHash} is not null`),
    uniqueIndex('baskets_of_person').on(table.personId).where(sql`${table.personId} is not null`),
  ],
)

/** One thing in a basket: each product once, by one of its offers. */
export const basketLines = pgTable(
  'basket_lines',
  {
    basketId: uuid()
      .notNull()
      .references(() => baskets.id, { onDelete: 'cascade' }),
    productId: uuid()
      .notNull()
      .references(() => products.id, { onDelete: 'cascade' }),
    offerId: uuid()
      .notNull()
      .references(() => offers.id, { onDelete: 'cascade' }),
    /** The price that its buyer names; null: what is suggested. */
    chosen: amount(),
    /** Its whole price in words, as its buyer saw it last. */
    priceSeen: text().notNull(),
    addedAt: moment().notNull(),
    /** When it was taken out; it can be put back for a while. */
    takenOutAt: moment(),
  },
  (table) => [primaryKey({ columns: [table.basketId, table.productId] })],
)
