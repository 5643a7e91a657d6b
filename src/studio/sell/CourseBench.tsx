import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { flushSync } from 'react-dom'
import { useNavigate, useParams } from 'react-router'
import { toast } from 'sonner'
import { courseChanges } from '../../core/content/changes.ts'
import { COVER_COLORS, type CourseContent } from '../../core/content/course.ts'
import type { Fix } from '../../core/readiness/readiness.ts'
import { classes } from '../../ui/classes.ts'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { DraftBench, usePublishing } from '../drafting/DraftBench.tsx'
import { useDraft } from '../drafting/useDraft.ts'
import { Section, Work } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { CourseMirror } from './CourseMirror.tsx'
import { CoverField } from './CoverField.tsx'
import { focusTitle, Lessons, newLesson } from './Lessons.tsx'
import { type BenchCourse, refreshShelf, useCourse } from './queries.ts'
import { RichText } from './RichText.tsx'

/** The bench for the course in the address. */
export function CourseBenchPage() {
  const { id = '' } = useParams()
  const course = useCourse(id)
  if (course.error) return <Work bench={<p className="py-10 text-ink-2">{course.error.message}</p>} mirror={null} />
  if (!course.data) return <Work bench={<Waiting />} mirror={null} />
  return <CourseBench key={course.data.id} course={course.data} />
}

function CourseBench({ course }: { course: BenchCourse }) {
  const navigate = useNavigate()
  const [slug, setSlug] = useState(course.slug)
  const draft = useDraft<CourseContent>({
    first: course,
    save: async (baseRev, content) => {
      const saved = await unwrap(
        api.catalogue.courses[':id'].draft.$put({ param: { id: course.id }, json: { baseRev, content } }),
      )
      setSlug(saved.slug)
      void refreshShelf()
      return saved
    },
  })
  const publishing = usePublishing(draft)
  const { content, change, state } = draft
  const errorAt = (field: string) => (state.kind === 'failed' ? state.error.at(`/content/${field}`) : undefined)

  const param = { id: course.id }
  const meta = { invalidates: [['course', course.id], ['shelf']] }
  const { mutate: setRetired } = useMutation({
    mutationFn: (isRetired: boolean) =>
      unwrap(api.catalogue.courses[':id'].retired.$put({ param, json: { isRetired } })),
    onSuccess: (_, isRetired) =>
      toast(isRetired ? 'Retired. It is no longer sold; people who have it keep it.' : 'Brought back.'),
    meta,
  })
  const { mutate: duplicate } = useMutation({
    mutationFn: () => unwrap(api.catalogue.courses[':id'].duplicate.$post({ param })),
    onSuccess: ({ id }) => navigate(`/studio/sell/courses/${id}`),
    meta: { invalidates: [['shelf']] },
  })
  const addLesson = () => {
    const lesson = newLesson()
    flushSync(() => change({ lessons: [...content.lessons, lesson] }))
    focusTitle(lesson)
  }
  const fix = (to: Fix['to']) => {
    if (to === 'bring-back') setRetired(false)
    else if (to === 'add-lesson') addLesson()
    else if (to === 'name-lesson') focusTitle(content.lessons.find(({ title }) => !title.trim()) ?? { id: '' })
    else void publishing.open()
  }
  const { mutate: remove } = useMutation({
    mutationFn: () => unwrap(api.catalogue.courses[':id'].$delete({ param })),
    onSuccess: async () => {
      // The one that opens next is chosen from the shelf.
      await refreshShelf()
      navigate('/studio/sell')
    },
    meta: { invalidates: [] },
  })

  return (
    <Work
      bench={
        <DraftBench
          draft={draft}
          publishing={publishing}
          kicker={`Course${course.retiredAt ? ' · retired' : course.live ? ' · live' : ' · not live yet'}`}
          isRetired={course.retiredAt !== null}
          setRetired={setRetired}
          duplicate={duplicate}
          remove={remove}
          keptBecause={course.wasSold ? 'was sold' : null}
          publish={{
            title: `Publish “${content.title}”`,
            changes: courseChanges(course.live, draft.saved.draft),
            notes: ['Prices are published at their offers.'],
            blocked: [],
            run: () => unwrap(api.catalogue.courses[':id'].publish.$post({ param, json: { rev: draft.revision() } })),
            ...meta,
          }}
          changesOf={(theirs) => courseChanges(theirs, content)}
        >
          <h1 className="mt-1 text-[27px]">
            <input
              aria-label="Title of the course"
              aria-invalid={Boolean(errorAt('title'))}
              placeholder="Title of the course"
              maxLength={120}
              value={content.title}
              onChange={(event) => change({ title: event.target.value })}
              className="display w-full rounded bg-transparent font-semibold placeholder:text-ink-3 hover:bg-sheet-2"
            />
          </h1>
          {errorAt('title') && (
            <p role="alert" className="text-[13px] font-medium text-failed">
              {errorAt('title')}
            </p>
          )}
          <Section title="In short">
            <Field
              label="Short text"
              hint={`Shown below the title on every page. ${300 - content.summary.length} characters left.`}
              error={errorAt('summary')}
            >
              {(wiring) => (
                <textarea
                  {...wiring}
                  rows={2}
                  maxLength={300}
                  className={BOX_INPUT}
                  value={content.summary}
                  onChange={(event) => change({ summary: event.target.value })}
                />
              )}
            </Field>
            <CoverColorChoice content={content} change={change} />
          </Section>
          <Section title="Description">
            <RichText
              label="Description"
              html={content.description}
              onChange={(description) => change({ description })}
            />
          </Section>
          <Section title="Cover">
            <CoverField coverId={content.coverId} onChange={(coverId) => change({ coverId })} />
          </Section>
          <Section title="Lessons">
            <Lessons lessons={content.lessons} onChange={(lessons) => change({ lessons })} />
          </Section>
        </DraftBench>
      }
      mirror={<CourseMirror course={course} slug={slug} content={content} fix={fix} />}
    />
  )
}

function CoverColorChoice({
  content,
  change,
}: {
  content: CourseContent
  change: (patch: Partial<CourseContent>) => void
}) {
  return (
    <fieldset className="mt-3 flex items-center gap-2">
      <legend className="float-left mr-1 text-[13px] font-semibold">Cover colour</legend>
      {COVER_COLORS.map((coverColor) => (
        <label
          key={coverColor}
          title={coverColor}
          className={classes(
            'block size-7 cursor-pointer rounded-[5px] border-2 has-focus-visible:outline-2 has-focus-visible:outline-leaf',
            COVER_CLASS[coverColor],
            coverColor === content.coverColor ? 'border-ink ring-2 ring-acorn' : 'border-transparent',
          )}
        >
          <input
            type="radio"
            name="coverColor"
            value={coverColor}
            checked={coverColor === content.coverColor}
            onChange={() => change({ coverColor })}
            className="sr-only"
          />
          <span className="sr-only">{coverColor}</span>
        </label>
      ))}
    </fieldset>
  )
}
