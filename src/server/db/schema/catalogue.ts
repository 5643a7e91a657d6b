import { sql } from 'drizzle-orm'
import {
  bigserial,
  boolean,
  index,
  integer,
  pgTable,
  primaryKey,
  text,
  unique,
  uniqueIndex,
  uuid,
} from 'drizzle-orm/pg-core'
import type { PageContent } from '../../../core/content/checkoutPage.ts'
import type { CouponContent } from '../../../core/content/coupon.ts'
import type { CourseContent } from '../../../core/content/course.ts'
import type { OfferContent } from '../../../core/content/offer.ts'
import { amount, bytes, drafted, moment, versioned } from './columns.ts'
import { creators } from './school.ts'

/** Uploaded pictures, re-encoded in two sizes. */
export const pictures = pgTable('pictures', {
  id: uuid().primaryKey().defaultRandom(),
  large: bytes().notNull(),
  small: bytes().notNull(),
  width: integer().notNull(),
  height: integer().notNull(),
  createdAt: moment().notNull(),
})

export const PRODUCT_KINDS = ['course', 'bundle'] as const

/** What is sold: a course, or later a bundle of courses. Each kind has a table of its own, by the product's id. */
export const products = pgTable('products', {
  id: uuid().primaryKey().defaultRandom(),
  kind: text({ enum: PRODUCT_KINDS }).notNull(),
  /** Its name in the books: the first address that it ever had. */
  bookName: text().notNull().unique(),
  createdAt: moment().notNull(),
})

/** The courses that a product opens, in their order. What is paid is split over them by weight. */
export const productCourses = pgTable(
  'product_courses',
  {
    productId: uuid()
      .notNull()
      .references(() => products.id, { onDelete: 'cascade' }),
    courseId: uuid()
      .notNull()
      .references(() => courses.id, { onDelete: 'cascade' }),
    position: integer().notNull(),
    weight: amount().notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.productId, table.courseId] }),
    index('product_courses_of_course').on(table.courseId),
  ],
)

/** What is taught, and the product that sells it alone. */
export const courses = pgTable('courses', {
  id: uuid()
    .primaryKey()
    .references(() => products.id, { onDelete: 'cascade' }),
  slug: text().notNull().unique(),
  position: integer().notNull(),
  ...drafted<CourseContent>(),
  retiredAt: moment(),
  createdAt: moment().notNull(),
})

/** One product at one set of price terms. Sold only while it is live, on sale and not retired. */
export const offers = pgTable(
  'offers',
  {
    id: uuid().primaryKey().defaultRandom(),
    productId: uuid()
      .notNull()
      .references(() => products.id, { onDelete: 'cascade' }),
    position: integer().notNull(),
    ...drafted<OfferContent>(),
    onSale: boolean().notNull().default(false),
    /** The creator's own real purchase to try things: nobody else sees it, and no list shows it. */
    isTestPurchase: boolean().notNull().default(false),
    retiredAt: moment(),
    createdAt: moment().notNull(),
  },
  (table) => [index('offers_of_product').on(table.productId)],
)

/** A checkout page of a product. Each product has one for every day, made by itself; its address is the product's. */
export const checkoutPages = pgTable(
  'checkout_pages',
  {
    id: uuid().primaryKey().defaultRandom(),
    productId: uuid()
      .notNull()
      .references(() => products.id, { onDelete: 'cascade' }),
    /** The last part of its address, `/buy/<slug>`. */
    slug: text().notNull().unique(),
    isEveryday: boolean().notNull(),
    ...drafted<PageContent>(),
    createdAt: moment().notNull(),
  },
  (table) => [
    index('checkout_pages_of_product').on(table.productId),
    uniqueIndex('checkout_pages_one_everyday').on(table.productId).where(sql`${table.isEveryday}`),
  ],
)

/** Every published content with its time, so that an old price can always be shown. */
export const versions = pgTable(
  'versions',
  {
    id: bigserial({ mode: 'number' }).primaryKey(),
    subject: text({ enum: ['course', 'offer', 'page', 'coupon'] }).notNull(),
    subjectId: uuid().notNull(),
    version: integer().notNull(),
    content: versioned<CourseContent | OfferContent | PageContent | CouponContent>().notNull(),
    publishedAt: moment().notNull(),
    publishedBy: uuid().references(() => creators.id),
    /** False for prices in a currency that the school has left. */
    isComparable: boolean().notNull().default(true),
  },
  (table) => [unique('versions_numbered').on(table.subject, table.subjectId, table.version)],
)
