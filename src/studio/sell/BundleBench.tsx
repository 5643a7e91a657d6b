import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import { toast } from 'sonner'
import { type BundleContent, bundleProblems } from '../../core/content/bundle.ts'
import { bundleChanges } from '../../core/content/changes.ts'
import type { Fix } from '../../core/readiness/readiness.ts'
import { unwrap } from '../../ui/problem.ts'
import { useOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { DraftBench, usePublishing } from '../drafting/DraftBench.tsx'
import { OpenBench } from '../drafting/OpenBench.tsx'
import { useUnreadFields } from '../drafting/UnreadFields.tsx'
import { useDraft } from '../drafting/useDraft.ts'
import { Section, Work } from '../frame/Places.tsx'
import { useSession } from '../session/session.ts'
import { BundleCourses } from './BundleCourses.tsx'
import { BundleHolders, type HoldersChoice, NOT_SAID } from './BundleHolders.tsx'
import { BundleMirror } from './BundleMirror.tsx'
import { CoverField } from './CoverField.tsx'
import { ProductHead } from './ProductHead.tsx'
import { type BenchBundle, refreshShelf, useBundle } from './queries.ts'
import { RetireAsk } from './RetireAsk.tsx'
import { RichText } from './RichText.tsx'
import { useRetiring } from './useRetiring.ts'

/** The bench for the bundle in the address. */
export function BundleBenchPage() {
  const { id = '' } = useParams()
  return <OpenBench query={useBundle(id)}>{(bundle) => <BundleBench bundle={bundle} />}</OpenBench>
}

function BundleBench({ bundle }: { bundle: BenchBundle }) {
  const navigate = useNavigate()
  const { school } = useSession()
  const [slug, setSlug] = useState(bundle.slug)
  const param = { id: bundle.id }
  const draft = useDraft<BundleContent>({
    first: bundle,
    save: async (baseRev, content) => {
      const saved = await unwrap(api.bundles[':id'].draft.$put({ param, json: { baseRev, content } }))
      setSlug(saved.slug)
      void refreshShelf()
      return saved
    },
  })
  const publishing = usePublishing(draft)
  const unread = useUnreadFields()
  const { content, change, state } = draft
  const errorAt = (field: string) => (state.kind === 'failed' ? state.error.at(`/content/${field}`) : undefined)
  const [choice, setChoice] = useState<HoldersChoice>(NOT_SAID)
  const publishOnce = useOnce()
  const meta = { invalidates: [['bundle', bundle.id], ['shelf']] }
  const { mutate: retire } = useMutation({
    mutationFn: (isRetired: boolean) => unwrap(api.bundles[':id'].retired.$put({ param, json: { isRetired } })),
    onSuccess: (_, isRetired) =>
      toast(isRetired ? 'Retired. It is no longer sold; people who have it keep its courses.' : 'Brought back.'),
    meta,
  })
  const { mutate: duplicate } = useMutation({
    mutationFn: () => unwrap(api.bundles[':id'].duplicate.$post({ param })),
    onSuccess: ({ id }) => navigate(`/studio/sell/bundles/${id}`),
    meta: { invalidates: [['shelf']] },
  })
  const { mutate: remove } = useMutation({
    mutationFn: () => unwrap(api.bundles[':id'].$delete({ param })),
    onSuccess: async () => {
      // The one that opens next is chosen from the shelf.
      await refreshShelf()
      navigate('/studio/sell')
    },
    meta: { invalidates: [] },
  })
  const retiring = useRetiring({ product: bundle.id }, false, retire)
  const { setRetired } = retiring
  const fix = (to: Fix['to']) => {
    if (to === 'bring-back') setRetired(false)
    else if (to === 'courses') goToCourses()
    else void publishing.open()
  }
  const titleOf = (id: string) => bundle.known.find((course) => course.id === id)?.title ?? 'a course that is gone'
  const saved = draft.saved.draft
  const { joins, leaves, asks } = changesFor(bundle, saved)
  const isSaid = (joins.length === 0 || choice.opens !== null) && (leaves.length === 0 || choice.closes !== null)
  const problems = problemsOf(bundle, saved)
  const isChanged = bundle.live !== null && bundleChanges(bundle.live, content, school, titleOf).length > 0
  return (
    <Work
      bench={
        <DraftBench
          draft={draft}
          publishing={publishing}
          unread={unread}
          kicker={`Bundle${bundle.retiredAt ? ' · retired' : bundle.live ? ' · published' : ' · not published yet'}`}
          isRetired={bundle.retiredAt !== null}
          setRetired={setRetired}
          duplicate={duplicate}
          remove={remove}
          keptBecause={bundle.wasSold ? 'was sold' : null}
          publish={{
            title: `Publish “${content.title}”`,
            changes: bundleChanges(bundle.live, saved, school, titleOf),
            notes: ['Prices are published with their offers.'],
            asks: asks && (
              <BundleHolders
                holders={bundle.holders}
                joins={joins.map(titleOf)}
                leaves={leaves.map(titleOf)}
                choice={choice}
                choose={setChoice}
              />
            ),
            blocked: [
              ...problems.map(({ why }) => why),
              ...(asks && !isSaid ? ['Say what happens for those who have the bundle.'] : []),
            ],
            run: async () => {
              const forHolders = asks
                ? { opens: choice.opens ?? false, closes: choice.closes ?? false, notifies: choice.notifies }
                : null
              await publishOnce((header) =>
                api.bundles[':id'].publish.$post({ param, json: { rev: draft.revision(), forHolders }, header }),
              )
              setChoice(NOT_SAID)
            },
            ...meta,
          }}
          changesOf={(theirs) => bundleChanges(theirs, content, school, titleOf)}
        >
          <ProductHead kind="bundle" content={content} change={change} errorAt={errorAt} />
          <div id={COURSES} tabIndex={-1}>
            <Section title="Courses">
              <BundleCourses content={content} known={bundle.known} change={change} />
            </Section>
          </div>
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
        </DraftBench>
      }
      mirror={
        <>
          <BundleMirror
            bundle={bundle}
            slug={slug}
            content={content}
            problems={problemsOf(bundle, content)}
            isChanged={isChanged}
            fix={fix}
          />
          <RetireAsk kind="bundle" retiring={retiring} retire={() => retire(true)} />
        </>
      }
    />
  )
}

/** The place on the bench where the courses are. */
const COURSES = 'bundle-courses'

function goToCourses() {
  const place = document.getElementById(COURSES)
  place?.scrollIntoView({ block: 'center' })
  place?.focus({ preventScroll: true })
}

/** What stops a draft from being published; courses that were retired and stayed in the bundle may stay. */
function problemsOf({ known, live }: BenchBundle, content: BundleContent) {
  const liveCourseIds = new Set(live?.courses.map(({ id }) => id))
  return bundleProblems(
    content,
    known.map((course) => ({ ...course, isOnShelf: course.isOnShelf || liveCourseIds.has(course.id) })),
  )
}

/** Which courses join and leave by publishing a draft, and whether it is asked what that means for those who have it. */
function changesFor({ known, opened, holders, live }: BenchBundle, { includesAll, courses }: BundleContent) {
  const wanted = includesAll
    ? known.filter(({ isOnShelf }) => isOnShelf).map(({ id }) => id)
    : courses.map(({ id }) => id)
  const joins = wanted.filter((id) => !opened.includes(id))
  const leaves = opened.filter((id) => !wanted.includes(id))
  const isHeld = live !== null && holders.live + holders.practice > 0
  return { joins, leaves, asks: isHeld && joins.length + leaves.length > 0 }
}
