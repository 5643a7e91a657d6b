import { useNavigate } from 'react-router'
import { type BundleContent, type BundleProblem, oneByOne, savingOf } from '../../core/content/bundle.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { Fix, Obstacle } from '../../core/readiness/readiness.ts'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { PreviewSection } from '../frame/Places.tsx'
import { useSession, useStudioNow } from '../session/session.ts'
import { formatHolders } from './BundleHolders.tsx'
import { Obstacles } from './Obstacles.tsx'
import { AddOffer, useAddOffer } from './OfferLine.tsx'
import { type BenchBundle, type ShelfOffer, useShelf } from './queries.ts'
import { SellMore } from './SellMore.tsx'
import { SoldAs } from './SoldAs.tsx'

interface BundleMirrorProps {
  bundle: BenchBundle
  slug: string
  content: BundleContent
  problems: readonly BundleProblem[]
  /** The draft says something else than what is live. */
  isChanged: boolean
  /** Leads to the fix of an obstacle on the bundle's own side. */
  fix: (to: Fix['to']) => void
}

/** What follows from a bundle: its offers, what it saves, who has it, what stands in the way, and its page. */
export function BundleMirror({ bundle, slug, content, problems, isChanged, fix }: BundleMirrorProps) {
  const offers = useShelf().data?.find(({ id }) => id === bundle.id)?.offers ?? []
  const addOffer = useAddOffer(bundle.id)
  const navigate = useNavigate()
  const onSale = offers.filter(({ isRetired }) => !isRetired)
  const held = heldBy(bundle, content)
  return (
    <>
      <PreviewSection label="How it is sold">
        <SoldAs offers={onSale} />
        <AddOffer productId={bundle.id} label={onSale.length === 0 ? 'Give it a price' : 'Add another offer'} />
      </PreviewSection>
      <PreviewSection label="What it saves">
        <Saving held={held} offers={onSale} />
      </PreviewSection>
      <PreviewSection label="Its buyers">
        <Holders bundle={bundle} />
      </PreviewSection>
      <PreviewSection label="Before the first sale">
        <Obstacles
          obstacles={obstacles(bundle, onSale, problems, isChanged)}
          fix={(to) => {
            if (to === 'price') addOffer()
            else if (to === 'open-offer') navigate(`/studio/sell/offers/${onSale[0]?.id}`)
            else fix(to)
          }}
          nothing="Nothing missing. It can be bought now."
        />
      </PreviewSection>
      <SellMore productId={bundle.id} appliesTo={{ products: [bundle.id], offers: [] }} />
      <PreviewSection label="The buyer sees">
        <div className="overflow-hidden rounded-lg border border-line bg-sheet">
          <div className={`px-4 py-4 text-[#f4f8ea] ${COVER_CLASS[content.coverColor]}`}>
            <p className="display text-[19px] leading-tight font-semibold">{content.title || 'Untitled bundle'}</p>
            <p className="mt-1 text-[13.5px]">{content.summary}</p>
          </div>
          <ol className="px-4 py-2 text-[13.5px]">
            {held.slice(0, 8).map(({ course }) => (
              <li key={course.id} className="border-b border-line py-1 last:border-0">
                {course.title}
              </li>
            ))}
            {held.length > 8 && <li className="py-1 text-ink-2">and {held.length - 8} more</li>}
            {held.length === 0 && <li className="py-1 text-ink-3">No courses yet</li>}
          </ol>
        </div>
        {bundle.live && (
          <p className="mt-2 text-[13px]">
            <a className="link" href={`/bundle/${slug}`} target="_blank" rel="noreferrer">
              Open the bundle’s page
            </a>
          </p>
        )}
      </PreviewSection>
    </>
  )
}

/** The courses that a bundle holds by its draft, with the creator's figures. */
function heldBy({ known }: BenchBundle, { includesAll, courses }: BundleContent) {
  if (includesAll) return known.filter(({ isOnShelf }) => isOnShelf).map((course) => ({ course, figure: null }))
  return courses.flatMap(({ id, figure }) => {
    const course = known.find((one) => one.id === id)
    return course ? [{ course, figure }] : []
  })
}

/** What the courses cost one by one, and what each one-time offer saves, in money and percent. */
function Saving({ held, offers }: { held: ReturnType<typeof heldBy>; offers: readonly ShelfOffer[] }) {
  const { school } = useSession()
  const now = useStudioNow()
  const { sum, isTrue } = oneByOne(held.map(({ course, figure }) => ({ alone: course.alone, figure })))
  if (held.length === 0) return <p className="text-ink-2">Choose its courses first.</p>
  if (sum === null) {
    return <p className="text-ink-2">Some of its courses have no one-time price: write what they are worth.</p>
  }
  const savings = offers.flatMap(({ id, name, content }) => {
    if (content.terms.kind !== 'single') return []
    const quote = describeOffer(school, { id, courses: [{ id }], content }, now)?.quote
    const price = quote?.lines[0]?.payments.find(({ n }) => n > 0)?.price
    return price === undefined ? [] : [{ id, name, price, saving: savingOf(sum, price) }]
  })
  return (
    <>
      <p>One by one the courses cost {formatMoney(sum, school)}.</p>
      {savings.map(({ id, name, price, saving }) => (
        <p key={id} className="mt-1">
          {saving ? (
            <>
              “{name}” at {formatMoney(price, school)} saves{' '}
              <b className="font-semibold">
                {formatMoney(saving.amount, school)} ({saving.percent} %)
              </b>
              .
            </>
          ) : (
            <>
              “{name}” at {formatMoney(price, school)} saves nothing.
            </>
          )}
        </p>
      ))}
      {!isTrue && (
        <p className="mt-1 text-[13px] text-ink-2">
          The shop does not say it: some of its courses cannot be bought alone at a one-time price.
        </p>
      )}
    </>
  )
}

/** How many people have it, and how far a change of its courses has come for them. */
function Holders({ bundle: { holders, growths } }: { bundle: BenchBundle }) {
  const open = growths.filter(({ finishedAt }) => finishedAt === null)
  const done = growths.filter(({ finishedAt }) => finishedAt !== null).slice(0, 3)
  return (
    <>
      <p>{holders.live + holders.practice === 0 ? 'Nobody yet.' : `${formatHolders(holders)}.`}</p>
      {open.map(({ id, what, course, done: count, total }) => (
        <div key={id} className="mt-2" role="status">
          <p className="text-[13.5px]">
            “{course}” {what === 'joins' ? 'opens' : 'closes'} for them: {count} of {total}.
          </p>
          <progress className="h-2 w-full accent-leaf" value={count} max={Math.max(1, total)} />
        </div>
      ))}
      {done.map(({ id, what, course, done: count }) => (
        <p key={id} className="mt-1 text-[13.5px] text-ink-2">
          “{course}” {what === 'joins' ? 'was opened' : 'was closed'} for {formatOrders(count)}.
        </p>
      ))}
    </>
  )
}

/** Somebody may have it by two orders: what was done is counted by them. */
function formatOrders(count: number): string {
  return count === 1 ? 'one of their orders' : `${count} of their orders`
}

function obstacles(
  bundle: BenchBundle,
  offers: readonly ShelfOffer[],
  problems: readonly BundleProblem[],
  isChanged: boolean,
): Obstacle[] {
  const found: Obstacle[] = problems.map(({ why, at }) => ({
    code: `bundle ${at}`,
    level: 'block',
    stopsPublishing: true,
    title: why,
    detail: '',
    fix: { to: 'courses', label: 'Go there' },
  }))
  const add = (code: string, level: Obstacle['level'], title: string, detail: string, fix: Obstacle['fix']) =>
    found.push({ code, level, stopsPublishing: false, title, detail, fix })
  if (bundle.retiredAt)
    add('retired', 'block', 'Retired.', 'It is not sold. People who have it keep its courses.', {
      to: 'bring-back',
      label: 'Bring back',
    })
  else if (!bundle.live)
    add('draft', 'block', 'Not published yet.', 'Buyers do not see it until it is published.', {
      to: 'publish',
      label: 'Publish',
    })
  if (offers.length === 0)
    add('no-offer', 'block', 'It has no price.', 'Give it one, or make it free.', { to: 'price', label: 'Give it one' })
  else if (!bundle.retiredAt && offers.every(({ isLive, onSale }) => !isLive || !onSale))
    add('not-sold', 'block', 'None of its offers is on sale.', 'Publish one, or put it on sale.', {
      to: 'open-offer',
      label: 'Open it',
    })
  if (isChanged)
    add('changed', 'warning', 'Buyers still see the published version.', '', { to: 'publish', label: 'Review' })
  return found
}
