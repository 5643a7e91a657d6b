import { type ReactNode, useRef } from 'react'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney, formatPlain, formatRate } from '../../core/money/format.ts'
import { taxOf } from '../../core/quote/tax.ts'
import type { Quote } from '../../core/quote/types.ts'
import { formatPayButton } from '../../core/sentence/sentence.ts'
import { formatList } from '../../core/sentence/words.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { PAYING } from '../../core/words/en/paying.ts'
import { say } from '../../core/words/message.ts'
import type { CheckoutView, Needs, PaymentMethod, ShopOffer, ShopPage } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { Field, LINE_INPUT } from '../../ui/Field.tsx'
import { SaleLine, Struck, Suggestion } from '../../ui/OfferCard.tsx'
import { sayWith } from '../../ui/sayWith.ts'
import { WhatIsNeeded } from '../catalogue/WhatIsNeeded.tsx'
import { CardFrame } from './CardFrame.tsx'
import { CodeField } from './CodeField.tsx'
import { ConfirmDialog } from './ConfirmDialog.tsx'
import { FORM_BOX, Held } from './formBox.tsx'
import { PaymentMethods } from './PaymentMethods.tsx'
import { useCheckout } from './useCheckout.ts'

/** What is bought, by whom, how it is paid, and what happens when: all that the browser takes over of the checkout. */
export function CheckoutForm({ page, view: first }: { page: ShopPage; view: CheckoutView }) {
  const frame = useRef<HTMLIFrameElement>(null)
  const checkout = useCheckout(page, first, frame)
  const { view, offer, phase, message, errors, pay, paymentMethods, paymentMethod, shownPaymentMethod } = checkout
  if (!offer) return null
  const { hasLater } = checkout
  const isBusy = phase.kind !== 'idle' && phase.kind !== 'elsewhere'
  // A price that is being typed may be 0 for a moment: what was entered for the card stays.
  const isOwnPrice = offer.terms.kind === 'openPrice'
  const needsPaymentMethod = pay > 0 || hasLater
  const cannotPay = needsPaymentMethod && !paymentMethod && checkout.priceProblem === undefined
  const lacks = offer.needs !== null && !offer.needs.isMet

  return (
    <form
      className={FORM_BOX}
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
        <Step title={CHECKOUT.howYouPay} isDone>
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
        <Step title={CHECKOUT.forWhom} isLast>
          <p className="mb-1.5">{say(CHECKOUT.membersOnly, { offer: offer.name, courses: coursesOf(offer.needs) })}</p>
          <WhatIsNeeded needs={offer.needs} then={`/buy/${view.course.slug}?offer=${offer.id}`} />
        </Step>
      )}
      {!lacks && offer.terms.kind === 'openPrice' && (
        <Step title={CHECKOUT.yourPrice} isDone={!checkout.priceProblem}>
          <Field
            label={say(CHECKOUT.inCurrency, { currency: page.school.currency })}
            error={checkout.priceProblem ?? errors.chosen}
            hint={
              offer.terms.minimum > 0
                ? say(CHECKOUT.atLeast, { money: formatMoney(offer.terms.minimum, page.school) })
                : CHECKOUT.anyPrice
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
          <Step title={CHECKOUT.who} isDone={Boolean(checkout.name && checkout.email)}>
            <div className="grid gap-2.5 sm:grid-cols-2">
              <Field label={CHECKOUT.name} error={errors.name}>
                {(wiring) => (
                  <input
                    {...wiring}
                    className={LINE_INPUT}
                    autoComplete="name"
                    maxLength={100}
                    placeholder={CHECKOUT.namePlace}
                    value={checkout.name}
                    readOnly={isBusy}
                    onChange={(event) => checkout.setName(event.target.value)}
                  />
                )}
              </Field>
              <Field label={CHECKOUT.email} error={errors.email}>
                {(wiring) => (
                  <input
                    {...wiring}
                    className={LINE_INPUT}
                    type="email"
                    autoComplete="email"
                    maxLength={254}
                    placeholder={CHECKOUT.emailPlace}
                    value={checkout.email}
                    readOnly={isBusy}
                    onChange={(event) => checkout.setEmail(event.target.value)}
                  />
                )}
              </Field>
            </div>
          </Step>
          {(needsPaymentMethod || isOwnPrice) && shownPaymentMethod && (
            <Step
              title={
                paymentMethods.length > 1
                  ? CHECKOUT.method
                  : say(CHECKOUT.yourMethod, { method: shownPaymentMethod.method.toLowerCase() })
              }
              isHidden={!needsPaymentMethod || !paymentMethod}
            >
              <PaymentMethods
                paymentMethods={paymentMethods}
                chosen={shownPaymentMethod}
                choose={checkout.setPaymentMethodId}
                isBusy={isBusy}
                fields={
                  <CardFrame
                    key={shownPaymentMethod.connectionId}
                    ref={frame}
                    paymentMethod={shownPaymentMethod}
                    mode={page.mode}
                    submit={() => void checkout.place()}
                  />
                }
              />
            </Step>
          )}
          <Step title={CHECKOUT.dates} isLast>
            <WhatHappens
              page={page}
              offer={offer}
              said={checkout.quote}
              pay={checkout.priceProblem === undefined ? pay : null}
            />
            {offer.terms.kind !== 'free' && (
              <CodeField
                codes={checkout.codes}
                said={checkout.saidOfCodes}
                problem={checkout.codeProblem}
                isBusy={isBusy}
                setCodes={checkout.setCodes}
              />
            )}
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
                {say(CHECKOUT.cannotPay, { school: page.school.name })}
              </p>
            )}
            <div aria-live="assertive">
              {message && (
                <p className="mt-3 rounded-field bg-failed-soft px-3 py-2 font-medium text-failed">{message}</p>
              )}
            </div>
            {phase.kind === 'elsewhere' && (
              <p role="status" className="mt-3 rounded-field bg-late-soft px-3 py-2">
                {sayWith(CHECKOUT.elsewhere, {
                  there: (
                    <a className="link" href={phase.url}>
                      {PAYING.there}
                    </a>
                  ),
                  anew: (
                    <button type="button" className="link" onClick={checkout.payAnotherWay}>
                      {CHECKOUT.anew}
                    </button>
                  ),
                })}
              </p>
            )}
            {phase.kind === 'checking' && (
              <p role="status" className="mt-3 rounded-field bg-sheet-2 px-3 py-2">
                {PAYING.checking}
              </p>
            )}
            <Button
              kind="press"
              type="submit"
              disabled={isBusy || cannotPay || checkout.isAsking}
              className="mt-3 w-full rounded-lg py-[13px] text-[16px]"
            >
              {!isBusy && !checkout.isAsking
                ? checkout.priceProblem
                  ? CHECKOUT.pay
                  : formatButton(page, paymentMethod, pay, hasLater)
                : phase.kind === 'checking'
                  ? PAYING.waiting
                  : PAYING.busy}
            </Button>
            <p className="mt-2 text-[12.5px] text-ink-3">
              {!cannotPay && smallPrint(page, paymentMethod, pay, hasLater)}
              {page.school.hasTerms && (
                <>
                  {' '}
                  {sayWith(CHECKOUT.accept, {
                    terms: (
                      <a className="link" href="/terms" target="_blank" rel="noopener">
                        {CHECKOUT.terms}
                      </a>
                    ),
                  })}
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
      <legend className="sr-only">{CHECKOUT.howYouPay}</legend>
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
              {offer.price}
            </b>
          </span>
          {offer.needs && (
            <span className="col-start-2 -mt-2 text-[13px] text-ink-2">
              {say(offer.needs.isMet ? CHECKOUT.asMember : CHECKOUT.forMembers, { courses: coursesOf(offer.needs) })}
            </span>
          )}
        </label>
      ))}
    </fieldset>
  )
}

/** The courses of which one must be held, in words. */
function coursesOf({ courses }: Needs): string {
  return formatList(
    courses.map(({ title }) => title),
    'or',
  )
}

/** What the button says: that it is paid now, that the buyer goes on elsewhere, or that they order and transfer it. */
function formatButton(
  { school }: ShopPage,
  paymentMethod: PaymentMethod | undefined,
  pay: number,
  hasLater: boolean,
): string {
  if (pay === 0 || !paymentMethod || paymentMethod.style === 'embedded') return formatPayButton(pay, hasLater, school)
  const money = formatMoney(pay, school)
  return paymentMethod.style === 'redirect'
    ? say(CHECKOUT.goThere, { gateway: paymentMethod.gateway, money })
    : say(CHECKOUT.transfer, { money })
}

/** What is said below the button: who charges, and what the buyer allows. */
function smallPrint(
  { school }: ShopPage,
  paymentMethod: PaymentMethod | undefined,
  pay: number,
  hasLater: boolean,
): string {
  const values = { school: school.name, gateway: paymentMethod?.gateway ?? CHECKOUT.theGateway }
  const isCard = paymentMethod?.style === 'embedded'
  if (hasLater) return say(isCard ? CHECKOUT.laterByCard : CHECKOUT.laterElsewhere, values)
  if (pay === 0) return CHECKOUT.nothing
  if (paymentMethod?.style === 'offline') return CHECKOUT.offline
  if (paymentMethod?.known === 'later') return say(CHECKOUT.knownLater, values)
  return say(isCard ? CHECKOUT.onceByCard : CHECKOUT.once, values)
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
  // With a code, what each payment would be without it stands beside it.
  const before =
    said && !isEstimate && terms.kind !== 'openPrice' && offer.quote.today.discount !== said.today.discount
      ? offer.quote
      : null
  const { tax } = isEstimate
    ? taxOf(pay ?? 0, { mode: school.taxMode === 'none' ? 'none' : 'inclusive', rate: offer.taxRate })
    : quote.today
  const rate = formatRate(offer.taxRate, school.language)
  // What is no regular payment is named, and so is what stands beside it.
  const named = !before && offer.today.some(({ name }) => name !== null) ? offer.today : []
  const year = quote.purchaseDay.slice(0, 4)
  const shown = quote.later.slice(0, MAX_ROWS)
  const rest = quote.later.length - shown.length
  const day = (when: string) => formatDay(when, school.language, year)
  const opensLater = line && line.opens > quote.purchaseDay ? line.opens : null
  const lasts =
    offer.access.lasts === 'whilePaying'
      ? CHECKOUT.whilePaying
      : line?.closes
        ? say(CHECKOUT.until, { day: day(line.closes) })
        : CHECKOUT.forGood
  return (
    <dl className="grid grid-cols-[1fr_auto] gap-x-2.5 gap-y-1">
      <dt className="font-semibold">
        {opensLater ? say(CHECKOUT.todayOpensOn, { day: day(opensLater), lasts }) : say(CHECKOUT.todayOpen, { lasts })}
      </dt>
      <dd className="text-right font-semibold">
        {before && before.today.pay !== pay && pay !== null && <Before amount={before.today.pay} school={school} />}
        {pay === null
          ? CHECKOUT.unknown
          : pay === 0 && quote.later.length === 0
            ? CHECKOUT.free
            : formatMoney(pay, school)}
      </dd>
      {named.map(({ name, pay: amount }) => (
        <Row
          key={name}
          label={name ?? CHECKOUT.firstPayment}
          value={amount > 0 ? formatMoney(amount, school) : CHECKOUT.free}
          isQuiet
        />
      ))}
      {shown.map(({ due, pay: amount }) => (
        <Row
          key={due}
          label={day(due)}
          value={formatMoney(amount, school)}
          before={before?.later.find((other) => other.due === due && other.pay !== amount)?.pay}
          school={school}
        />
      ))}
      {rest > 0 && quote.committed !== null && (
        <Row label={say(CHECKOUT.more, { number: rest, day: day(quote.later.at(-1)?.due ?? '') })} value="" isQuiet />
      )}
      {quote.committed === null && <Row label={CHECKOUT.endless} value="" isQuiet />}
      {quote.later.length > 0 && quote.committed !== null && (
        <Row label={CHECKOUT.inAll} value={formatMoney(quote.committed, school)} isQuiet />
      )}
      {tax > 0 && (
        <Row
          label={say(quote.later.length > 0 ? CHECKOUT.vatOfToday : CHECKOUT.vat, { rate })}
          value={formatMoney(tax, school)}
          isQuiet
        />
      )}
    </dl>
  )
}

interface RowProps {
  label: string
  value: string
  /** What it would be without a code, where that is more. */
  before?: number | undefined
  school?: ShopPage['school']
  isQuiet?: boolean
}

function Row({ label, value, before, school, isQuiet = false }: RowProps) {
  return (
    <>
      <dt className={isQuiet ? 'text-ink-3' : ''}>{label}</dt>
      <dd className={classes('text-right', isQuiet && 'text-ink-3')}>
        {before !== undefined && school && <Before amount={before} school={school} />}
        {value}
      </dd>
    </>
  )
}

/** A price as it would be without the codes. */
function Before({ amount, school }: { amount: number; school: ShopPage['school'] }) {
  return <s className="mr-1.5 font-normal text-ink-3">{formatMoney(amount, school)}</s>
}
