import { courseChanges } from '../../core/content/changes.ts'
import { type CourseContent, lessonTitle } from '../../core/content/course.ts'
import type { Fix, Obstacle } from '../../core/readiness/readiness.ts'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { PreviewSection } from '../frame/Places.tsx'
import { useSession } from '../session/session.ts'
import { Obstacles } from './Obstacles.tsx'
import { AddOffer, useAddOffer } from './OfferLine.tsx'
import { type BenchCourse, useShelf } from './queries.ts'
import { SoldAs } from './SoldAs.tsx'

interface CourseMirrorProps {
  course: BenchCourse
  slug: string
  content: CourseContent
  /** Leads to the fix of an obstacle on the course's own side. */
  fix: (to: Fix['to']) => void
}

/** What follows from a course: its offers, what stands in the way, and its page. */
export function CourseMirror({ course, slug, content, fix }: CourseMirrorProps) {
  const offers = useShelf().data?.find(({ id }) => id === course.id)?.offers ?? []
  const { school } = useSession()
  const addOffer = useAddOffer(course.id)
  const onSale = offers.filter(({ isRetired }) => !isRetired)
  return (
    <>
      <PreviewSection label="How it is sold">
        <SoldAs offers={onSale} />
        <AddOffer productId={course.id} label={onSale.length === 0 ? 'Give it a price' : 'Add another offer'} />
      </PreviewSection>
      <PreviewSection label="Before the first sale">
        <Obstacles
          obstacles={obstacles(course, content, onSale, school.language)}
          fix={(to) => (to === 'price' ? addOffer() : fix(to))}
          nothing="Nothing missing in the course."
        />
      </PreviewSection>
      <PreviewSection label="The buyer sees">
        <div className="overflow-hidden rounded-lg border border-line bg-sheet">
          <div className={`px-4 py-4 text-[#f4f8ea] ${COVER_CLASS[content.coverColor]}`}>
            <p className="display text-[19px] leading-tight font-semibold">{content.title || 'Untitled course'}</p>
            <p className="mt-1 text-[13.5px]">{content.summary}</p>
          </div>
          <ol className="px-4 py-2 text-[13.5px]">
            {content.lessons.slice(0, 6).map((lesson, index) => (
              <li key={lesson.id} className="border-b border-line py-1 last:border-0">
                {index + 1}. {lessonTitle(lesson, index)}
              </li>
            ))}
            {content.lessons.length === 0 && <li className="py-1 text-ink-3">No lessons yet</li>}
          </ol>
        </div>
        {course.live && (
          <p className="mt-2 text-[13px]">
            <a className="link" href={`/course/${slug}`} target="_blank" rel="noreferrer">
              Open the course page
            </a>
          </p>
        )}
      </PreviewSection>
    </>
  )
}

function obstacles(
  course: BenchCourse,
  content: CourseContent,
  offers: { isLive: boolean }[],
  language: string,
): Obstacle[] {
  const found: Obstacle[] = []
  const add = (code: string, level: Obstacle['level'], title: string, detail: string, fix: Obstacle['fix']) =>
    found.push({ code, level, stopsPublishing: false, title, detail, fix })
  if (course.retiredAt)
    add('retired', 'block', 'Retired.', 'It is not sold. People who have it keep it.', {
      to: 'bring-back',
      label: 'Bring back',
    })
  else if (!course.live)
    add('draft', 'block', 'Not published yet.', 'Buyers do not see it until it is published.', {
      to: 'publish',
      label: 'Publish',
    })
  if (offers.length === 0)
    add('no-offer', 'block', 'It has no price.', 'Give it one, or make it free.', { to: 'price', label: 'Give it one' })
  if (course.live && courseChanges(course.live, content, language).length > 0)
    add('changed', 'warning', 'Buyers still see the published version.', '', { to: 'publish', label: 'Review' })
  if (content.lessons.length === 0)
    add('no-lessons', 'warning', 'No lessons: buyers would find the course empty.', '', {
      to: 'add-lesson',
      label: 'Add one',
    })
  const untitled = content.lessons.findIndex(({ title }) => !title.trim())
  if (untitled >= 0) {
    add('lesson-untitled', 'warning', `Lesson ${untitled + 1} has no title.`, 'Buyers see its number instead.', {
      to: 'name-lesson',
      label: 'Name it',
    })
  }
  return found
}
