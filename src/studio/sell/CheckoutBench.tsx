import { Link, useParams } from 'react-router'
import { pageChanges } from '../../core/content/changes.ts'
import { type Bump, MAX_BUMPS, type PageContent, pageProblems } from '../../core/content/checkoutPage.ts'
import type { Obstacle } from '../../core/readiness/readiness.ts'
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
import { AdditionFields, useAddition } from './AdditionFields.tsx'
import { Obstacles } from './Obstacles.tsx'
import { type BenchPage, productPath, usePage } from './queries.ts'
import { UpsellPreview, UpsellSection } from './UpsellFields.tsx'

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
  const titleOf = ({ title, offerId }: Bump) => title || (page.offers.find((one) => one.id === offerId)?.product ?? '')
  const problemsOf = (of: PageContent) => pageProblems(of, { productId: page.product?.id ?? null, offers: page.offers })
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
            title: page.product
              ? `Publish the checkout page of “${page.product.title}”`
              : 'Publish the basket’s checkout page',
            changes: pageChanges(page.live, draft.saved.draft, nameOf),
            notes: [],
            blocked: problemsOf(draft.saved.draft).map(({ why }) => why),
            run: () => unwrap(api.catalogue.pages[':id'].publish.$post({ param, json: { rev: draft.revision() } })),
            invalidates: [['page', page.id], ['pages']],
          }}
          changesOf={(theirs) => pageChanges(theirs, content, nameOf)}
        >
          <h1 className="mt-1 text-[27px]">{page.product?.title ?? 'The basket'}</h1>
          <p className="mt-1 max-w-[60ch] text-ink-2">
            {page.product ? (
              <>
                The page that sells it, at /buy/{page.slug}. It shows{' '}
                <Link className="link" to={productPath(page.product)}>
                  the {page.product.kind}
                </Link>{' '}
                with all its offers that are on sale.
              </>
            ) : (
              <>
                The page at which buyers pay for all that is in their basket. Whether the shop has a basket is set at{' '}
                <Link className="link" to="/studio/sell/front">
                  the shop’s front
                </Link>
                .
              </>
            )}
          </p>
          <Section title="Order bumps">
            {content.bumps.length === 0 && (
              <p className="pt-[5px] pb-2 text-ink-2">
                Something else that buyers can tick to order with it. It is never ticked beforehand.
              </p>
            )}
            <ol className="grid gap-4">
              {content.bumps.map((bump, index) => (
                <AdditionFields
                  key={bump.id}
                  called={`Order bump ${index + 1}`}
                  addition={bump}
                  page={page}
                  all={content.bumps}
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
                >
                  <Field label="Words beside the tick">
                    {(wiring) => (
                      <input
                        {...wiring}
                        className={BOX_INPUT}
                        maxLength={80}
                        placeholder={say(CATALOGUE.add, { title: titleOf(bump) })}
                        value={bump.tick}
                        onChange={(event) => setBump(bump.id, { tick: event.target.value })}
                      />
                    )}
                  </Field>
                </AdditionFields>
              ))}
            </ol>
            {content.bumps.length < MAX_BUMPS && (
              <Button kind="link" className="mt-2" onClick={add}>
                {content.bumps.length === 0 ? 'Add an order bump' : 'Add another order bump'}
              </Button>
            )}
          </Section>
          <UpsellSection page={page} content={content} change={change} />
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
            {content.bumps.length + content.upsells.length === 0 && (
              <p className="text-ink-2">No order bump and no upsell.</p>
            )}
            {content.bumps.map((bump) => (
              <BumpPreview key={bump.id} bump={bump} page={page} />
            ))}
            <p className="mt-3 text-[13px]">
              <a
                className="link"
                href={page.product ? `/buy/${page.slug}` : '/basket'}
                target="_blank"
                rel="noreferrer"
              >
                {page.product ? 'Open the checkout page' : 'Open the basket'}
              </a>
            </p>
          </PreviewSection>
          {content.upsells.length > 0 && (
            <PreviewSection label="After the payment">
              {content.upsells.map((step) => (
                <UpsellPreview key={step.id} step={step} page={page} />
              ))}
            </PreviewSection>
          )}
        </>
      }
    />
  )
}

/** The bump as buyers see it. */
function BumpPreview({ bump, page }: { bump: Bump; page: BenchPage }) {
  const shown = useAddition(bump, page)
  if (!shown) return null
  return <BumpBox {...shown} tick={bump.tick || say(CATALOGUE.add, { title: shown.title })} isTicked={false} />
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
