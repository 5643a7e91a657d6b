import { toJsonSchema } from '@valibot/to-json-schema'
import * as v from 'valibot'
import { bundleContentSchema } from '../../core/content/bundle.ts'
import { pageContentSchema } from '../../core/content/checkoutPage.ts'
import { couponContentSchema } from '../../core/content/coupon.ts'
import { courseContentSchema } from '../../core/content/course.ts'
import { frontContentSchema } from '../../core/content/front.ts'
import { offerContentSchema } from '../../core/content/offer.ts'
import { lookSchema, PLAIN_LOOK } from '../../core/look/look.ts'
import { BASKET_SLUG } from '../catalogue/slug.ts'
import { retriesSchema } from '../collecting/policy.ts'
import { notificationsSchema } from '../outbox/notifications.ts'
import { graceSchema, keepYearsSchema, mailSchema, schoolSchema, termsSchema } from '../school/service.ts'
import { strictly } from './strictly.ts'

/** What stands at the head of a school's file, and the version of its format that is written. */
export const FORMAT = 'young-acorn-school'
export const VERSION = 1
/** A file is not larger than this, in bytes. */
export const MAX_FILE_BYTES = 64 * 1024 * 1024

const id = v.pipe(v.string(), v.uuid('An id is a UUID.'))
const slug = v.pipe(
  v.string(),
  v.regex(/^[a-z0-9]+(-[a-z0-9]+)*$/, 'An address is made of small letters, digits and hyphens.'),
  v.maxLength(80, 'Use at most 80 characters.'),
  v.check((value) => value !== BASKET_SLUG, `"${BASKET_SLUG}" is the address at which baskets are paid.`),
)
/** `live` is what buyers see: null, or left out, where it was never published. */
const drafted = <S extends Parameters<typeof strictly>[0]>(content: S) => {
  const strict = strictly(content)
  return { draft: strict, live: v.optional(v.nullable(strict), null) }
}
const isRetired = v.optional(v.boolean(), false)

const offerSchema = v.strictObject({
  id,
  ...drafted(offerContentSchema),
  onSale: v.optional(v.boolean(), false),
  isRetired,
})
const offers = v.optional(v.pipe(v.array(offerSchema), v.maxLength(200)), [])

/** One kind of thing in a file: an array, which may be left out. */
const many = <S extends v.GenericSchema>(item: S, most = 5000) =>
  v.optional(v.pipe(v.array(item), v.maxLength(most, `At most ${most}.`)), [])

/** A school in one file: settings, courses, bundles, offers, coupons, pages, the shop's front, and their pictures. */
export const schoolFileSchema = v.strictObject({
  format: v.literal(FORMAT, `This is no file of a school: "format" must be "${FORMAT}".`),
  version: v.literal(VERSION, `Only version ${VERSION} of the format is known.`),
  school: v.strictObject({
    ...strictly(schoolSchema).entries,
    ...strictly(mailSchema).entries,
    graceDays: graceSchema,
    keepYears: keepYearsSchema,
    retryAfterDays: retriesSchema,
    terms: termsSchema,
    look: v.optional(strictly(lookSchema), PLAIN_LOOK),
    ...strictly(notificationsSchema).entries,
  }),
  pictures: many(v.strictObject({ id, data: v.pipe(v.string(), v.base64('A picture is written in base64.')) })),
  /** Videos are named, not held: one whose file is not there yet is missing at its part. */
  videos: many(
    v.strictObject({
      id,
      /** SHA-256 of its file, in hexadecimal digits. */
      checksum: v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/, 'A checksum is 64 hexadecimal digits.')),
      type: v.picklist(['video/mp4', 'video/webm']),
      /** Bytes. */
      length: v.pipe(v.number(), v.safeInteger(), v.minValue(1)),
    }),
  ),
  courses: many(v.strictObject({ id, slug, ...drafted(courseContentSchema), isRetired, offers })),
  bundles: many(v.strictObject({ id, slug, ...drafted(bundleContentSchema), isRetired, offers })),
  /** The pages at which products are sold, each one's own first; left out, a product gets its own by itself. */
  pages: many(
    v.strictObject({
      id,
      product: id,
      slug,
      isEveryday: v.optional(v.boolean(), true),
      /** Buttons lead to it that sell its product; where none says so, to the one for every day. */
      isMain: v.optional(v.boolean(), false),
      isRetired,
      /** Addresses that it had before, which lead on to it. */
      before: v.optional(v.pipe(v.array(slug), v.maxLength(1000)), []),
      ...drafted(pageContentSchema),
    }),
  ),
  coupons: many(
    v.strictObject({
      id,
      ...drafted(couponContentSchema),
      /** When it was ended by hand; null: it was not. */
      endedAt: v.optional(
        v.nullable(v.pipe(v.string(), v.isoTimestamp('Write a moment like 2027-03-04T10:00:00.000Z.'))),
        null,
      ),
      isRetired,
      /** Of a set: its single-use codes. */
      codes: v.optional(
        v.pipe(
          v.array(
            v.strictObject({
              code: v.pipe(
                v.string(),
                v.regex(/^[A-Za-z0-9_-]{1,40}$/, 'A code has 1 to 40 letters (A to Z), digits, - and _.'),
              ),
              isWithdrawn: v.optional(v.boolean(), false),
            }),
          ),
          v.maxLength(10_000, 'A set has at most 10 000 codes.'),
        ),
        [],
      ),
    }),
  ),
  front: v.optional(v.nullable(v.strictObject(drafted(frontContentSchema))), null),
  /** The page at which a basket is paid, with its order bumps and upsells. */
  basketPage: v.optional(v.nullable(v.strictObject(drafted(pageContentSchema))), null),
})
export type SchoolFile = v.InferOutput<typeof schoolFileSchema>

/** The format as JSON Schema (draft 2020-12). What it cannot say, as that references lead somewhere, the import checks. */
export function schoolFileJsonSchema(): object {
  const { $schema, ...schema } = toJsonSchema(schoolFileSchema, {
    errorMode: 'ignore',
    typeMode: 'input',
    target: 'draft-2020-12',
  })
  return { $schema, title: `A school of Young Acorn, version ${VERSION}`, ...schema }
}

/** JSON as it is written: keys in the order of their letters at every level, two spaces, a line break at the end. */
export function writeSorted(value: unknown): string {
  return `${JSON.stringify(sorted(value), null, 2)}\n`
}

function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted)
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(
    Object.entries(value)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([key, entry]) => [key, sorted(entry)]),
  )
}
