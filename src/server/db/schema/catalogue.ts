import { getViewSelectedFields, sql } from 'drizzle-orm'
import {
  bigserial,
  boolean,
  date,
  index,
  integer,
  pgTable,
  pgView,
  primaryKey,
  text,
  unique,
  uniqueIndex,
  uuid,
} from 'drizzle-orm/pg-core'
import type { BundleContent } from '../../../core/content/bundle.ts'
import type { PageContent } from '../../../core/content/checkoutPage.ts'
import type { CouponContent } from '../../../core/content/coupon.ts'
import type { CourseContent } from '../../../core/content/course.ts'
import type { FrontContent } from '../../../core/content/front.ts'
import type { OfferContent } from '../../../core/content/offer.ts'
import { amount, drafted, moment, versioned } from './columns.ts'
import { creators } from './school.ts'

export const PRODUCT_KINDS = ['course', 'bundle'] as const

/** What is sold: a course, or a bundle of courses. Each kind has a table of its own, by the product's id. */
export const products = pgTable('products', {
  id: uuid().primaryKey().defaultRandom(),
  kind: text({ enum: PRODUCT_KINDS }).notNull(),
  /** Its name in the books: the first address that it ever had. */
  bookName: text().notNull().unique(),
  createdAt: moment().notNull(),
})

/**
 * The courses that a product opens for who buys it now, in their order. What is paid is split over them by weight: of a
 * bundle the creator's figure, which counts where the course has no price alone, and 0 where there is none.
 */
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

/** A course's opening day, as it is live; null: none. */
export const OPENING_DAY = sql<string | null>`(${courses.live} ->> 'opens')`

/** Several courses sold as one. What it opens stands in `productCourses`. */
export const bundles = pgTable('bundles', {
  id: uuid()
    .primaryKey()
    .references(() => products.id, { onDelete: 'cascade' }),
  slug: text().notNull().unique(),
  position: integer().notNull(),
  ...drafted<BundleContent>(),
  retiredAt: moment(),
  createdAt: moment().notNull(),
})

/** What every kind of product has, of all kinds together (migration `0024`). */
export const catalogue = pgView('catalogue', {
  id: uuid().notNull(),
  kind: text({ enum: PRODUCT_KINDS }).notNull(),
  slug: text().notNull(),
  position: integer().notNull(),
  draft: versioned<CourseContent | BundleContent>().notNull(),
  live: versioned<CourseContent | BundleContent>(),
  retiredAt: moment(),
  createdAt: moment().notNull(),
  /** The address of the checkout page to which buttons lead that sell it (migration `0030`). */
  pageSlug: text(),
}).existing()
/** Its columns, to be selected as a whole beside a table. */
export const CATALOGUE_COLUMNS = getViewSelectedFields(catalogue)

/**
 * A course that joins a bundle, or leaves it, for those who have it: done in turns by a worker, each line once. `after`
 * is the last line that was looked at, in the order of their ids.
 */
export const bundleGrowths = pgTable(
  'bundle_growths',
  {
    id: uuid().primaryKey().defaultRandom(),
    bundleId: uuid()
      .notNull()
      .references(() => bundles.id, { onDelete: 'cascade' }),
    courseId: uuid()
      .notNull()
      .references(() => courses.id, { onDelete: 'cascade' }),
    /** joins: it opens for them · leaves: it closes. */
    what: text({ enum: ['joins', 'leaves'] }).notNull(),
    /** They are written to. */
    notifies: boolean().notNull(),
    /** The school's days on which it began, one of each mode: the course opens on them. */
    liveDay: date({ mode: 'string' }).notNull(),
    practiceDay: date({ mode: 'string' }).notNull(),
    /** Lines that had the bundle when it began, and those that it was done for so far. */
    total: integer().notNull(),
    done: integer().notNull().default(0),
    after: uuid(),
    createdAt: moment().notNull(),
    finishedAt: moment(),
  },
  (table) => [
    index('bundle_growths_of_bundle').on(table.bundleId, table.createdAt),
    index('bundle_growths_under_way').on(table.createdAt).where(sql`${table.finishedAt} is null`),
  ],
)

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
    /** What it sells; null of the one at which a basket is paid (migration `0028`). */
    productId: uuid().references(() => products.id, { onDelete: 'cascade' }),
    /** The last part of its address, `/buy/<slug>`. */
    slug: text().notNull().unique(),
    isEveryday: boolean().notNull(),
    /** Where the buttons of shop, basket and messages lead that sell its product. */
    isMain: boolean().notNull().default(false),
    ...drafted<PageContent>(),
    retiredAt: moment(),
    createdAt: moment().notNull(),
  },
  (table) => [
    index('checkout_pages_of_product').on(table.productId),
    uniqueIndex('checkout_pages_one_everyday').on(table.productId).where(sql`${table.isEveryday}`),
    uniqueIndex('checkout_pages_one_main').on(table.productId).where(sql`${table.isMain}`),
  ],
)

/** Addresses that checkout pages had before: each leads on to the page as it is called now. */
export const pageAddresses = pgTable('page_addresses', {
  slug: text().primaryKey(),
  pageId: uuid()
    .notNull()
    .references(() => checkoutPages.id, { onDelete: 'cascade' }),
  createdAt: moment().notNull(),
})

/** The shop's front: one row, made when it is first shaped. */
export const fronts = pgTable('fronts', {
  id: uuid().primaryKey().defaultRandom(),
  /** There is one. */
  isOnly: boolean().notNull().default(true).unique(),
  ...drafted<FrontContent>(),
  createdAt: moment().notNull(),
})

/** Every published content with its time, so that an old price can always be shown. */
export const versions = pgTable(
  'versions',
  {
    id: bigserial({ mode: 'number' }).primaryKey(),
    subject: text({ enum: ['course', 'bundle', 'offer', 'page', 'coupon', 'front'] }).notNull(),
    subjectId: uuid().notNull(),
    version: integer().notNull(),
    content: versioned<
      CourseContent | BundleContent | OfferContent | PageContent | CouponContent | FrontContent
    >().notNull(),
    publishedAt: moment().notNull(),
    publishedBy: uuid().references(() => creators.id),
    /** False for prices in a currency that the school has left. */
    isComparable: boolean().notNull().default(true),
  },
  (table) => [unique('versions_numbered').on(table.subject, table.subjectId, table.version)],
)
