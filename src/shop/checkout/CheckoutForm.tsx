import { type ReactNode, useRef } from 'react'
import { sayDay } from '../../core/calendar/sayDay.ts'
import { formatMoney, formatPlain, formatRate } from '../../core/money/format.ts'
import { taxOf } from '../../core/quote/tax.ts'
import type { Quote } from '../../core/quote/types.ts'
import { sayPayButton, sayWhole, todayInParts } from '../../core/sentence/sentence.ts'
import { sayList } from '../../core/sentence/words.ts'
import type { CheckoutView, PaymentMethod, ShopOffer, ShopPage } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { Field, LINE_INPUT } from '../../ui/Field.tsx'
import { SaleLine, Struck, Suggestion } from '../../ui/OfferCard.tsx'
import { WhatIsNeeded } from '../catalogue/WhatIsNeeded.tsx'
import { spokenOf } from '../spokenOf.ts'
import { CardFrame } from './CardFrame.tsx'
import { ConfirmDialog } from './ConfirmDialog.tsx'
import { Held, SLIP } from './Slip.tsx'
import { goesOn, useCheckout } from './useCheckout.ts'
import { Ways } from './Ways.tsx'

/** What is bought, by whom, how it is paid, and what happens when: all that the browser takes over of the checkout. */
export function CheckoutForm({ page, view: first }: { page: ShopPage; view: CheckoutView }) {
  const frame = useRef<HTMLIFrameElement>(null)
  const checkout = useCheckout(page, first, frame)
  const { view, offer, phase, message, errors, pay, ways, way, shownWay } = checkout
  if (!offer) return null
  const hasLater = goesOn(offer)
  const isBusy = phase.kind !== 'idle' && phase.kind !== 'elsewhere'
  // A price that is being typed may be 0 for a moment: what was entered for the card stays.
  const isOwnPrice = offer.terms.kind === 'openPrice'
  const needsWay = pay > 0 || hasLater
  const cannotPay = needsWay && !way && checkout.priceProblem === undefined
  const lacks = offer.needs !== null && !offer.needs.isMet

  return (
    <form
      className={SLIP}
      // Pressed before the page listens, it does nothing, rather than load the page anew.
      method="dialog"
      noValidate
      onSubmit={(event) => {
        event.preventDefault()
        void checkout.place()
      }}
    >
      <i
        aria-hidden="true"
        className="absolute top-[34px] bottom-[46px] left-5 border-l-2 border-dashed border-line-2 md:left-[30px]"
      />
      {view.held && <Held held={view.held} />}
      {view.offers.length > 1 && (
        <Step title="How you pay" isDone>
          <OfferChoice
            offers={view.offers}
            chosen={offer.id}
            choose={checkout.setChosenId}
            page={page}
            isBusy={isBusy}
          />
        </Step>
      )}
      {lacks && offer.needs && (
        <Step title="For whom this is" isLast>
          <p className="mb-1.5">
            “{offer.name}” is for members of{' '}
            {sayList(
              offer.needs.courses.map(({ title }) => title),
              'or',
            )}
            .
          </p>
          <WhatIsNeeded needs={offer.needs} then={`/buy/${view.course.slug}?offer=${offer.id}`} />
        </Step>
      )}
      {!lacks && offer.terms.kind === 'openPrice' && (
        <Step title="Your price" isDone={!checkout.priceProblem}>
          <Field
            label={`In ${page.school.currency}`}
            error={checkout.priceProblem ?? errors.chosen}
            hint={
              offer.terms.minimum > 0
                ? `At least ${formatMoney(offer.terms.minimum, page.school)}.`
                : 'Any price; 0 is fine too.'
            }
            className="max-w-[220px]"
          >
            {(wiring) => (
              <input
                {...wiring}
                className={LINE_INPUT}
                inputMode="decimal"
                maxLength={20}
                readOnly={isBusy}
                value={checkout.ownPrice ?? formatPlain(suggestedOf(offer), page.school)}
                onChange={(event) => checkout.setOwnPrice(event.target.value)}
              />
            )}
          </Field>
        </Step>
      )}
      {!lacks && (
        <>
          <Step title="Who you are" isDone={Boolean(checkout.name && checkout.email)}>
            <div className="grid gap-2.5 sm:grid-cols-2">
              <Field label="Name" error={errors.name}>
                {(wiring) => (
                  <input
                    {...wiring}
                    className={LINE_INPUT}
                    autoComplete="name"
                    maxLength={100}
                    placeholder="First and last name"
                    value={checkout.name}
                    readOnly={isBusy}
                    onChange={(event) => checkout.setName(event.target.value)}
                  />
                )}
              </Field>
              <Field label="Email" error={errors.email}>
                {(wiring) => (
                  <input
                    {...wiring}
                    className={LINE_INPUT}
                    type="email"
                    autoComplete="email"
                    maxLength={254}
                    placeholder="for receipt and access"
                    value={checkout.email}
                    readOnly={isBusy}
                    onChange={(event) => checkout.setEmail(event.target.value)}
                  />
                )}
              </Field>
            </div>
          </Step>
          {(needsWay || isOwnPrice) && shownWay && (
            <Step
              title={ways.length > 1 ? 'Payment method' : `Your ${shownWay.method.toLowerCase()}`}
              isHidden={!needsWay || !way}
            >
              <Ways
                ways={ways}
                chosen={shownWay}
                choose={checkout.setWayId}
                isBusy={isBusy}
                fields={
                  <CardFrame
                    key={shownWay.connectionId}
                    ref={frame}
                    way={shownWay}
                    mode={page.mode}
                    submit={() => void checkout.place()}
                  />
                }
              />
            </Step>
          )}
          <Step title="Dates" isLast>
            <WhatHappens
              page={page}
              offer={offer}
              said={checkout.quote}
              pay={checkout.priceProblem === undefined ? pay : null}
            />
            {offer.sale && <SaleLine sale={offer.sale} money={page.school} />}
            {offer.lines.length > 0 && (
              <ul className="mt-1.5 text-[13.5px] text-ink-2">
                {offer.lines.map((line, index) => (
                  <li key={`${index}-${line}`}>{line}</li>
                ))}
              </ul>
            )}
            {cannotPay && (
              <p role="alert" className="mt-3 rounded-field bg-late-soft px-3 py-2 font-medium">
                {page.school.name} cannot take payments for this at the moment. Nothing is wrong on your side; please
                check back soon.
              </p>
            )}
            <div aria-live="assertive">
              {message && (
                <p className="mt-3 rounded-field bg-failed-soft px-3 py-2 font-medium text-failed">{message}</p>
              )}
            </div>
            {phase.kind === 'elsewhere' && (
              <p role="status" className="mt-3 rounded-field bg-late-soft px-3 py-2">
                You began to pay elsewhere and have not finished there. Nothing was charged so far.{' '}
                <a className="link" href={phase.url}>
                  Continue there
                </a>
                , or{' '}
                <button type="button" className="link" onClick={checkout.payAnotherWay}>
                  order it anew
                </button>
                .
              </p>
            )}
            {phase.kind === 'checking' && (
              <p role="status" className="mt-3 rounded-field bg-sheet-2 px-3 py-2">
                The outcome of your payment is not known yet. This page finds out by itself; please do not pay again.
              </p>
            )}
            <Button
              kind="press"
              type="submit"
              disabled={isBusy || cannotPay}
              className="mt-3 w-full rounded-lg py-[13px] text-[16px]"
            >
              {!isBusy
                ? checkout.priceProblem
                  ? 'Pay'
                  : sayButton(page, way, pay, hasLater)
                : phase.kind === 'checking'
                  ? 'Waiting for the result…'
                  : 'One moment…'}
            </Button>
            <p className="mt-2 text-[12.5px] text-ink-3">
              {!cannotPay && smallPrint(page, way, pay, hasLater)}
              {page.school.hasTerms && (
                <>
                  {' '}
                  By ordering you accept the{' '}
                  <a className="link" href="/terms" target="_blank" rel="noopener">
                    terms of sale
                  </a>
                  .
                </>
              )}
            </p>
          </Step>
        </>
      )}
      {phase.kind === 'confirming' && (
        <ConfirmDialog url={phase.url} done={() => void checkout.confirmed(phase.orderId)} leave={checkout.walkAway} />
      )}
    </form>
  )
}

function Step({
  title,
  isDone = false,
  isLast = false,
  isHidden = false,
  children,
}: {
  title: string
  isDone?: boolean
  isLast?: boolean
  isHidden?: boolean
  children: ReactNode
}) {
  return (
    <section hidden={isHidden} className={classes('relative', !isLast && 'pb-[18px]')}>
      <i
        aria-hidden="true"
        className={classes(
          'absolute top-0.5 left-[-29px] size-[17px] rounded-full border-2 border-ink md:left-[-33px]',
          isDone ? 'bg-ink' : 'bg-sheet',
        )}
      />
      <h2 className="mb-2 text-[17px]">{title}</h2>
      {children}
    </section>
  )
}

interface OfferChoiceProps {
  offers: ShopOffer[]
  chosen: string
  choose: (id: string) => void
  page: ShopPage
  isBusy: boolean
}

function OfferChoice({ offers, chosen, choose, page, isBusy }: OfferChoiceProps) {
  return (
    <fieldset disabled={isBusy}>
      <legend className="sr-only">How you pay</legend>
      {offers.map((offer) => (
        <label
          key={offer.id}
          className={classes(
            '-mx-2.5 grid cursor-pointer grid-cols-[20px_minmax(0,1fr)] gap-2.5 rounded-[7px] px-2.5 py-2',
            offer.id === chosen && 'bg-acorn-soft shadow-[inset_3px_0_0_var(--color-leaf)]',
          )}
        >
          <input
            type="radio"
            name="offer"
            value={offer.id}
            checked={offer.id === chosen}
            onChange={() => choose(offer.id)}
            className="mt-1 size-4 accent-leaf"
          />
          <span className="flex flex-wrap items-baseline justify-between gap-x-3">
            <b className="min-w-0 font-semibold">
              {offer.name}
              {offer.highlighted && <Suggestion />}
            </b>
            <b className="ml-auto text-right font-semibold">
              {offer.sale?.of === '' && <Struck sale={offer.sale} money={page.school} />}
              {wholePrice(offer, page)}
            </b>
          </span>
          {offer.needs && (
            <span className="col-start-2 -mt-2 text-[13px] text-ink-2">
              {offer.needs.isMet ? 'for you, as a member of ' : 'for members of '}
              {sayList(
                offer.needs.courses.map(({ title }) => title),
                'or',
              )}
            </span>
          )}
        </label>
      ))}
    </fieldset>
  )
}

function wholePrice(offer: ShopOffer, { school }: ShopPage): string {
  const spoken = spokenOf(offer, school)
  return spoken ? sayWhole(spoken) : ''
}

/** What the button says: that it is paid now, that the buyer goes on elsewhere, or that they order and transfer it. */
function sayButton({ school }: ShopPage, way: PaymentMethod | undefined, pay: number, hasLater: boolean): string {
  if (pay === 0 || !way || way.style === 'embedded') return sayPayButton(pay, hasLater, school)
  const amount = formatMoney(pay, school)
  return way.style === 'redirect' ? `Continue to ${way.gateway}, ${amount}` : `Order and transfer ${amount}`
}

/** What is said below the button: who charges, and what the buyer allows. */
function smallPrint({ school }: ShopPage, way: PaymentMethod | undefined, pay: number, hasLater: boolean): string {
  const gateway = way?.gateway ?? 'the gateway'
  if (hasLater) {
    const what = way?.style === 'embedded' ? 'to this card, which' : 'by'
    return `By ordering you allow ${school.name} to charge the later payments ${what} ${gateway}${way?.style === 'embedded' ? ' keeps for it' : ', as you approve there'}.`
  }
  if (pay === 0) return 'Nothing to pay.'
  if (way?.style === 'offline') return 'The next page says where to send the money. Access begins once it is received.'
  if (way?.known === 'later')
    return `Charged once. ${gateway} takes the payment; access begins once the money is received, mostly within hours.`
  return `Charged once. ${gateway} takes the payment${way?.style === 'embedded' ? `; your card number never reaches ${school.name}` : ''}.`
}

function suggestedOf({ terms }: ShopOffer): number {
  return terms.kind === 'openPrice' ? terms.suggested : 0
}

/** Most later payments that are listed one by one. */
const MAX_ROWS = 5

interface WhatHappensProps {
  page: ShopPage
  offer: ShopOffer
  /** What the server said of a basket that was typed. */
  said: Quote | null
  /** Null where the buyer's own price cannot be read. */
  pay: number | null
}

function WhatHappens({ page: { school }, offer, said, pay }: WhatHappensProps) {
  const { terms } = offer
  const quote = said ?? offer.quote
  const [line] = quote.lines
  // Of a price that was typed, an estimate until the server has said what it comes to.
  const isEstimate = terms.kind === 'openPrice' && !said
  const { tax } = isEstimate
    ? taxOf(pay ?? 0, { mode: school.taxMode === 'none' ? 'none' : 'inclusive', rate: offer.taxRate })
    : quote.today
  const rate = formatRate(offer.taxRate, school.language)
  const parts = line ? todayInParts({ terms, line, purchaseDay: quote.purchaseDay }) : []
  // What is no regular payment is named, and so is what stands beside it.
  const named = parts.some(({ name }) => name !== null) ? parts : []
  const year = quote.purchaseDay.slice(0, 4)
  const shown = quote.later.slice(0, MAX_ROWS)
  const rest = quote.later.length - shown.length
  const day = (when: string) => sayDay(when, school.language, year)
  const opensLater = line && line.opens > quote.purchaseDay ? line.opens : null
  const lasts =
    offer.access.lasts === 'whilePaying' ? 'while you pay' : line?.closes ? `until ${day(line.closes)}` : 'for good'
  return (
    <dl className="grid grid-cols-[1fr_auto] gap-x-2.5 gap-y-1">
      <dt className="font-semibold">
        {opensLater
          ? `Today; the course opens on ${day(opensLater)}, ${lasts}`
          : `Today, and the course is open ${lasts}`}
      </dt>
      <dd className="text-right font-semibold">
        {pay === null ? '–' : pay === 0 && quote.later.length === 0 ? 'free' : formatMoney(pay, school)}
      </dd>
      {named.map(({ name, pay: amount }) => (
        <Row
          key={name}
          label={name ?? 'First payment'}
          value={amount > 0 ? formatMoney(amount, school) : 'free'}
          isQuiet
        />
      ))}
      {shown.map(({ due, pay: amount }) => (
        <Row key={due} label={day(due)} value={formatMoney(amount, school)} />
      ))}
      {rest > 0 && quote.committed !== null && (
        <Row label={`and ${rest} more, the last on ${day(quote.later.at(-1)?.due ?? '')}`} value="" isQuiet />
      )}
      {quote.committed === null && <Row label="and so on, until you cancel" value="" isQuiet />}
      {quote.later.length > 0 && quote.committed !== null && (
        <Row label="In all" value={formatMoney(quote.committed, school)} isQuiet />
      )}
      {tax > 0 && (
        <Row
          label={`VAT ${rate}, inside${quote.later.length > 0 ? ' today’s payment' : ''}`}
          value={formatMoney(tax, school)}
          isQuiet
        />
      )}
    </dl>
  )
}

function Row({ label, value, isQuiet = false }: { label: string; value: string; isQuiet?: boolean }) {
  return (
    <>
      <dt className={isQuiet ? 'text-ink-3' : ''}>{label}</dt>
      <dd className={classes('text-right', isQuiet && 'text-ink-3')}>{value}</dd>
    </>
  )
}
