import { type ReactNode, useRef } from 'react'
import { formatMoney, formatPlain } from '../../core/money/format.ts'
import { formatPayButton } from '../../core/sentence/sentence.ts'
import { formatList } from '../../core/sentence/words.ts'
import { BASKET } from '../../core/words/en/basket.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { PAYING } from '../../core/words/en/paying.ts'
import { say } from '../../core/words/message.ts'
import type { CheckoutView, Needs, PaymentMethod, ShopOffer, ShopPage } from '../../server/client.ts'
import { BumpBox } from '../../ui/BumpBox.tsx'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { Field, LINE_INPUT } from '../../ui/Field.tsx'
import { SaleLine, Struck, Suggestion } from '../../ui/OfferCard.tsx'
import { WhatIsNeeded } from '../catalogue/WhatIsNeeded.tsx'
import { AfterPress } from './AfterPress.tsx'
import { Announced } from './Announced.tsx'
import { CardFrame } from './CardFrame.tsx'
import { CodeField } from './CodeField.tsx'
import { ConfirmDialog } from './ConfirmDialog.tsx'
import { FORM_BOX, Held } from './formBox.tsx'
import type { MissingMethod } from './methodsFor.ts'
import { PaymentMethods } from './PaymentMethods.tsx'
import { Terms } from './Terms.tsx'
import { useCheckout } from './useCheckout.ts'
import { WhatHappens } from './WhatHappens.tsx'
import { WhatHappensTogether } from './WhatHappensTogether.tsx'

/** What is bought, by whom, how it is paid, and what happens when: all that the browser takes over of the checkout. */
export function CheckoutForm({ page, view: first }: { page: ShopPage; view: CheckoutView }) {
  const frame = useRef<HTMLIFrameElement>(null)
  const { view, chosen, price, paying } = useCheckout(page, first, frame)
  const { offer, extras, pay, hasLater, paymentMethods, paymentMethod, shownPaymentMethod } = price
  const { phase, message, errors } = paying
  if (!offer) return null
  const priceProblem = price.own?.why
  const isBusy = phase.kind !== 'idle' && phase.kind !== 'elsewhere'
  // A price that is being typed may be 0 for a moment: what was entered for the card stays.
  const isOwnPrice = offer.terms.kind === 'openPrice'
  const needsPaymentMethod = pay > 0 || hasLater
  const cannotPay = needsPaymentMethod && !paymentMethod && priceProblem === undefined
  const titles = [view.product.title, ...extras.map(({ product }) => product)]
  const lacks = offer.needs !== null && !offer.needs.isMet

  return (
    <form
      className={FORM_BOX}
      // Pressed before the page listens, it does nothing, rather than load the page anew.
      method="dialog"
      noValidate
      onSubmit={(event) => {
        event.preventDefault()
        void paying.place()
      }}
    >
      <i
        aria-hidden="true"
        className="absolute top-[34px] bottom-[46px] left-5 border-l-2 border-dashed border-line-2 md:left-[30px]"
      />
      {view.held && <Held held={view.held} />}
      {view.warnings.map((warning) => (
        <p key={warning} className="mb-3 rounded-field bg-late-soft px-3 py-2">
          {warning}
        </p>
      ))}
      {view.offers.length > 1 && (
        <Step title={CHECKOUT.howYouPay} isDone>
          <OfferChoice offers={view.offers} chosen={offer.id} choose={chosen.setOfferId} page={page} isBusy={isBusy} />
        </Step>
      )}
      {lacks && offer.needs && (
        <Step title={CHECKOUT.forWhom} isLast>
          <p className="mb-1.5">{say(CHECKOUT.membersOnly, { offer: offer.name, courses: coursesOf(offer.needs) })}</p>
          <WhatIsNeeded needs={offer.needs} then={`/buy/${view.slug}?offer=${offer.id}`} />
        </Step>
      )}
      {!lacks && offer.terms.kind === 'openPrice' && (
        <Step title={CHECKOUT.yourPrice} isDone={!priceProblem}>
          <Field
            label={say(CHECKOUT.inCurrency, { currency: page.school.currency })}
            error={priceProblem ?? errors.chosen}
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
                value={chosen.ownPrice ?? formatPlain(suggestedOf(offer), page.school)}
                onChange={(event) => chosen.setOwnPrice(event.target.value)}
              />
            )}
          </Field>
        </Step>
      )}
      {!lacks && (
        <>
          {price.bumps.length > 0 && (
            <Step title={CHECKOUT.add} isDone={price.ticked.length > 0}>
              {price.bumps.map((bump) => (
                <BumpBox
                  key={bump.id}
                  {...bump}
                  isTicked={price.ticked.includes(bump)}
                  isDisabled={isBusy}
                  toggle={(isTicked) => chosen.tick(bump.id, isTicked)}
                />
              ))}
            </Step>
          )}
          <Step title={CHECKOUT.who} isDone={Boolean(chosen.name && chosen.email)}>
            <div className="grid grid-cols-[repeat(auto-fit,minmax(min(190px,100%),1fr))] gap-2.5">
              <Field label={CHECKOUT.name} error={errors.name}>
                {(wiring) => (
                  <input
                    {...wiring}
                    className={LINE_INPUT}
                    autoComplete="name"
                    maxLength={100}
                    placeholder={CHECKOUT.namePlace}
                    value={chosen.name}
                    readOnly={isBusy}
                    onChange={(event) => chosen.setName(event.target.value)}
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
                    value={chosen.email}
                    readOnly={isBusy}
                    onChange={(event) => chosen.setEmail(event.target.value)}
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
                choose={chosen.setConnectionId}
                isBusy={isBusy}
                fields={
                  <CardFrame
                    key={shownPaymentMethod.connectionId}
                    ref={frame}
                    paymentMethod={shownPaymentMethod}
                    mode={page.mode}
                    submit={() => void paying.place()}
                  />
                }
              />
              <Missing view={view} missing={price.missingMethods} titles={titles} />
            </Step>
          )}
          <Step title={CHECKOUT.dates} isLast>
            {extras.length > 0 && price.together ? (
              <WhatHappensTogether
                page={page}
                quote={price.quote ?? price.together}
                before={price.quote && chosen.codes.length > 0 && !isOwnPrice ? price.together : null}
                titles={titles}
                accesses={[offer.access, ...extras.map(({ access }) => access)]}
                openings={[offer.opening, ...extras.map(({ opening }) => opening)]}
              />
            ) : (
              <WhatHappens page={page} offer={offer} said={price.quote} pay={priceProblem === undefined ? pay : null} />
            )}
            {price.together && <Announced page={page} quote={price.quote ?? price.together} />}
            {price.lineProblem && (
              <p role="alert" className="mt-2 rounded-field bg-late-soft px-3 py-2 text-[14px]">
                {say(CHECKOUT.lineEnded, { title: titles[price.lineProblem.line] ?? '', why: price.lineProblem.why })}{' '}
                {view.isBasket && (
                  <a className="link" href="/basket">
                    {BASKET.back}
                  </a>
                )}
              </p>
            )}
            {(offer.terms.kind !== 'free' || extras.length > 0) && (
              <CodeField
                codes={chosen.codes}
                said={price.saidOfCodes}
                problem={price.codeProblem}
                isBusy={isBusy}
                isStopped={price.lineProblem !== null}
                setCodes={chosen.setCodes}
              />
            )}
            {!view.isBasket && offer.sale && <SaleLine sale={offer.sale} money={page.school} />}
            {!view.isBasket && offer.lines.length > 0 && (
              <ul className="mt-1.5 text-[13.5px] text-ink-2">
                {offer.lines.map((line, index) => (
                  <li key={`${index}-${line}`}>{line}</li>
                ))}
              </ul>
            )}
            {cannotPay && price.missingMethods.length > 0 && (
              <>
                <p role="alert" className="mt-3 rounded-field bg-late-soft px-3 py-2 font-medium">
                  {BASKET.onlyApart}
                </p>
                <Missing view={view} missing={price.missingMethods} titles={titles} />
              </>
            )}
            {cannotPay && price.missingMethods.length === 0 && (
              <p role="alert" className="mt-3 rounded-field bg-late-soft px-3 py-2 font-medium">
                {say(CHECKOUT.cannotPay, { school: page.school.name })}
              </p>
            )}
            <AfterPress message={message} phase={phase} anew={(orderId) => void paying.leave(orderId)} />
            {view.hasUpsells && needsPaymentMethod && paymentMethod?.can.chargesAgain && (
              <p className="mt-3 text-[13px] text-ink-2">
                {say(CHECKOUT.keptForMore, {
                  school: page.school.name,
                  method: paymentMethod.method.toLowerCase(),
                })}
              </p>
            )}
            <Button
              kind="press"
              type="submit"
              disabled={isBusy || cannotPay || price.isAsking}
              className="mt-3 w-full rounded-lg py-[13px] text-[16px]"
            >
              {!isBusy && !price.isAsking
                ? priceProblem
                  ? CHECKOUT.pay
                  : formatButton(page, paymentMethod, pay, hasLater)
                : phase.kind === 'checking'
                  ? PAYING.waiting
                  : PAYING.busy}
            </Button>
            <p className="mt-2 text-[12.5px] text-ink-3">
              {!cannotPay && smallPrint(page, paymentMethod, pay, hasLater)}
              <Terms school={page.school} />
            </p>
          </Step>
        </>
      )}
      {phase.kind === 'confirming' && (
        <ConfirmDialog
          url={phase.url}
          done={() => void paying.confirmed(phase.orderId)}
          leave={() => void paying.leave(phase.orderId)}
        />
      )}
    </form>
  )
}

/** Payment methods that cannot collect all of it; of a basket what they cannot can be paid for apart. */
function Missing({ view, missing, titles }: { view: CheckoutView; missing: MissingMethod[]; titles: string[] }) {
  if (missing.length === 0) return null
  if (!view.isBasket) {
    return (
      <p role="status" className="mt-2 text-[13px] text-ink-2">
        {say(CHECKOUT.missingMethods, { methods: formatList(missing.map(({ method }) => method)) })}
      </p>
    )
  }
  const offerIds = [view.offers[0]?.id ?? '', ...view.also.map(({ offerId }) => offerId)]
  return (
    <ul className="mt-2 text-[13px] text-ink-2">
      {missing.map(({ method, without }) => {
        const named = formatList(without.map((place) => `“${titles[place]}”`))
        const ids = without.flatMap((place) => offerIds[place] ?? [])
        return (
          <li key={method} className="mt-1">
            {say(BASKET.apart, { method, titles: named })}{' '}
            {ids.length === without.length && (
              <a className="link" href={`/buy/basket?without=${ids.join(',')}`}>
                {say(BASKET.payApart, { title: named })}
              </a>
            )}
          </li>
        )
      })}
    </ul>
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
            <b className="font-semibold">
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
