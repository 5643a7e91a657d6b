import { Fragment } from 'react'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { Quote, QuotedLine } from '../../core/quote/types.ts'
import type { Opening } from '../../core/sentence/openings.ts'
import type { Access } from '../../core/terms/terms.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { say } from '../../core/words/message.ts'
import type { ShopPage } from '../../server/client.ts'
import { Notes, Row } from './WhatHappens.tsx'

interface TogetherProps {
  page: ShopPage
  quote: Quote
  /** What each line sells, in their order; `before` is what it would be without the codes. */
  titles: readonly string[]
  accesses: readonly Access[]
  openings: readonly Opening[]
  before: Quote | null
  /** Most later payments that are listed one by one. */
  maxRows?: number
}

/** What an order of several things costs today and later, each payment by what it is for. */
export function WhatHappensTogether({
  page: { school },
  quote,
  titles,
  accesses,
  openings,
  before,
  maxRows = 8,
}: TogetherProps) {
  const { purchaseDay, today, lines, committed } = quote
  const year = purchaseDay.slice(0, 4)
  const day = (when: string) => formatDay(when, school.language, year)
  const money = (amount: number) => formatMoney(amount, school)
  const payToday = ({ payments }: QuotedLine) =>
    payments.reduce((sum, { due, pay }) => (due === purchaseDay ? sum + pay : sum), 0)
  const opening = (index: number) => {
    const { opens = purchaseDay, closes = null, isWhileMember = false } = openings[index] ?? {}
    const lasts =
      accesses[index]?.lasts === 'whilePaying'
        ? CHECKOUT.whilePaying
        : isWhileMember
          ? CHECKOUT.whileMember
          : closes
            ? say(CHECKOUT.until, { day: day(closes) })
            : CHECKOUT.forGood
    return opens > purchaseDay
      ? say(CHECKOUT.lineOpensOn, { title: titles[index] ?? '', day: day(opens), lasts })
      : say(CHECKOUT.lineOpen, { title: titles[index] ?? '', lasts })
  }
  const later = lines
    .flatMap(({ payments }, index) =>
      payments
        .filter(({ due, pay }) => due > purchaseDay && pay > 0)
        .map(({ due, pay, n }) => ({ due, pay, n, index })),
    )
    .sort((a, b) => (a.due === b.due ? a.index - b.index : a.due < b.due ? -1 : 1))
  const shown = later.slice(0, maxRows)
  const rest = later.length - shown.length
  const endless = lines.flatMap(({ untilCancelled }, index) => (untilCancelled ? [titles[index] ?? ''] : []))
  return (
    <dl className="grid grid-cols-[1fr_auto] gap-x-2.5 gap-y-1">
      <dt className="font-semibold">{CHECKOUT.today}</dt>
      <dd className="text-right font-semibold">
        {today.pay === 0 && later.length === 0 ? CHECKOUT.free : money(today.pay)}
      </dd>
      {lines.map((line, index) => {
        const pay = payToday(line)
        const was = before?.lines[index] ? payToday(before.lines[index]) : pay
        return (
          <Fragment key={line.offer}>
            <Row
              label={opening(index)}
              value={pay > 0 ? money(pay) : CHECKOUT.free}
              before={was !== pay ? was : undefined}
              school={school}
              isQuiet
            />
            <Notes notes={openings[index]?.notes ?? []} />
          </Fragment>
        )
      })}
      {shown.map(({ due, pay, n, index }) => (
        <Row
          key={`${due} ${index} ${n}`}
          label={say(CHECKOUT.laterOf, { day: day(due), title: titles[index] ?? '' })}
          value={money(pay)}
        />
      ))}
      {rest > 0 && committed !== null && (
        <Row label={say(CHECKOUT.more, { number: rest, day: day(later.at(-1)?.due ?? '') })} value="" isQuiet />
      )}
      {endless.map((title) => (
        <Row key={title} label={say(CHECKOUT.endlessOf, { title })} value="" isQuiet />
      ))}
      {later.length > 0 && committed !== null && <Row label={CHECKOUT.inAll} value={money(committed)} isQuiet />}
      {today.tax > 0 && <Row label={CHECKOUT.vatTogether} value={money(today.tax)} isQuiet />}
    </dl>
  )
}
