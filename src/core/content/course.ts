import * as v from 'valibot'
import { isDay } from '../calendar/day.ts'

/** Cloth colours: the spine of a course on the shelf and the head of its pages. */
export const COVER_COLORS = ['spruce', 'madder', 'ochre', 'indigo', 'slate', 'plum'] as const
export type CoverColor = (typeof COVER_COLORS)[number]

const richText = v.pipe(v.string(), v.maxLength(100_000, 'This text is too long.'))

const lessonSchema = v.object({
  id: v.pipe(v.string(), v.minLength(1), v.maxLength(60)),
  title: v.pipe(v.string(), v.maxLength(160, 'Use at most 160 characters.')),
  body: richText,
})

/** The largest picture that is taken, in bytes, and what is said of one that is larger. */
export const MAX_PICTURE_BYTES = 12 * 1024 * 1024
export const PICTURE_TOO_LARGE = 'This picture is over 12 MB. Make it smaller first.'

/** What a creator writes about a course; rich texts are HTML that the server has cleaned. */
export const courseContentSchema = v.object({
  title: v.pipe(
    v.string(),
    v.trim(),
    v.nonEmpty('A course needs a title.'),
    v.maxLength(120, 'Use at most 120 characters.'),
  ),
  summary: v.pipe(v.string(), v.maxLength(300, 'Use at most 300 characters.')),
  description: richText,
  coverColor: v.picklist(COVER_COLORS),
  coverId: v.nullable(v.pipe(v.string(), v.uuid())),
  lessons: v.pipe(v.array(lessonSchema), v.maxLength(300, 'A course holds at most 300 lessons.')),
  /** The day on which it opens for everybody who has it; null: with the purchase. */
  opens: v.optional(v.nullable(v.pipe(v.string(), v.check(isDay, 'This date does not exist.'))), null),
})

export type CourseContent = v.InferOutput<typeof courseContentSchema>
/** What a lesson is called wherever it is shown: by its place, until it has a title. */
export function lessonTitle(lesson: Pick<Lesson, 'title'>, index: number): string {
  return lesson.title.trim() || `Lesson ${index + 1}`
}

export type Lesson = v.InferOutput<typeof lessonSchema>
