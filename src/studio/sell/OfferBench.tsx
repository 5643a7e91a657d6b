import { MoreHorizontal } from 'lucide-react'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { toast } from 'sonner'
import { offerChanges } from '../../core/content/changes.ts'
import { fittingAccess, type OfferContent } from '../../core/content/offer.ts'
import { speakOffer } from '../../core/content/quoteInput.ts'
import { formatMoney, formatRate, type MoneyFormat } from '../../core/money/format.ts'
import { type Fix, obstaclesOf } from '../../core/readiness/readiness.ts'
import { sayEnrolButton } from '../../core/sentence/sentence.ts'
import { Button } from '../../ui/Button.tsx'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { api, queryClient } from '../api.ts'
import { ConflictDialog } from '../drafting/ConflictDialog.tsx'
import { DraftBar } from '../drafting/DraftBar.tsx'
import { PublishDialog } from '../drafting/PublishDialog.tsx'
import { useDraft } from '../drafting/useDraft.ts'
import { Menu, MenuItem } from '../frame/Menu.tsx'
import { Places, Section } from '../frame/Places.tsx'
import { useMoney, useSession } from '../session/session.ts'
import { AccessBench } from './AccessBench.tsx'
import { OfferMirror } from './OfferMirror.tsx'
import { type BenchOffer, refreshShelf, useOffer } from './queries.ts'
import { SaleBench } from './SaleBench.tsx'
import { Shelf } from './Shelf.tsx'
import { TermsBench } from './TermsBench.tsx'

/** Where the fix of an obstacle is written. */
const FIELDS: Partial<Record<Fix['to'], string>> = {
  name: '#offer-name',
  sale: '#offer-sale input',
  access: '#offer-access select',
}

/** The bench for the offer in the address. */
export function OfferBenchPage() {
  const { id = '' } = useParams()
  const { mode } = useSession()
  const offer = useOffer(id)
  if (offer.error)
    return (
      <Places
        shelfLabel="Courses"
        shelf={<Shelf />}
        bench={<p className="py-10 text-ink-2">{offer.error.message}</p>}
        mirror={null}
      />
    )
  if (!offer.data) return <Places shelfLabel="Courses" shelf={<Shelf />} bench={null} mirror={null} />
  return <OfferBench key={`${offer.data.id} ${mode}`} offer={offer.data} />
}

function OfferBench({ offer }: { offer: BenchOffer }) {
  const money = useMoney()
  const { mode, school } = useSession()
  const navigate = useNavigate()
  const [isPublishing, setPublishing] = useState(false)
  const draft = useDraft<OfferContent>({
    first: offer,
    save: async (baseRev, content) => {
      const saved = await unwrap(api.offers[':id'].draft.$put({ param: { id: offer.id }, json: { baseRev, content } }))
      void refreshShelf()
      return saved
    },
  })
  const { content, change } = draft
  const at = new Date().toISOString()
  const said = speakOffer(school, { id: offer.id, courseId: offer.course.id, content }, at)
  const obstacles = obstaclesOf(
    {
      draft: content,
      said: said?.spoken ?? null,
      at,
      live: offer.live,
      onSale: offer.onSale,
      mode,
      otherNames: offer.otherNames,
      course: { live: offer.course.isLive, retired: offer.course.isRetired, lessons: offer.course.lessons },
      ways: offer.ways.map(({ capabilities }) => capabilities),
    },
    money,
  )

  const reload = async () => {
    await Promise.all([queryClient.invalidateQueries({ queryKey: ['offer', offer.id] }), refreshShelf()])
  }
  const act = async (call: () => Promise<unknown>, said: string) => {
    try {
      await call()
      toast(said)
      await reload()
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      toast(error.message)
    }
  }
  const setOnSale = (onSale: boolean) =>
    act(
      () => unwrap(api.offers[':id']['on-sale'].$put({ param: { id: offer.id }, json: { onSale } })),
      onSale ? 'On sale again.' : 'Taken off sale. Buyers see that at once.',
    )
  const setRetired = (isRetired: boolean) =>
    act(
      () => unwrap(api.offers[':id'].retired.$put({ param: { id: offer.id }, json: { isRetired } })),
      isRetired ? 'Retired. Who bought it keeps everything.' : 'Brought back. Put it on sale when it is ready.',
    )
  const move = (by: number) => {
    const ids = offer.siblings.filter((id) => id !== offer.id)
    ids.splice(offer.place - 1 + by, 0, offer.id)
    return act(
      () => unwrap(api.offers.order.$put({ json: { courseId: offer.course.id, ids } })),
      'Moved. Buyers see the new order at once.',
    )
  }
  const duplicate = async () => {
    const { id } = await unwrap(api.offers[':id'].duplicate.$post({ param: { id: offer.id } }))
    await refreshShelf()
    navigate(`/studio/sell/offers/${id}`)
  }
  const remove = async () => {
    try {
      await unwrap(api.offers[':id'].$delete({ param: { id: offer.id } }))
      await refreshShelf()
      navigate(`/studio/sell/courses/${offer.course.id}`)
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      toast(error.message)
    }
  }
  const openPublish = async () => {
    await draft.flush()
    setPublishing(true)
  }
  const fix = (to: Fix['to']) => {
    if (to === 'gateways') navigate('/studio/setup/gateways')
    else if (to === 'orders') navigate('/studio/orders')
    else if (to === 'open-course') navigate(`/studio/sell/courses/${offer.course.id}`)
    else if (to === 'publish') void openPublish()
    else if (to === 'put-on-sale') void setOnSale(true)
    else document.querySelector<HTMLElement>(FIELDS[to] ?? '#offer-price input')?.focus()
  }

  return (
    <Places
      shelfLabel="Courses"
      shelf={<Shelf />}
      bench={
        <>
          <div className="flex items-center gap-3 max-sm:flex-wrap">
            <p className="min-w-0 truncate text-[13px] text-ink-3">
              <Link to={`/studio/sell/courses/${offer.course.id}`} className="hover:underline">
                {offer.course.title}
              </Link>
              {offer.retiredAt ? ' · retired' : offer.places > 1 ? ` · offer ${offer.place} of ${offer.places}` : ''}
            </p>
            <DraftBar draft={draft}>
              {offer.retiredAt ? (
                <Button onClick={() => setRetired(false)}>Bring back</Button>
              ) : (
                <>
                  {offer.live && (
                    <Button onClick={() => setOnSale(!offer.onSale)}>
                      {offer.onSale ? 'Take off sale' : 'Put on sale'}
                    </Button>
                  )}
                  <Button kind="press" onClick={openPublish}>
                    Publish…
                  </Button>
                </>
              )}
              <Menu
                trigger={
                  <Button aria-label="More" className="px-2">
                    <MoreHorizontal size={18} />
                  </Button>
                }
              >
                <MenuItem disabled={offer.place < 2} onSelect={() => void move(-1)}>
                  Move up
                </MenuItem>
                <MenuItem disabled={offer.place === offer.places} onSelect={() => void move(1)}>
                  Move down
                </MenuItem>
                <MenuItem onSelect={() => void duplicate()}>Duplicate</MenuItem>
                {!offer.retiredAt && <MenuItem onSelect={() => void setRetired(true)}>Retire</MenuItem>}
                <MenuItem disabled={offer.sold > 0} onSelect={() => void remove()}>
                  {offer.sold > 0 ? 'Delete (was ordered)' : 'Delete'}
                </MenuItem>
              </Menu>
            </DraftBar>
          </div>
          <h1 className="mt-1 text-[27px]">
            <input
              id="offer-name"
              aria-label="Name of the offer, which buyers see"
              placeholder="Name of the offer"
              maxLength={80}
              value={content.name}
              onChange={(event) => change({ name: event.target.value })}
              className="display w-full rounded bg-transparent font-semibold placeholder:text-ink-3 hover:bg-sheet-2"
            />
          </h1>
          <Section title="What it costs" id="offer-price">
            <TermsBench
              terms={content.terms}
              money={money}
              onChange={(terms) => change({ terms, access: fittingAccess(content.access, terms) })}
            />
            {content.terms.kind === 'installments' && said && (
              <AgainstAtOnce all={said.quote.committed ?? 0} atOnce={offer.atOnce} money={money} />
            )}
            <SaleBench
              sale={content.sale}
              terms={content.terms}
              money={money}
              timeZone={school.timeZone}
              onChange={(sale) => change({ sale })}
            />
          </Section>
          <Section title="When it is open">
            <AccessBench
              access={content.access}
              terms={content.terms}
              today={said?.quote.purchaseDay ?? at.slice(0, 10)}
              onChange={(access) => change({ access })}
            />
          </Section>
          <Section title="On the page">
            <p className="text-[16.5px] leading-[2.1]">
              The button says{' '}
              <span className="marked inline-flex leading-[1.35]">
                <input
                  aria-label="Text of the button"
                  maxLength={40}
                  className="fitted min-w-[8ch] bg-transparent font-semibold"
                  placeholder={said ? sayEnrolButton(said.spoken, '') : 'Enrol'}
                  value={content.button}
                  onChange={(event) => change({ button: event.target.value })}
                />
              </span>
              .{' '}
              <label className="marked cursor-pointer font-medium">
                <input
                  type="checkbox"
                  checked={content.highlighted}
                  onChange={(event) => change({ highlighted: event.target.checked })}
                  className="mr-1 accent-leaf"
                />
                Highlight this offer
              </label>
            </p>
          </Section>
          <Section title="Direct link">
            <DirectLink slug={offer.course.slug} offerId={offer.id} isLive={offer.live !== null && offer.onSale} />
          </Section>
          {isPublishing && (
            <PublishDialog
              title={`Publish “${content.name || 'this offer'}”`}
              changes={offerChanges(offer.live, draft.saved.draft, school, at)}
              notes={[
                ...(offer.course.isLive ? [] : [`The course “${offer.course.title}” goes live with it.`]),
                ...(offer.live && !offer.onSale ? ['It is put on sale again.'] : []),
                ...(offer.sold > 0 ? ['Orders that were placed keep the price they were placed at.'] : []),
              ]}
              blocked={obstacles
                .filter(({ stopsPublishing }) => stopsPublishing)
                .map(({ title, detail }) => `${title} ${detail}`)}
              publish={async () => {
                await unwrap(
                  api.offers[':id'].publish.$post({ param: { id: offer.id }, json: { rev: draft.revision() } }),
                )
                toast('Live. Buyers see it now.')
                await reload()
              }}
              onClose={() => setPublishing(false)}
            />
          )}
          {draft.theirs && (
            <ConflictDialog
              changes={offerChanges(draft.theirs.draft, content, school, at)}
              settle={(whose) => void draft.settle(whose)}
            />
          )}
        </>
      }
      mirror={<OfferMirror offer={offer} content={content} obstacles={obstacles} fix={fix} />}
    />
  )
}

/** What installments come to beside paying at once. */
function AgainstAtOnce({ all, atOnce, money }: { all: number; atOnce: number | null; money: MoneyFormat }) {
  const total = `${formatMoney(all, money)} in all`
  const difference = atOnce === null ? 0 : all - atOnce
  const share = atOnce ? formatRate(Math.round((Math.abs(difference) / atOnce) * 10_000), money.language) : ''
  const beside =
    atOnce === null
      ? '; the course has no one-time price to compare with.'
      : difference === 0
        ? ', the same as paying at once.'
        : `, ${formatMoney(Math.abs(difference), money)} (${share}) ${difference > 0 ? 'more' : 'less'} than paying at once.`
  return (
    <p className="mb-1 border-l-[3px] border-line-2 bg-sheet-2 px-3 py-1.5 text-[13px] text-ink-2">
      {total}
      {beside}
    </p>
  )
}

function DirectLink({ slug, offerId, isLive }: { slug: string; offerId: string; isLive: boolean }) {
  const url = `${location.origin}/buy/${slug}?offer=${offerId}`
  const copy = async () => {
    await navigator.clipboard.writeText(url)
    toast('Copied.')
  }
  return (
    <p className="flex flex-wrap items-center gap-x-3 gap-y-1 pt-[5px]">
      <a href={url} target="_blank" rel="noreferrer" className="link min-w-0 truncate">
        {url.replace(/^https?:\/\//, '').replace(/(offer=.{8}).*/, '$1…')}
      </a>
      <Button kind="link" onClick={copy}>
        Copy
      </Button>
      {!isLive && <span className="text-[13px] text-ink-3">It works once the offer is on sale.</span>}
    </p>
  )
}
