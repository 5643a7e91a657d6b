import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { flushSync } from 'react-dom'
import { useNavigate, useParams } from 'react-router'
import { toast } from 'sonner'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { courseChanges } from '../../core/content/changes.ts'
import type { CourseContent } from '../../core/content/course.ts'
import type { Fix } from '../../core/readiness/readiness.ts'
import { unwrap } from '../../ui/problem.ts'
import { useOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { DraftBench, usePublishing } from '../drafting/DraftBench.tsx'
import { OpenBench } from '../drafting/OpenBench.tsx'
import { useUnreadFields } from '../drafting/UnreadFields.tsx'
import { useDraft } from '../drafting/useDraft.ts'
import { Section, Work } from '../frame/Places.tsx'
import { useSession, useStudioToday } from '../session/session.ts'
import { formatHolders, formatOpensFor } from './BundleHolders.tsx'
import { CourseMirror } from './CourseMirror.tsx'
import { CoverField } from './CoverField.tsx'
import { focusTitle, Lessons, newLesson } from './Lessons.tsx'
import { OpeningField } from './OpeningField.tsx'
import { ProductHead } from './ProductHead.tsx'
import { type BenchCourse, refreshShelf, useCourse } from './queries.ts'
import { RetireAsk } from './RetireAsk.tsx'
import { RichText } from './RichText.tsx'
import { useRetiring } from './useRetiring.ts'

/** The bench for the course in the address. */
export function CourseBenchPage() {
  const { id = '' } = useParams()
  return <OpenBench query={useCourse(id)}>{(course) => <CourseBench course={course} />}</OpenBench>
}

function CourseBench({ course }: { course: BenchCourse }) {
  const navigate = useNavigate()
  const { school } = useSession()
  const today = useStudioToday()
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
  const unread = useUnreadFields()
  const { content, change, state } = draft
  const errorAt = (field: string) => (state.kind === 'failed' ? state.error.at(`/content/${field}`) : undefined)

  const param = { id: course.id }
  const publishOnce = useOnce()
  const meta = { invalidates: [['course', course.id], ['shelf'], ['bundle']] }
  const { mutate: retire } = useMutation({
    mutationFn: ({ isRetired, inBundles = null }: { isRetired: boolean; inBundles?: 'keep' | 'take-out' | null }) =>
      unwrap(api.catalogue.courses[':id'].retired.$put({ param, json: { isRetired, inBundles } })),
    onSuccess: (_, { isRetired }) =>
      toast(isRetired ? 'Retired. It is no longer sold; people who have it keep it.' : 'Brought back.'),
    meta,
  })
  const retiring = useRetiring({ product: course.id }, course.inBundles.length > 0, (isRetired) =>
    retire({ isRetired }),
  )
  const { setRetired } = retiring
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
          unread={unread}
          kicker={`Course${course.retiredAt ? ' · retired' : course.live ? ' · published' : ' · not published yet'}`}
          isRetired={course.retiredAt !== null}
          setRetired={setRetired}
          duplicate={duplicate}
          remove={remove}
          keptBecause={course.wasSold ? 'was sold' : course.inBundles.length > 0 ? 'is in a bundle' : null}
          publish={{
            title: `Publish “${content.title}”`,
            changes: courseChanges(course.live, draft.saved.draft, school.language),
            notes: [
              'Prices are published with their offers.',
              ...course.opensFor.map(formatOpensFor),
              ...formatMoved(course, draft.saved.draft.opens, today, school.language),
            ],
            blocked: unread.map(({ label, why }) => `“${label}” is not saved. ${why}`),
            run: () =>
              publishOnce((header) =>
                api.catalogue.courses[':id'].publish.$post({ param, json: { rev: draft.revision() }, header }),
              ),
            ...meta,
          }}
          changesOf={(theirs) => courseChanges(theirs, content, school.language)}
        >
          <ProductHead kind="course" content={content} change={change} errorAt={errorAt} />
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
          <Section title="Opening">
            <OpeningField opens={content.opens} today={today} onChange={(opens) => change({ opens })} />
          </Section>
          <Section title="Lessons">
            <Lessons lessons={content.lessons} onChange={(lessons) => change({ lessons })} />
          </Section>
        </DraftBench>
      }
      mirror={
        <>
          <CourseMirror course={course} slug={slug} content={content} fix={fix} />
          <RetireAsk
            kind="course"
            bundles={course.inBundles}
            retiring={retiring}
            retire={(inBundles) => retire({ isRetired: true, inBundles })}
          />
        </>
      }
    />
  )
}

/** Says how many buyers are waiting for a course whose opening day changes; nothing where it stays, or none wait. */
function formatMoved({ live, waiting }: BenchCourse, opens: string | null, today: string, language: string): string[] {
  if (!live || live.opens === opens || waiting.live + waiting.practice === 0) return []
  const isOne = waiting.live + waiting.practice === 1
  const when = opens !== null && opens > today ? `on ${formatDay(opens, language)}` : 'at once'
  const has = `${formatHolders(waiting)} ${isOne ? 'has it and waits' : 'have it and wait'} for its opening`
  return [`${has}. It now opens for them ${when}, or later where their offer says so. They get a message.`]
}
