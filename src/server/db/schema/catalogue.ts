import { bigserial, boolean, index, integer, pgTable, primaryKey, text, unique, uuid } from 'drizzle-orm/pg-core'
import type { CourseContent } from '../../../core/content/course.ts'
import type { OfferContent } from '../../../core/content/offer.ts'
import { amount, bytes, kept, moment } from './columns.ts'
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

/**
 * What is taught, and the product that sells it alone. `draft` is what the creator edits and `draftRev` counts its saves; `live` is
 * what buyers see and changes only by publishing.
 */
export const courses = pgTable('courses', {
  id: uuid()
    .primaryKey()
    .references(() => products.id, { onDelete: 'cascade' }),
  slug: text().notNull().unique(),
  position: integer().notNull(),
  draft: kept<CourseContent>().notNull(),
  draftRev: integer().notNull().default(1),
  draftAt: moment().notNull(),
  live: kept<CourseContent>(),
  liveVersion: integer().notNull().default(0),
  liveAt: moment(),
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
    draft: kept<OfferContent>().notNull(),
    draftRev: integer().notNull().default(1),
    draftAt: moment().notNull(),
    live: kept<OfferContent>(),
    liveVersion: integer().notNull().default(0),
    liveAt: moment(),
    onSale: boolean().notNull().default(false),
    /** The creator's own real purchase to try things: nobody else sees it, and no list shows it. */
    isTrial: boolean().notNull().default(false),
    retiredAt: moment(),
    createdAt: moment().notNull(),
  },
  (table) => [index('offers_of_product').on(table.productId)],
)

/** Every published content with its time, so that an old price can always be shown. */
export const versions = pgTable(
  'versions',
  {
    id: bigserial({ mode: 'number' }).primaryKey(),
    subject: text({ enum: ['course', 'offer'] }).notNull(),
    subjectId: uuid().notNull(),
    version: integer().notNull(),
    content: kept<CourseContent | OfferContent>().notNull(),
    publishedAt: moment().notNull(),
    publishedBy: uuid().references(() => creators.id),
    /** False for prices in a currency that the school has left. */
    isComparable: boolean().notNull().default(true),
  },
  (table) => [unique('versions_numbered').on(table.subject, table.subjectId, table.version)],
)
