import { useMutation } from '@tanstack/react-query'
import { Link, useNavigate, useParams } from 'react-router'
import { toast } from 'sonner'
import { offerChanges } from '../../core/content/changes.ts'
import { runningSale } from '../../core/content/earlierPrice.ts'
import { accessAfter, mayLastWhileMember, type OfferContent } from '../../core/content/offer.ts'
import { nameAfter, nameOfTerms } from '../../core/content/offerName.ts'
import { describeOffer, type PricingSchool } from '../../core/content/quoteInput.ts'
import { shownSale } from '../../core/content/shownSale.ts'
import { type Fix, type Obstacle, obstaclesOf } from '../../core/readiness/readiness.ts'
import { formatEnrolButton, formatInParts } from '../../core/sentence/sentence.ts'
import { Button } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { DraftBench, usePublishing } from '../drafting/DraftBench.tsx'
import { OpenBench } from '../drafting/OpenBench.tsx'
import { type UnreadField, useUnreadFields } from '../drafting/UnreadFields.tsx'
import { useDraft } from '../drafting/useDraft.ts'
import { MenuItem } from '../frame/Menu.tsx'
import { Section, Work } from '../frame/Places.tsx'
import { useMoney, useSession, useStudioNow } from '../session/session.ts'
import { AccessBench } from './AccessBench.tsx'
import { AgainstAtOnce } from './AgainstAtOnce.tsx'
import { AudienceBench } from './AudienceBench.tsx'
import { formatOpensFor } from './BundleHolders.tsx'
import { LinkBench } from './LinkBench.tsx'
import { OfferMirror } from './OfferMirror.tsx'
import { OnPage, OwnBench } from './OnPage.tsx'
import { type BenchOffer, coursesOf, productPath, refreshShelf, useOffer } from './queries.ts'
import { RetireAsk } from './RetireAsk.tsx'
import { SaleBench } from './SaleBench.tsx'
import { TaxBench } from './TaxBench.tsx'
import { TermsBench } from './TermsBench.tsx'
import { useRetiring } from './useRetiring.ts'

/** Where the fix of an obstacle is written. */
const FIELDS: Partial<Record<Fix['to'], string>> = {
  name: '#offer-name',
  sale: '#offer-sale input',
  access: '#offer-access select',
  audience: '#offer-audience select',
  unread: 'main input[aria-invalid=true]',
}

/** The bench for the offer in the address. */
export function OfferBenchPage() {
  const { id = '' } = useParams()
  return <OpenBench query={useOffer(id)}>{(offer) => <OfferBench offer={offer} />}</OpenBench>
}

function OfferBench({ offer }: { offer: BenchOffer }) {
  const money = useMoney()
  const { mode, school } = useSession()
  const navigate = useNavigate()
  const draft = useDraft<OfferContent>({
    first: offer,
    save: async (baseRev, content) => {
      const saved = await unwrap(api.offers[':id'].draft.$put({ param: { id: offer.id }, json: { baseRev, content } }))
      void refreshShelf()
      return saved
    },
  })
  const publishing = usePublishing(draft)
  const { content, change } = draft
  const unread = useUnreadFields()
  const at = useStudioNow()
  const said = describeOffer(school, { id: offer.id, courses: coursesOf(offer), content }, at)
  const days = coursesOf(offer).map(({ opens }) => opens)
  const oneTimeOffer = offer.oneTimeOffer && payAtOnce(offer.oneTimeOffer, school, at)
  const history = [...offer.history, { content, publishedAt: at }]
  const sale = runningSale(history, at)
  const { audience } = content
  const found = obstaclesOf(
    {
      known: offer.known,
      oneTimeOffer,
      holdersOf: audience.who === 'holders' ? offer.memberships.filter(({ id }) => audience.of.includes(id)) : [],
      hasEarlierPrice: sale && sale.earlier !== null,
      draft: content,
      said: said?.priced ?? null,
      at,
      timeZone: school.timeZone,
      live: offer.live,
      onSale: offer.onSale,
      mode,
      otherNames: offer.otherNames,
      product: {
        kind: offer.product.kind,
        live: offer.product.isLive,
        retired: offer.product.isRetired,
        holds: offer.product.holds,
        days,
        problems: offer.product.problems,
      },
      paymentMethods: offer.paymentMethods.map(({ capabilities }) => capabilities),
    },
    money,
  )

  const obstacles = [...unread.map(unreadObstacle), ...found]
  const titleOf = (productId: string) =>
    offer.memberships.find(({ id }) => id === productId)?.title ?? 'something retired'
  const param = { id: offer.id }
  const meta = { invalidates: [['offer', offer.id], ['shelf']] }
  const { mutate: setOnSale } = useMutation({
    mutationFn: (onSale: boolean) => unwrap(api.offers[':id']['on-sale'].$put({ param, json: { onSale } })),
    onSuccess: (_, onSale) => toast(onSale ? 'On sale again.' : 'Taken off sale. Buyers see that at once.'),
    meta,
  })
  const { mutate: retire } = useMutation({
    mutationFn: (isRetired: boolean) => unwrap(api.offers[':id'].retired.$put({ param, json: { isRetired } })),
    onSuccess: (_, isRetired) =>
      isRetired
        ? toast('Retired. Buyers keep their access, and agreed payments are still collected.')
        : toast('Brought back. It is still off sale.', {
            action: offer.live ? { label: 'Put on sale', onClick: () => setOnSale(true) } : undefined,
          }),
    meta,
  })
  const retiring = useRetiring({ offer: offer.id }, false, retire)
  const { setRetired } = retiring
  const { mutate: move } = useMutation({
    mutationFn: (by: number) => {
      const ids = offer.siblings.filter((id) => id !== offer.id)
      ids.splice(offer.place - 1 + by, 0, offer.id)
      return unwrap(api.offers.order.$put({ json: { productId: offer.product.id, ids } }))
    },
    onSuccess: () => toast('Moved. Buyers see the new order at once.'),
    meta,
  })
  const { mutate: duplicate } = useMutation({
    mutationFn: () => unwrap(api.offers[':id'].duplicate.$post({ param })),
    onSuccess: ({ id }) => navigate(`/studio/sell/offers/${id}`),
    meta: { invalidates: [['shelf']] },
  })
  const { mutate: remove } = useMutation({
    mutationFn: () => unwrap(api.offers[':id'].$delete({ param })),
    onSuccess: () => navigate(productPath(offer.product)),
    meta: { invalidates: [['shelf']] },
  })
  const fix = (to: Fix['to']) => {
    if (to === 'gateways') navigate('/studio/setup/gateways')
    else if (to === 'courses') navigate(`${productPath(offer.product)}#bundle-courses`)
    else if (to === 'open-product') navigate(productPath(offer.product))
    else if (to === 'publish') void publishing.open()
    else if (to === 'put-on-sale') setOnSale(true)
    else if (to === 'rename') change({ name: nameOfTerms(content.terms) })
    else document.querySelector<HTMLElement>(FIELDS[to] ?? '#offer-price input')?.focus()
  }

  return (
    <Work
      bench={
        <DraftBench
          draft={draft}
          publishing={publishing}
          kicker={
            <>
              <Link to={productPath(offer.product)} className="hover:underline">
                {offer.product.title}
              </Link>
              {offer.retiredAt ? ' · retired' : offer.places > 1 ? ` · offer ${offer.place} of ${offer.places}` : ''}
            </>
          }
          unread={unread}
          isRetired={offer.retiredAt !== null}
          setRetired={setRetired}
          acts={
            offer.live && (
              <Button onClick={() => setOnSale(!offer.onSale)}>{offer.onSale ? 'Take off sale' : 'Put on sale'}</Button>
            )
          }
          menu={
            <>
              <MenuItem disabled={offer.place < 2} onSelect={() => move(-1)}>
                Move up
              </MenuItem>
              <MenuItem disabled={offer.place === offer.places} onSelect={() => move(1)}>
                Move down
              </MenuItem>
              <MenuItem
                onSelect={() => navigate(`/studio/sell/compare?offers=${offer.siblings.slice(0, 4).join(',')}`)}
              >
                Compare the {offer.product.kind}’s offers
              </MenuItem>
            </>
          }
          duplicate={duplicate}
          remove={remove}
          keptBecause={offer.sold > 0 ? 'was ordered' : null}
          publish={{
            title: `Publish “${content.name || 'this offer'}”`,
            changes: offerChanges(offer.live, draft.saved.draft, school, at, titleOf),
            notes: notesOf(offer),
            blocked: obstacles
              .filter(({ stopsPublishing }) => stopsPublishing)
              .map(({ title, detail }) => `${title} ${detail}`),
            run: () => unwrap(api.offers[':id'].publish.$post({ param, json: { rev: draft.revision() } })),
            ...meta,
          }}
          changesOf={(theirs) => offerChanges(theirs, content, school, at, titleOf)}
        >
          <h1 data-title={`${content.name || 'Offer'}, ${offer.product.title}`} className="mt-1 text-[27px]">
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
              onChange={(terms) =>
                change({
                  terms,
                  access: accessAfter(content.access, content.terms, terms),
                  name: nameAfter(content.name, content.terms, terms, offer.otherNames),
                })
              }
            />
            {content.terms.kind === 'installments' && (
              <AgainstAtOnce
                all={
                  said?.quote.committed != null ? { sum: said.quote.committed, says: formatInParts(said.priced) } : null
                }
                oneTimeOffer={oneTimeOffer}
                count={content.terms.count}
                money={money}
                split={({ count, total, each }) =>
                  content.terms.kind === 'installments' &&
                  change({ terms: { ...content.terms, count, total, amount: total === null ? each : null } })
                }
              />
            )}
            <SaleBench
              sale={content.sale}
              terms={content.terms}
              money={money}
              timeZone={school.timeZone}
              onChange={(sale) => change({ sale })}
            />
            {content.terms.kind !== 'free' && (
              <TaxBench rate={content.taxRate} school={school} onChange={(taxRate) => change({ taxRate })} />
            )}
          </Section>
          <Section title="When it is open">
            <AccessBench
              access={content.access}
              terms={content.terms}
              today={said?.quote.purchaseDay ?? at.slice(0, 10)}
              language={school.language}
              days={days}
              mayLastWhileMember={mayLastWhileMember(content)}
              onChange={(access) => change({ access })}
            />
          </Section>
          <Section title="Who may buy">
            <AudienceBench
              audience={content.audience}
              products={offer.memberships.filter(({ id }) => id !== offer.product.id)}
              onChange={(audience) => change({ audience })}
            />
            {offer.holders > 0 && (
              <p className="mt-1 text-[13px] text-ink-3">
                {offer.holders} {offer.holders === 1 ? 'buyer has' : 'buyers have'} it already; a new price changes
                nothing for them.
              </p>
            )}
          </Section>
          <Section title="Direct link">
            <LinkBench slug={offer.product.slug} offerId={offer.id} isLive={offer.live !== null && offer.onSale} />
          </Section>
          <Section title="On the page">
            <OnPage
              content={content}
              madeButton={said ? formatEnrolButton(said.priced, '', content.audience.who === 'holders') : 'Enrol'}
              schoolName={school.name}
              change={change}
            />
          </Section>
          <Section title="Only for you">
            <OwnBench content={content} change={change} />
          </Section>
        </DraftBench>
      }
      mirror={
        <>
          <OfferMirror
            offer={offer}
            content={content}
            sale={shownSale(history, school, at)}
            obstacles={obstacles}
            fix={fix}
          />
          <RetireAsk kind="offer" retiring={retiring} retire={() => retire(true)} />
        </>
      }
    />
  )
}

/** What else follows from publishing. */
function notesOf({ product, live, onSale, holders }: BenchOffer): string[] {
  const buyers = `${holders} ${holders === 1 ? 'buyer has' : 'buyers have'}`
  return [
    ...(product.isLive ? [] : [`This also publishes the ${product.kind} “${product.title}”.`]),
    ...product.opensFor.map(formatOpensFor),
    ...(live && !onSale ? ['This also puts it back on sale.'] : []),
    ...(holders > 0
      ? [`${buyers} bought this offer. Nothing changes for them: they keep their price and their access.`]
      : []),
  ]
}

/** What was typed and cannot be read: it is not in the draft, and nothing is published before it is put right. */
function unreadObstacle({ label, why }: UnreadField): Obstacle {
  return {
    code: `unread ${label}`,
    level: 'block',
    stopsPublishing: true,
    title: `“${label}” is not saved.`,
    detail: why,
    fix: { to: 'unread', label: 'Correct it' },
  }
}

/** What the course's one-time offer comes to, sale or not, tax included; null while it has no price. */
function payAtOnce(content: OfferContent, school: PricingSchool, at: string): number | null {
  return (
    describeOffer(school, { id: 'at-once', courses: [{ id: 'c' }], content: { ...content, sale: null } }, at)?.quote
      .today.pay ?? null
  )
}
