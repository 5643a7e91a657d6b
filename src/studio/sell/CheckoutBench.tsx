import { Link, useParams } from 'react-router'
import { pageChanges } from '../../core/content/changes.ts'
import { type Bump, MAX_BUMPS, type PageContent, pageProblems } from '../../core/content/checkoutPage.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { Obstacle } from '../../core/readiness/readiness.ts'
import { formatWholePrice } from '../../core/sentence/sentence.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import { BumpBox } from '../../ui/BumpBox.tsx'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api, queryClient } from '../api.ts'
import { DraftBench, usePublishing } from '../drafting/DraftBench.tsx'
import { OpenBench } from '../drafting/OpenBench.tsx'
import { useDraft } from '../drafting/useDraft.ts'
import { PreviewSection, Section, Work } from '../frame/Places.tsx'
import { Select } from '../frame/Select.tsx'
import { useSession, useStudioNow } from '../session/session.ts'
import { CoverField } from './CoverField.tsx'
import { Obstacles } from './Obstacles.tsx'
import { type BenchPage, productPath, usePage } from './queries.ts'

/** The bench for the checkout page in the address. */
export function CheckoutBenchPage() {
  const { id = '' } = useParams()
  return <OpenBench query={usePage(id)}>{(page) => <CheckoutBench page={page} />}</OpenBench>
}

function CheckoutBench({ page }: { page: BenchPage }) {
  const param = { id: page.id }
  const draft = useDraft<PageContent>({
    first: page,
    save: async (baseRev, content) => {
      const saved = await unwrap(api.catalogue.pages[':id'].draft.$put({ param, json: { baseRev, content } }))
      void queryClient.invalidateQueries({ queryKey: ['pages'] })
      return saved
    },
  })
  const publishing = usePublishing(draft)
  const { content, change } = draft
  const nameOf = (id: string) => {
    const offer = page.offers.find((one) => one.id === id)
    return offer ? `${offer.product}, ${offer.content.name}` : 'something that is gone'
  }
  const problemsOf = (of: PageContent) => pageProblems(of, { productId: page.product.id, offers: page.offers })
  const setBump = (id: string, patch: Partial<Bump>) =>
    change({ bumps: content.bumps.map((bump) => (bump.id === id ? { ...bump, ...patch } : bump)) })
  const add = () =>
    change({
      bumps: [
        ...content.bumps,
        { id: crypto.randomUUID(), offerId: null, title: '', text: '', coverId: null, tick: '' },
      ],
    })
  return (
    <Work
      bench={
        <DraftBench
          draft={draft}
          publishing={publishing}
          kicker="Checkout page · live"
          publish={{
            title: `Publish the checkout page of “${page.product.title}”`,
            changes: pageChanges(page.live, draft.saved.draft, nameOf),
            notes: [],
            blocked: problemsOf(draft.saved.draft).map(({ why }) => why),
            run: () => unwrap(api.catalogue.pages[':id'].publish.$post({ param, json: { rev: draft.revision() } })),
            invalidates: [['page', page.id], ['pages']],
          }}
          changesOf={(theirs) => pageChanges(theirs, content, nameOf)}
        >
          <h1 className="mt-1 text-[27px]">{page.product.title}</h1>
          <p className="mt-1 max-w-[60ch] text-ink-2">
            The page that sells it, at /buy/{page.slug}. It shows{' '}
            <Link className="link" to={productPath(page.product)}>
              the {page.product.kind}
            </Link>{' '}
            with all its offers that are on sale.
          </p>
          <Section title="Order bumps">
            {content.bumps.length === 0 && (
              <p className="pt-[5px] pb-2 text-ink-2">
                Something else that buyers can tick to order with it. It is never ticked beforehand.
              </p>
            )}
            <ol className="grid gap-4">
              {content.bumps.map((bump, index) => (
                <BumpFields
                  key={bump.id}
                  bump={bump}
                  number={index + 1}
                  page={page}
                  taken={content.bumps.flatMap(({ offerId }) => (offerId && offerId !== bump.offerId ? [offerId] : []))}
                  change={(patch) => setBump(bump.id, patch)}
                  moveUp={
                    index === 0
                      ? null
                      : () => {
                          const bumps = [...content.bumps]
                          bumps.splice(index - 1, 0, ...bumps.splice(index, 1))
                          change({ bumps })
                        }
                  }
                  remove={() => change({ bumps: content.bumps.filter(({ id }) => id !== bump.id) })}
                />
              ))}
            </ol>
            {content.bumps.length < MAX_BUMPS && (
              <Button kind="link" className="mt-2" onClick={add}>
                {content.bumps.length === 0 ? 'Add an order bump' : 'Add another order bump'}
              </Button>
            )}
          </Section>
        </DraftBench>
      }
      mirror={
        <>
          <PreviewSection label="Before it is live">
            <Obstacles
              obstacles={obstacles(pageChanges(page.live, content, nameOf).length > 0, problemsOf(content))}
              fix={() => void publishing.open()}
              nothing="Nothing missing on the page."
            />
          </PreviewSection>
          <PreviewSection label="The buyer sees">
            {content.bumps.length === 0 && <p className="text-ink-2">No order bump.</p>}
            {content.bumps.map((bump) => (
              <BumpPreview key={bump.id} bump={bump} page={page} />
            ))}
            <p className="mt-3 text-[13px]">
              <a className="link" href={`/buy/${page.slug}`} target="_blank" rel="noreferrer">
                Open the checkout page
              </a>
            </p>
          </PreviewSection>
        </>
      }
    />
  )
}

interface BumpFieldsProps {
  bump: Bump
  number: number
  page: BenchPage
  /** Offers of the other bumps. */
  taken: readonly string[]
  change: (patch: Partial<Bump>) => void
  moveUp: (() => void) | null
  remove: () => void
}

function BumpFields({ bump, number, page, taken, change, moveUp, remove }: BumpFieldsProps) {
  const offer = page.offers.find(({ id }) => id === bump.offerId)
  const choices = page.offers.filter(
    ({ id, productId, namesPrice }) =>
      id === bump.offerId || (!namesPrice && productId !== page.product.id && !taken.includes(id)),
  )
  const products = [...new Map(choices.map(({ productId, product }) => [productId, product]))]
  const title = bump.title || offer?.product || ''
  return (
    <li className="rounded-lg border border-line px-4 py-3">
      <div className="mb-2 flex items-baseline gap-3">
        <h3 className="text-[15px]">Order bump {number}</h3>
        <span className="ml-auto flex gap-3 text-[13px]">
          {moveUp && (
            <Button kind="link" aria-label={`Move order bump ${number} up`} onClick={moveUp}>
              Move up
            </Button>
          )}
          <Button kind="link" aria-label={`Remove order bump ${number}`} onClick={remove}>
            Remove
          </Button>
        </span>
      </div>
      <div className="grid gap-3">
        <Field label="What it offers">
          {(wiring) => (
            <Select
              wiring={wiring}
              className={BOX_INPUT}
              value={bump.offerId ?? ''}
              options={[['', 'Choose an offer']]}
              groups={products.map(([productId, product]) => ({
                title: product,
                options: choices
                  .filter((choice) => choice.productId === productId)
                  .map(({ id, content }) => [id, `${product}, ${content.name}`] as const),
              }))}
              onChange={(id) => change({ offerId: id === '' ? null : id })}
            />
          )}
        </Field>
        <Field label="Title here">
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={80}
              placeholder={offer?.product ?? ''}
              value={bump.title}
              onChange={(event) => change({ title: event.target.value })}
            />
          )}
        </Field>
        <Field label="Short text here">
          {(wiring) => (
            <textarea
              {...wiring}
              rows={2}
              className={BOX_INPUT}
              maxLength={300}
              placeholder={offer?.summary ?? ''}
              value={bump.text}
              onChange={(event) => change({ text: event.target.value })}
            />
          )}
        </Field>
        <Field label="Words beside the tick">
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={80}
              placeholder={say(CATALOGUE.add, { title })}
              value={bump.tick}
              onChange={(event) => change({ tick: event.target.value })}
            />
          )}
        </Field>
        <div>
          <p className="mb-1 text-[13px] font-semibold">Picture here{bump.coverId === null && ': the product’s own'}</p>
          <CoverField coverId={bump.coverId} onChange={(coverId) => change({ coverId })} />
        </div>
      </div>
    </li>
  )
}

/** The bump as buyers see it. */
function BumpPreview({ bump, page }: { bump: Bump; page: BenchPage }) {
  const { school } = useSession()
  const now = useStudioNow()
  const offer = page.offers.find(({ id }) => id === bump.offerId)
  if (!offer) return null
  const said = describeOffer(school, { id: offer.id, courses: [{ id: offer.productId }], content: offer.content }, now)
  const first = said?.quote.lines[0]?.payments.find(({ n }) => n > 0)?.price ?? 0
  const title = bump.title || offer.product
  const isLess = offer.content.terms.kind === 'single' && offer.alone !== null && offer.alone.now > first
  return (
    <BumpBox
      title={title}
      text={bump.text || offer.summary}
      tick={bump.tick || say(CATALOGUE.add, { title })}
      price={said ? formatWholePrice(said.priced) : null}
      inShop={isLess ? say(CATALOGUE.inShop, { money: formatMoney(offer.alone?.now ?? 0, school) }) : null}
      coverId={bump.coverId ?? offer.coverId}
      coverColor={offer.coverColor}
      isTicked={false}
    />
  )
}

function obstacles(isChanged: boolean, problems: readonly { at: string; why: string }[]): Obstacle[] {
  const publish = { to: 'publish' as const, label: 'Review' }
  const found: Obstacle[] = problems.map(({ at, why }) => ({
    code: at,
    level: 'block',
    stopsPublishing: true,
    title: why,
    detail: '',
    fix: publish,
  }))
  if (problems.length === 0 && isChanged) {
    const title = 'Buyers still see the published version.'
    found.push({ code: 'changed', level: 'warning', stopsPublishing: false, title, detail: '', fix: publish })
  }
  return found
}
