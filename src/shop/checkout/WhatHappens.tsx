import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney, formatRate } from '../../core/money/format.ts'
import { taxOf } from '../../core/quote/tax.ts'
import type { Quote } from '../../core/quote/types.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { say } from '../../core/words/message.ts'
import type { ShopOffer, ShopPage } from '../../server/client.ts'
import { classes } from '../../ui/classes.ts'

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

/** What is paid today and later, and for how long the course is open. */
export function WhatHappens({ page: { school }, offer, said, pay }: WhatHappensProps) {
  const { terms, opening } = offer
  const { count, first } = opening
  const quote = said ?? offer.quote
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
  const opensLater = opening.opens > quote.purchaseDay ? opening.opens : null
  const lasts =
    offer.access.lasts === 'whilePaying'
      ? CHECKOUT.whilePaying
      : opening.isWhileMember
        ? CHECKOUT.whileMember
        : opening.closes
          ? say(CHECKOUT.until, { day: day(opening.closes) })
          : CHECKOUT.forGood
  return (
    <dl className="grid grid-cols-[1fr_auto] gap-x-2.5 gap-y-1">
      <dt className="font-semibold">
        {opensLater
          ? say(CHECKOUT.todayOpensOn, { count, day: day(opensLater), lasts })
          : first < count
            ? say(CHECKOUT.todayOpenSome, { count: first, all: count, lasts })
            : say(CHECKOUT.todayOpen, { count, lasts })}
      </dt>
      <dd className="text-right font-semibold">
        {before && before.today.pay !== pay && pay !== null && <Before amount={before.today.pay} school={school} />}
        {pay === null
          ? CHECKOUT.unknown
          : pay === 0 && quote.later.length === 0
            ? CHECKOUT.free
            : formatMoney(pay, school)}
      </dd>
      <Notes notes={opening.notes} />
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

/** One row of what is paid. */
export function Row({ label, value, before, school, isQuiet = false }: RowProps) {
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

/** What else there is to say of a row. */
export function Notes({ notes }: { notes: readonly string[] }) {
  return notes.map((note) => (
    <dt key={note} className="col-span-2 text-ink-2">
      {note}
    </dt>
  ))
}

/** A price as it would be without the codes. */
function Before({ amount, school }: { amount: number; school: ShopPage['school'] }) {
  return <s className="mr-1.5 font-normal text-ink-3">{formatMoney(amount, school)}</s>
}
