import { after, type Day } from '../../core/calendar/day.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { dayIn, parseInstant } from '../../core/calendar/instant.ts'
import type { CoverColor } from '../../core/content/course.ts'
import type { OfferContent } from '../../core/content/offer.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import type { ShownSale } from '../../core/content/shownSale.ts'
import { feeOf } from '../../core/money/fee.ts'
import { formatMoney, formatRate } from '../../core/money/format.ts'
import { formatWhyNot, whyNot } from '../../core/paymentMethods/collects.ts'
import { type Fix, needOf, type Obstacle } from '../../core/readiness/readiness.ts'
import { openingOf, withOpening } from '../../core/sentence/openings.ts'
import { formatPriceSentence, type OfferInWords } from '../../core/sentence/sentence.ts'
import { OfferCard } from '../../ui/OfferCard.tsx'
import { State } from '../../ui/State.tsx'
import { type Mark, type Ribbon, Timeline, type TimelinePoint } from '../../ui/Timeline.tsx'
import { PreviewSection } from '../frame/Places.tsx'
import { useDaysAhead, useSession, useStudioNow, useStudioToday } from '../session/session.ts'
import { Obstacles } from './Obstacles.tsx'
import { type BenchOffer, coursesOf } from './queries.ts'
import { SellMore } from './SellMore.tsx'

interface OfferMirrorProps {
  offer: BenchOffer
  content: OfferContent
  /** The sale that would run if it were published now. */
  sale: ShownSale | null
  obstacles: Obstacle[]
  fix: (to: Fix['to']) => void
}

/** What follows from an offer: its sentence, its thread, what is kept, what stands in the way, the buyer's view. */
export function OfferMirror({ offer, content, sale, obstacles, fix }: OfferMirrorProps) {
  const { school } = useSession()
  const said = describeOffer(school, { id: offer.id, courses: coursesOf(offer), content }, useStudioNow())
  const opening = said && openingOf(coursesOf(offer), said.priced)
  const priced = said && opening && withOpening(said.priced, opening)
  const daysAhead = useDaysAhead()
  const today = useStudioToday()
  const need = said && needOf(said.priced, school.currency)
  const paymentMethod = offer.paymentMethods.find(
    ({ capabilities }) => need && whyNot(capabilities, need) === null,
  )?.capabilities
  return (
    <>
      <PreviewSection label="In words">
        {daysAhead > 0 && (
          <p className="mb-1 text-[12.5px] text-ink-3">
            As of {formatDay(today, school.language)}, where practice time stands.
          </p>
        )}
        <p className="display text-[20px] leading-[1.32] font-medium" aria-live="polite">
          {priced ? formatPriceSentence(priced) : 'No price yet.'}
        </p>
        {opening?.notes.map((note) => (
          <p key={note} className="mt-1.5 text-[13.5px] text-ink-2">
            {note}
          </p>
        ))}
        {said && <BesideParts offer={offer} content={content} priced={said.priced} />}
        {said && (
          <div className="mt-3">
            <Timeline
              start={said.quote.purchaseDay}
              startLabel="today"
              points={pointsOf(said.priced)}
              marks={marksOf(said.priced, content, school.timeZone)}
              ribbon={ribbonOf(priced ?? said.priced, offer.product.coverColor)}
              endless={said.priced.line.untilCancelled}
              language={school.language}
            />
          </div>
        )}
      </PreviewSection>
      {said && offer.paymentMethods.length > 0 && <PaidBy offer={offer} priced={said.priced} />}
      {said && (
        <KeptOf priced={said.priced} rate={content.taxRate ?? school.taxRate} paymentMethod={paymentMethod ?? null} />
      )}
      <PreviewSection label="Before the first sale">
        <Obstacles
          obstacles={obstacles}
          fix={fix}
          nothing={`Nothing missing. ${offer.sold > 0 ? `Ordered ${offer.sold} ${offer.sold === 1 ? 'time' : 'times'} so far.` : 'It can be bought now.'}`}
        />
      </PreviewSection>
      <SellMore productId={offer.product.id} appliesTo={{ products: [], offers: [offer.id] }} />
      <PreviewSection label="The buyer sees">
        <OfferCard
          name={content.name}
          button={content.button}
          priced={priced}
          highlighted={content.highlighted}
          lines={content.lines.split('\n').filter((line) => line.trim() !== '')}
          sale={sale}
          needs={neededOf(content, offer)}
          href={null}
        />
        {content.audience.who === 'link' && (
          <p className="mt-1 text-[13px] text-ink-3">Only through the direct link; it is not listed anywhere.</p>
        )}
        <p className="mt-2 text-[13px]">
          <a className="link" href={`/buy/${offer.product.slug}?offer=${offer.id}`} target="_blank" rel="noreferrer">
            Open the checkout page
          </a>
        </p>
      </PreviewSection>
    </>
  )
}

/** Of a bundle's one-time price: that its courses cost as much, or less, one by one. */
function BesideParts({ offer, content, priced }: { offer: BenchOffer; content: OfferContent; priced: OfferInWords }) {
  const { oneByOne } = offer.product
  const price = priced.line.payments.find(({ n }) => n > 0)?.price
  if (oneByOne === null || content.terms.kind !== 'single' || price === undefined || price < oneByOne) return null
  const more = price - oneByOne
  return (
    <p className="mt-2 text-[13.5px]">
      <State shape="late">{more > 0 ? 'costs more than its courses' : 'saves nothing'}</State> One by one they cost{' '}
      {formatMoney(oneByOne, priced.money)}
      {more > 0 ? `, ${formatMoney(more, priced.money)} less` : ', as much'}.
    </p>
  )
}

/** The payment methods that buyers of this offer are shown, and why the others are not. */
function PaidBy({ offer, priced }: { offer: BenchOffer; priced: OfferInWords }) {
  const need = needOf(priced, priced.money.currency)
  if (need.today === 0 && !need.hasLaterPayments) return null
  const paymentMethods = offer.paymentMethods.map(({ capabilities }) => ({
    can: capabilities,
    why: whyNot(capabilities, need),
  }))
  const shown = paymentMethods.filter(({ why }) => why === null)
  return (
    <PreviewSection label="Buyers can pay by">
      <ul className="text-[13.5px]">
        {shown.map(({ can }) => (
          <li key={can.name}>
            <State shape="received">{can.name}</State>
          </li>
        ))}
        {paymentMethods.map(({ can, why }) =>
          why ? (
            <li key={can.name} className="text-ink-2">
              <State shape="off">{can.name}</State> {formatWhyNot(why, can, priced.money)}
            </li>
          ) : null,
        )}
      </ul>
    </PreviewSection>
  )
}

/** Titles of what must be held, where only holders may buy. */
function neededOf({ audience }: OfferContent, offer: BenchOffer): string[] {
  return audience.who === 'holders'
    ? offer.memberships.filter(({ id }) => audience.of.includes(id)).map(({ title }) => title)
    : []
}

function pointsOf({ line, purchaseDay, money }: OfferInWords): TimelinePoint[] {
  const byDay = new Map<Day, number>()
  for (const { due, pay } of line.payments) byDay.set(due, (byDay.get(due) ?? 0) + pay)
  return [...byDay].map(([day, pay]) => ({
    day,
    amount: formatMoney(pay, money, true),
    state: day === purchaseDay ? 'collected' : 'to-come',
  }))
}

/** What else happens: the trial ends, a sale begins or ends. */
function marksOf({ terms, line, purchaseDay }: OfferInWords, { sale }: OfferContent, timeZone: string): Mark[] {
  const marks: Mark[] = []
  const first = line.payments.find(({ kind }) => kind === 'regular')
  if ('trial' in terms && terms.trial && first) marks.push({ day: first.due, label: 'trial ends' })
  for (const [moment, label] of [
    [sale?.from, 'sale begins'],
    [sale?.until, 'sale ends'],
  ] as const) {
    const instant = moment ? parseInstant(moment) : null
    const day = instant && dayIn(timeZone, instant)
    if (day && day >= purchaseDay) marks.push({ day, label })
  }
  return marks
}

function ribbonOf({ line, access, isWhileMember, purchaseDay, money }: OfferInWords, coverColor: CoverColor): Ribbon {
  const isExtended = access.lasts === 'whilePaying'
  const label = isExtended
    ? 'open while it is paid'
    : isWhileMember
      ? 'open as long as the membership lasts'
      : line.closes
        ? `open until ${formatDay(line.closes, money.language, purchaseDay.slice(0, 4))}`
        : 'open for good'
  return { coverColor, opens: line.opens, closes: line.closes, graceDays: access.graceDays, isExtended, label }
}

/** What the creator keeps of all listed payments: each charge costs its own fee. */
function KeptOf({
  priced,
  rate,
  paymentMethod,
}: {
  priced: OfferInWords
  rate: number
  paymentMethod: BenchOffer['paymentMethods'][number]['capabilities'] | null
}) {
  const { line, money } = priced
  // Of what goes on until cancelled, the first year.
  const yearEnd = after(priced.purchaseDay, 1, { count: 1, unit: 'year' })
  const payments = line.payments.filter(({ due }) => !line.untilCancelled || due < yearEnd)
  const charges = new Map<string, number>()
  for (const { due, pay } of payments) charges.set(due, (charges.get(due) ?? 0) + pay)
  const paid = [...charges.values()].filter((pay) => pay > 0)
  const all = paid.reduce((sum, pay) => sum + pay, 0)
  if (all === 0) return null
  const tax = payments.reduce((sum, payment) => sum + payment.tax, 0)
  const fees = paymentMethod ? paid.reduce((sum, pay) => sum + feeOf(pay, money.currency, paymentMethod.fee), 0) : null
  const what = line.untilCancelled
    ? `${paid.length === 1 ? 'one payment' : `${paid.length} payments`} in the first year, ${formatMoney(all, money)}`
    : formatMoney(all, money)
  return (
    <PreviewSection label={`You keep, of ${what}`}>
      <Kept
        pay={all}
        tax={tax}
        rate={rate}
        payments={paid.length}
        fee={paymentMethod && fees !== null ? { name: paymentMethod.name, amount: fees } : null}
      />
    </PreviewSection>
  )
}

interface KeptProps {
  pay: number
  tax: number
  /** Basis points. */
  rate: number
  payments: number
  fee: { name: string; amount: number } | null
}

function Kept({ pay, tax, rate, payments, fee }: KeptProps) {
  const { school } = useSession()
  const row = 'flex justify-between gap-4 py-[2.5px] text-[13px]'
  return (
    <dl>
      <div className={row}>
        <dt>
          {fee
            ? payments > 1
              ? `Fees of ${fee.name}, ${payments} payments`
              : `Fee of ${fee.name}`
            : 'Fee: no gateway is connected'}
        </dt>
        <dd>{fee ? `− ${formatMoney(fee.amount, school)}` : '–'}</dd>
      </div>
      {tax > 0 && (
        <div className={row}>
          <dt>
            VAT at {formatRate(rate, school.language)}, {school.taxMode === 'inclusive' ? 'inside' : 'on top'}
          </dt>
          <dd>− {formatMoney(tax, school)}</dd>
        </div>
      )}
      <div className={`${row} font-semibold`}>
        <dt>Yours</dt>
        <dd>{formatMoney(pay - tax - (fee?.amount ?? 0), school)}</dd>
      </div>
    </dl>
  )
}
