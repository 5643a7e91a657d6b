import { sql } from 'drizzle-orm'
import { index, integer, pgTable, text, unique, uniqueIndex, uuid } from 'drizzle-orm/pg-core'
import type { CouponContent } from '../../../core/content/coupon.ts'
import { amount, drafted, MODES, moment } from './columns.ts'
import { orders } from './orders.ts'

/** A rule by which a code takes something off. It applies while it is live and neither ended nor retired. */
export const coupons = pgTable('coupons', {
  id: uuid().primaryKey().defaultRandom(),
  ...drafted<CouponContent>(),
  /** Ended by hand, before its time. */
  endedAt: moment(),
  retiredAt: moment(),
  /** Of a set: how many codes were asked for and are not made yet. A worker makes them. */
  codesToMake: integer().notNull().default(0),
  createdAt: moment().notNull(),
})

/** What buyers type. A word is one coupon's at a time; freed, another may take it. */
export const codes = pgTable(
  'codes',
  {
    id: uuid().primaryKey().defaultRandom(),
    couponId: uuid()
      .notNull()
      .references(() => coupons.id, { onDelete: 'cascade' }),
    /** As it is shown. */
    code: text().notNull(),
    /** As it is compared (pricing rules, section 6). */
    key: text().notNull(),
    /** Its coupon has another word now, or was retired. */
    freedAt: moment(),
    /** Of a set: it counts no more. */
    withdrawnAt: moment(),
    createdAt: moment().notNull(),
  },
  (table) => [
    uniqueIndex('codes_one_of_a_word').on(table.key).where(sql`${table.freedAt} is null`),
    index('codes_of_coupon').on(table.couponId, table.createdAt, table.id),
  ],
)

/**
 * reserved: by an order that is not paid · used: its order is paid · released: the try was declined or abandoned, and
 * the next one reserves again.
 */
export const CODE_USE_STATES = ['reserved', 'used', 'released'] as const

/** That an order was placed with a code, and what the code took off all its listed payments. */
export const codeUses = pgTable(
  'code_uses',
  {
    id: uuid().primaryKey().defaultRandom(),
    mode: text({ enum: MODES }).notNull(),
    couponId: uuid()
      .notNull()
      .references(() => coupons.id),
    codeId: uuid()
      .notNull()
      .references(() => codes.id),
    orderId: uuid()
      .notNull()
      .references(() => orders.id, { onDelete: 'cascade' }),
    state: text({ enum: CODE_USE_STATES }).notNull(),
    saves: amount().notNull(),
    /** Hash of the address from which it was reserved, as long as it is. */
    heldFrom: text(),
    createdAt: moment().notNull(),
  },
  (table) => [
    unique('code_uses_once_per_order').on(table.orderId, table.couponId),
    index('code_uses_of_code').on(table.codeId),
    index('code_uses_held_from').on(table.heldFrom).where(sql`${table.state} = 'reserved'`),
    index('code_uses_held').on(table.createdAt).where(sql`${table.state} = 'reserved'`),
    index('code_uses_of_coupon').on(table.couponId, table.mode).where(sql`${table.state} <> 'released'`),
  ],
)
