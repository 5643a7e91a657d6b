import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useDeferredValue } from 'react'
import { shotsOf } from '../../core/checkoutPages/parts.ts'
import type { PageState } from '../../core/checkoutPages/states.ts'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import type { Look } from '../../core/look/look.ts'
import type { NoticeView, PageOnBench } from '../../server/client.ts'
import { PageLayout } from '../../ui/checkoutPages/PageLayout.tsx'
import { lookStyle } from '../../ui/look.ts'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { Waiting } from '../frame/Waiting.tsx'
import { PageCanvas, ShownForm } from './PageCanvas.tsx'

export const loadShown = (id: string, content: PageContent, state: PageState) =>
  unwrap(api.pages[':id'].shown.$post({ param: { id }, json: { content, state } }))

/** What the server says of a page in a state: asked anew only where what is typed can change it. */
export function useShown(pageId: string, content: PageContent, state: PageState) {
  const { parts, offers, chosen, bumps, upsells, code, ends } = content
  const kinds = parts.map((part) => [
    part.kind,
    shotsOf(part).map(({ shot }) => shot.pictureId),
    part.kind === 'video' ? [part.videoId, part.stillId] : null,
  ])
  const asked = useDeferredValue(JSON.stringify([kinds, offers, chosen, bumps, upsells.length > 0, code, ends]))
  return useQuery({
    queryKey: ['page', pageId, 'shown', state, asked],
    queryFn: () => loadShown(pageId, content, state),
    placeholderData: keepPreviousData,
    staleTime: 30_000,
  })
}

interface ShownPageProps {
  content: PageContent
  shown: PageOnBench | undefined
  /** An earlier version is looked at, and cannot be written on. */
  isOld: boolean
  /** Another look than the school has, to be tried. */
  look?: Look
}
/** The page as it is shown on the bench. */
export function ShownPage({ content, shown, isOld, look }: ShownPageProps) {
  if (!shown) return <Waiting />
  if (!shown.page) return shown.notice && <ShownNotice notice={shown.notice} />
  const { form } = shown.page
  const { school } = shown.page.facts
  const facts = look ? { ...shown.page.facts, school: { ...school, look } } : shown.page.facts
  if (isOld) {
    return (
      <div inert className="pb-12 text-[15px] leading-[1.45]" style={lookStyle(facts.school.look)}>
        <PageLayout shaped={content} facts={facts} form={<ShownForm markup={form} />} />
      </div>
    )
  }
  return <PageCanvas content={content} facts={facts} form={form} />
}

/** What buyers see where there is nothing to buy. */
function ShownNotice({ notice }: { notice: NoticeView }) {
  return (
    <div className="mx-auto mt-10 w-[640px] max-w-[calc(100%-32px)] rounded-lg border border-line bg-sheet px-8 py-8 text-[15px]">
      <h1 className="text-[26px]">{notice.title}</h1>
      <p className="mt-2 text-ink-2">{notice.text}</p>
      <p className="mt-4 flex flex-wrap gap-4">
        {notice.actions.map(({ label }) => (
          <span key={label} className="link">
            {label}
          </span>
        ))}
      </p>
    </div>
  )
}
