import { useMutation } from '@tanstack/react-query'
import { ChevronLeft } from 'lucide-react'
import { type ReactNode, useMemo, useState } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { toast } from 'sonner'
import { addPart, movePart, stepPart } from '../../core/checkoutPages/arrange.ts'
import { setAt } from '../../core/checkoutPages/edit.ts'
import { pageWarnings } from '../../core/checkoutPages/facts.ts'
import { emptyPart, type PartKind } from '../../core/checkoutPages/parts.ts'
import { PAGE_STATES, type PageState } from '../../core/checkoutPages/states.ts'
import { type PageContent, pageProblems } from '../../core/content/checkoutPage.ts'
import { type PageNames, pageChanges } from '../../core/content/pageChanges.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { unwrap } from '../../ui/problem.ts'
import { api, queryClient } from '../api.ts'
import { DraftBench, usePublishing } from '../drafting/DraftBench.tsx'
import { UnreadFields, useUnreadFields } from '../drafting/UnreadFields.tsx'
import { type Draft, useDraft } from '../drafting/useDraft.ts'
import { MenuItem } from '../frame/Menu.tsx'
import { PreviewSection } from '../frame/Places.tsx'
import { Select } from '../frame/Select.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { type BenchPage, productPath, usePage } from '../sell/queries.ts'
import { RetireAsk } from '../sell/RetireAsk.tsx'
import { UpsellList, UpsellPreview } from '../sell/UpsellFields.tsx'
import { useRetiring } from '../sell/useRetiring.ts'
import { useSession, useStudioNow } from '../session/session.ts'
import { AddPart } from './AddPart.tsx'
import { Before, chosenAt } from './Before.tsx'
import {
  chooseRow,
  createChosen,
  type Fixed,
  type PageBenchActs,
  PageBenchProvider,
  useChoicesPlace,
  useChosen,
  useIsChosen,
  usePageBench,
} from './bench.tsx'
import { Canvas } from './Canvas.tsx'
import { PartChoices } from './Choices.tsx'
import { FormChoices } from './FormChoices.tsx'
import { LinkChoices } from './LinkChoices.tsx'
import { NewPage } from './NewPage.tsx'
import { PART_NAMES, STATE_NAMES } from './names.ts'
import { PageChoices, SearchChoices } from './PageChoices.tsx'
import { PartList } from './PartList.tsx'
import { ShownPage, useShown } from './ShownPage.tsx'
import { type OldVersion, useMoment, Versions } from './Versions.tsx'

const WIDTHS = [1280, 768, 390] as const

/** What a link to a page can ask for. */
const WANTED: Record<string, Fixed> = { bumps: 'form', upsells: 'after' }

/** The checkout page in the address, on the bench. */
export function PageBenchPage() {
  const { id = '' } = useParams()
  const { mode } = useSession()
  const { data, error } = usePage(id)
  if (!data) {
    return <main className="p-6">{error ? <p className="text-ink-2">{error.message}</p> : <Waiting />}</main>
  }
  return (
    <UnreadFields key={`${data.id} ${mode}`}>
      <PageBench page={data} />
    </UnreadFields>
  )
}

function PageBench({ page }: { page: BenchPage }) {
  const navigate = useNavigate()
  const param = { id: page.id }
  const draft = useDraft<PageContent>({
    first: page,
    save: async (baseRev, content) => {
      const saved = await unwrap(api.pages[':id'].draft.$put({ param, json: { baseRev, content } }))
      void queryClient.invalidateQueries({ queryKey: ['pages'] })
      return saved
    },
  })
  const publishing = usePublishing(draft)
  const { content, change, current } = draft
  const acts = useActs(draft)
  const [width, setWidth] = useState<(typeof WIDTHS)[number]>(768)
  const [state, setState] = useState<PageState>('first')
  const [isAdding, setAdding] = useState(false)
  const [isListing, setListing] = useState(false)
  const [isCopying, setCopying] = useState(false)
  const [old, setOld] = useState<OldVersion | null>(null)
  const shownContent = old?.content ?? content
  const shown = useShown(page.id, shownContent, state)
  const facts = shown.data?.page?.facts ?? null
  const names = usePageNames(page)
  const now = useStudioNow()
  const unread = useUnreadFields()
  const { mutate: retire } = useMutation({
    mutationFn: (isRetired: boolean) => unwrap(api.pages[':id'].retired.$put({ param, json: { isRetired } })),
    meta: { invalidates: [['page', page.id], ['pages']] },
  })
  const retiring = useRetiring({ page: page.id }, false, retire)
  const surroundings = {
    productId: page.product?.id ?? null,
    offers: page.offers,
    pages: page.others.map(({ id }) => id),
    at: now,
  }
  const problems = pageProblems(content, surroundings)
  const problemAt = (field: string) => problems.find(({ at }) => at === field)?.why
  const isChanged = pageChanges(page.live, content, names).length > 0
  const isPending = isChanged || page.live === null || problems.length > 0
  const isOwn = page.product !== null && !page.isEveryday
  const title = content.name || (page.product?.title ?? 'The basket')
  const add = (kind: PartKind) => {
    const part = emptyPart(kind, crypto.randomUUID())
    change({ parts: addPart(current().parts, part) })
    acts.store.getState().choose(part.id)
    setAdding(false)
  }
  const after = (what: Promise<unknown>) => what.then(() => queryClient.invalidateQueries({ queryKey: ['pages'] }))
  return (
    <PageBenchProvider value={acts}>
      <main className="grid min-h-0 grid-cols-1 gap-3 px-2.5 pb-2.5 lg:grid-cols-[232px_minmax(0,1fr)_292px]">
        <section aria-label="Parts of the page" tabIndex={-1} className="min-h-0 overflow-y-auto pt-1 pl-1">
          <Link
            to="/studio/sell"
            className="inline-flex items-center gap-0.5 px-1 text-[12.5px] text-ink-2 hover:underline"
          >
            <ChevronLeft size={13} aria-hidden="true" /> Shelf
          </Link>
          <h1 data-title={`${title}, checkout page`} className="px-1.5 pt-1 text-[16px]">
            {title}
          </h1>
          <p className="px-1.5 pb-1 text-[12.5px] text-ink-3">
            {page.product ? (
              <>
                Checkout page of{' '}
                <Link className="underline" to={productPath(page.product)}>
                  {page.product.title}
                </Link>
              </>
            ) : (
              'Where a basket is paid'
            )}
          </p>
          <PartList
            parts={content.parts}
            facts={facts}
            form={<FormRows page={page} content={content} />}
            move={({ id, ...to }) => change({ parts: movePart(current().parts, id, to) })}
          />
          <p className="px-1.5 pt-2 text-[13.5px]">
            <Button kind="link" disabled={!facts} onClick={() => setAdding(true)}>
              Add a part
            </Button>
          </p>
          <p className="px-1.5 pt-3 pb-0.5 text-[12px] font-semibold text-ink-3">After the purchase</p>
          <FixedRow what="after" name="Upsells, then thanks" note={String(content.upsells.length)} />
          <p className="px-1.5 pt-3 pb-0.5 text-[12px] font-semibold text-ink-3">The page as a whole</p>
          <FixedRow what="page" name={isOwn ? 'Name, address, end' : 'Name and colour'} />
          {page.product && <FixedRow what="search" name="Search and sharing" />}
          {page.product && <FixedRow what="links" name="Links and buttons" />}
          <p className="px-1.5 pt-2 text-[13.5px]">
            <Link className="link" to="/studio/setup/looks">
              Font, colours and logo of all pages
            </Link>
          </p>
        </section>
        <section
          id="bench"
          aria-label="Bench"
          tabIndex={-1}
          className="grid min-h-0 grid-rows-[auto_minmax(0,1fr)] gap-1.5 outline-none max-lg:h-[720px]"
        >
          <DraftBench
            draft={draft}
            publishing={publishing}
            unread={unread}
            kicker={
              <span className="flex items-center gap-2">
                <Segments width={width} choose={setWidth} />
                <Select
                  label="State in which the page is shown"
                  className="rounded-full border border-line-2 bg-sheet px-3 py-1 text-[13px] font-semibold text-ink"
                  value={state}
                  options={PAGE_STATES.map((one) => [one, STATE_NAMES[one]] as const)}
                  onChange={setState}
                />
              </span>
            }
            isRetired={page.retiredAt !== null}
            {...(isOwn
              ? {
                  setRetired: retiring.setRetired,
                  remove: () =>
                    void after(unwrap(api.pages[':id'].$delete({ param }))).then(() => navigate('/studio/sell')),
                  keptBecause: page.wasSold ? 'it was ordered on' : page.isMain ? 'buttons lead to it' : null,
                }
              : {})}
            {...(page.product ? { duplicate: () => setCopying(true) } : {})}
            menu={<MenuItem onSelect={() => setListing(true)}>Earlier versions…</MenuItem>}
            publish={{
              title: `Publish “${title}”`,
              changes: pageChanges(page.live, draft.saved.draft, names),
              notes: page.live ? [] : [`It is then at ${location.host}/buy/${page.slug}.`],
              blocked: pageProblems(draft.saved.draft, surroundings).map(({ why }) => why),
              run: () => unwrap(api.pages[':id'].publish.$post({ param, json: { rev: draft.revision() } })),
              invalidates: [['page', page.id], ['pages']],
            }}
            changesOf={(theirs) => pageChanges(theirs, content, names)}
          >
            <Canvas width={width} label={`The page at ${width} pixels`} undo={draft.undo} redo={draft.redo}>
              <ShownPage content={shownContent} shown={shown.data} isOld={old !== null} />
            </Canvas>
          </DraftBench>
        </section>
        <ChoicesPlace>
          {old ? (
            <OldBar
              old={old}
              bringBack={() => {
                change(old.content)
                setOld(null)
              }}
              leave={() => setOld(null)}
            />
          ) : (
            <>
              <Chosen page={page} content={content} change={change} facts={facts} problemAt={problemAt} />
              <div className="mt-5">
                <PreviewSection
                  label={
                    problems.length > 0
                      ? 'Before it can be published'
                      : isPending
                        ? 'Not published yet'
                        : 'What buyers see'
                  }
                >
                  <Before
                    problems={problems}
                    warnings={facts ? pageWarnings(content.parts, facts) : []}
                    showPart={(partId) => acts.store.getState().choose(partId)}
                    unsold={
                      page.product && shown.data?.isSelling === false
                        ? { title: page.product.title, path: productPath(page.product) }
                        : null
                    }
                    isChanged={isChanged}
                    isLive={page.live !== null}
                    publish={() => void publishing.open()}
                    show={(at) => acts.store.getState().choose(chosenAt(at, content))}
                  />
                </PreviewSection>
              </div>
            </>
          )}
        </ChoicesPlace>
      </main>
      {isAdding && facts && <AddPart parts={content.parts} facts={facts} add={add} onClose={() => setAdding(false)} />}
      {isListing && (
        <Versions
          pageId={page.id}
          live={page.liveVersion}
          look={(version) => {
            setOld(version)
            setListing(false)
          }}
          onClose={() => setListing(false)}
        />
      )}
      <RetireAsk kind="page" retiring={retiring} retire={() => retire(true)} />
      {isCopying && (
        <NewPage
          copied={{ id: page.id, name: title, productId: page.product?.id ?? null }}
          onClose={() => setCopying(false)}
        />
      )}
    </PageBenchProvider>
  )
}

function ChoicesPlace({ children }: { children: ReactNode }) {
  return (
    <section {...useChoicesPlace()} aria-label="Choices" className="min-h-0 overflow-y-auto rounded-lg pt-2 pr-1 pl-1">
      {children}
    </section>
  )
}

/** What the canvas does to the draft: one object for as long as the page is on the bench. */
function useActs({ current, change }: Draft<PageContent>): PageBenchActs {
  const wanted = WANTED[useSearchParams()[0].get('part') ?? '']
  const [acts] = useState((): PageBenchActs => {
    const store = createChosen(wanted ?? current().parts[0]?.id ?? 'form')
    const put: PageBenchActs['change'] = (partId, how) =>
      change({ parts: current().parts.map((part) => (part.id === partId ? how(part) : part)) })
    return {
      store,
      change: put,
      set: (partId, at, value) => put(partId, (part) => setAt(part, at, value)),
      step: (partId, direction) => change({ parts: stepPart(current().parts, partId, direction) }),
      remove: (partId) => {
        const { parts } = current()
        const at = parts.findIndex(({ id }) => id === partId)
        const left = parts.toSpliced(at, 1)
        change({ parts: left })
        // The keyboard goes on where it was: with the part that is there now.
        const next = left[Math.min(at, left.length - 1)]?.id ?? 'form'
        store.getState().choose(next)
        requestAnimationFrame(() => document.getElementById(`move-${next}`)?.focus())
        const removed = parts[at]
        if (removed) toast(`${PART_NAMES[removed.kind][0]} is removed. Undo brings it back.`)
      },
      part: (partId) => current().parts.find(({ id }) => id === partId),
    }
  })
  return acts
}

function usePageNames(page: BenchPage): PageNames {
  const moment = useMoment()
  return useMemo(
    () => ({
      offer: (id) => {
        const offer = page.offers.find((one) => one.id === id)
        return offer ? `${offer.product}, ${offer.content.name}` : 'something that is gone'
      },
      part: (kind) => PART_NAMES[kind][0],
      page: (id) => page.others.find((one) => one.id === id)?.name ?? 'a page that is gone',
      moment,
    }),
    [page, moment],
  )
}

function Segments({ width, choose }: { width: number; choose: (width: (typeof WIDTHS)[number]) => void }) {
  return (
    <span
      role="radiogroup"
      aria-label="Width of the screen"
      className="flex overflow-hidden rounded-full border border-line-2 bg-sheet"
    >
      {WIDTHS.map((one) => (
        <label
          key={one}
          className={classes(
            'cursor-pointer px-2.5 py-1 text-[13px] has-focus-visible:outline-2',
            one === width ? 'bg-ink font-semibold text-sheet' : 'text-ink',
          )}
        >
          <input type="radio" name="width" className="sr-only" checked={one === width} onChange={() => choose(one)} />
          {one}
        </label>
      ))}
    </span>
  )
}

/** The form among the parts, and what can be ticked in it. */
function FormRows({ page, content }: { page: BenchPage; content: PageContent }) {
  const titleOf = (offerId: string | null) => page.offers.find(({ id }) => id === offerId)?.product
  return (
    <div className="mt-1">
      <p className="px-1.5 pt-1 pb-0.5 text-[12px] font-semibold text-ink-3">The form</p>
      <FixedRow what="form" name="Order form" note={content.formSide} />
      {content.bumps.map(({ id, title, offerId }) => (
        <p key={id} className="pr-2 pl-6 text-[13px] text-ink-2">
          with bump: {title || titleOf(offerId) || 'nothing yet'}
        </p>
      ))}
    </div>
  )
}

function FixedRow({ what, name, note }: { what: Fixed; name: string; note?: string }) {
  const { store } = usePageBench()
  const isChosen = useIsChosen(what)
  return (
    <button
      type="button"
      id={`row-${what}`}
      aria-pressed={isChosen}
      onClick={(event) => chooseRow(store, what, event)}
      className={classes(
        'flex min-h-[30px] w-full items-baseline gap-2 rounded-field py-1 pr-2 pl-6 text-left text-[13.5px]',
        isChosen ? 'bg-acorn font-semibold' : 'hover:bg-sheet-2',
      )}
    >
      <span className="min-w-0 flex-1">{name}</span>
      {note && <span className="text-[12px] font-normal text-ink-2">{note}</span>}
    </button>
  )
}

interface ChosenProps {
  page: BenchPage
  content: PageContent
  change: (patch: Partial<PageContent>) => void
  facts: Parameters<typeof PartChoices>[0]['facts']
  problemAt: (field: string) => string | undefined
}

/** The choices of what is chosen. */
function Chosen({ page, content, change, facts, problemAt }: ChosenProps): ReactNode {
  const { chosen } = useChosen()
  switch (chosen as Fixed | string | null) {
    case 'form':
      return <FormChoices page={page} content={content} change={change} problemAt={problemAt} />
    case 'after':
      return (
        <>
          <h2 className="mb-3 text-[16px]">After the purchase</h2>
          <UpsellList page={page} content={content} change={change} />
          <div className="mt-4">
            {content.upsells.map((step) => (
              <UpsellPreview key={step.id} step={step} page={page} />
            ))}
          </div>
        </>
      )
    case 'page':
      return <PageChoices page={page} content={content} change={change} problemAt={problemAt} />
    case 'search':
      return <SearchChoices page={page} content={content} change={change} />
    case 'links':
      return <LinkChoices page={page} />
  }
  const part = content.parts.find(({ id }) => id === chosen)
  if (part) return <PartChoices part={part} facts={facts} />
  return (
    <p className="text-[13.5px] text-ink-2">
      Choose a part on the page or in the list. Its words are written on the page itself; its few choices appear here.
    </p>
  )
}

function OldBar({ old, bringBack, leave }: { old: OldVersion; bringBack: () => void; leave: () => void }) {
  const moment = useMoment()
  return (
    <>
      <h2 className="mb-1 text-[16px]">Version {old.version}</h2>
      <p className="mb-4 text-[13.5px] text-ink-2">
        Published {moment(old.publishedAt)}. You are looking at it; the draft stays as it is.
      </p>
      <div className="grid justify-items-start gap-2">
        <Button kind="press" onClick={bringBack}>
          Bring it back into the draft
        </Button>
        <Button kind="link" onClick={leave}>
          Back to the draft
        </Button>
      </div>
    </>
  )
}
