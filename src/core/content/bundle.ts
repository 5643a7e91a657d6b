import * as v from 'valibot'
import { LARGEST_AMOUNT } from '../money/arithmetic.ts'
import { COVER_COLORS } from './course.ts'

/** The fewest and the most courses that a bundle holds. */
export const MIN_COURSES = 2
export const MAX_COURSES = 200

const figureSchema = v.pipe(
  v.number('Write an amount.'),
  v.integer('Write an amount.'),
  v.minValue(0, 'It cannot be below zero.'),
  v.maxValue(LARGEST_AMOUNT, 'This amount is too large.'),
)

/** What a creator writes about a bundle; the description is HTML that the server has cleaned. */
export const bundleContentSchema = v.object({
  title: v.pipe(
    v.string(),
    v.trim(),
    v.nonEmpty('A bundle needs a title.'),
    v.maxLength(120, 'Use at most 120 characters.'),
  ),
  summary: v.pipe(v.string(), v.maxLength(300, 'Use at most 300 characters.')),
  description: v.pipe(v.string(), v.maxLength(100_000, 'This text is too long.')),
  coverColor: v.picklist(COVER_COLORS),
  coverId: v.nullable(v.pipe(v.string(), v.uuid())),
  /** Every course that is published, those to come included; `courses` is then not used, and kept. */
  includesAll: v.boolean(),
  /** Its courses in their order; `figure` is what one is worth (minor units) where it has no one-time price, else null. */
  courses: v.pipe(
    v.array(v.object({ id: v.pipe(v.string(), v.uuid()), figure: v.nullable(figureSchema) })),
    v.maxLength(MAX_COURSES, `A bundle holds at most ${MAX_COURSES} courses.`),
    v.check(
      (courses) => new Set(courses.map(({ id }) => id)).size === courses.length,
      'The same course is in it twice.',
    ),
  ),
})
export type BundleContent = v.InferOutput<typeof bundleContentSchema>

/**
 * What a course costs alone: its first one-time offer that is on sale for everybody (minor units), at its list price and
 * at the one in force; both are 0 where it is free. Null where it cannot be bought so.
 */
export type AlonePrice = { list: number; now: number } | null

/** A course that a bundle holds, or could hold. */
export interface BundledCourse {
  id: string
  title: string
  /** Published, and not retired. */
  isOnShelf: boolean
  alone: AlonePrice
}

/**
 * What a course weighs in a bundle (selling rules, section 4): its list price alone, else the creator's figure. Null
 * where there is neither.
 */
export function weightOf(alone: AlonePrice, figure: number | null): number | null {
  return alone?.list ?? figure
}

/**
 * What the courses of a bundle cost one by one (minor units), by the prices in force: `sum` with the creator's figures
 * where a course has no price; null where one has neither. `isTrue` where every one can be bought at its price today, so
 * that the shop may say it.
 */
export function oneByOne(courses: readonly { alone: AlonePrice; figure: number | null }[]): {
  sum: number | null
  isTrue: boolean
} {
  const prices = courses.map(({ alone, figure }) => alone?.now ?? figure)
  const isKnown = courses.length > 0 && prices.every((price) => price !== null)
  return {
    sum: isKnown ? prices.reduce<number>((sum, price) => sum + (price ?? 0), 0) : null,
    isTrue: isKnown && courses.every(({ alone }) => alone !== null),
  }
}

/**
 * What a bundle saves: minor units, and the percent of it, rounded down. Null where it saves nothing.
 * @example savingOf(30_000, 24_500) // { amount: 5500, percent: 18 }
 */
export function savingOf(sum: number | null, price: number): { amount: number; percent: number } | null {
  if (sum === null || sum <= price) return null
  return { amount: sum - price, percent: Math.floor(((sum - price) * 100) / sum) }
}

/** What stops a bundle from being published: its field, and a sentence for it. */
export interface BundleProblem {
  at: string
  why: string
  /** The course that it is about, if one. */
  courseId: string | null
}

/** Everything that stops a bundle from being published, in the order of its fields. @param known every course of the school. */
export function bundleProblems(
  { includesAll, courses }: BundleContent,
  known: readonly BundledCourse[],
): BundleProblem[] {
  if (includesAll) {
    const held = known.filter(({ isOnShelf }) => isOnShelf).length
    if (held <= MAX_COURSES) return []
    return [{ at: '/includesAll', why: `A bundle holds at most ${MAX_COURSES} courses.`, courseId: null }]
  }
  const found: BundleProblem[] = []
  if (courses.length < MIN_COURSES) {
    found.push({ at: '/courses', why: `Choose at least ${MIN_COURSES} courses.`, courseId: null })
  }
  for (const [index, { id, figure }] of courses.entries()) {
    const course = known.find((one) => one.id === id)
    const at = `/courses/${index}`
    if (!course) found.push({ at: `${at}/id`, why: 'This course does not exist any more.', courseId: id })
    else if (!course.isOnShelf) {
      found.push({ at: `${at}/id`, why: `“${course.title}” is not published.`, courseId: id })
    } else if (weightOf(course.alone, figure) === null) {
      const why = `“${course.title}” has no one-time price. Write what it is worth; its share of each sale is based on it.`
      found.push({ at: `${at}/figure`, why, courseId: id })
    }
  }
  return found
}

/** A bundle as it begins. */
export function newBundle(title: string, coverColor: BundleContent['coverColor']): BundleContent {
  return { title, summary: '', description: '', coverColor, coverId: null, includesAll: false, courses: [] }
}
