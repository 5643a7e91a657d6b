import { transferRows } from '../../core/bank/transferRows.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import { formatTitles, titlesInQuotes } from '../../core/sentence/words.ts'
import { MAIL } from '../../core/words/en/mail.ts'
import { say } from '../../core/words/message.ts'
import type { Awaited } from '../orders/awaited.ts'
import type { School } from '../school/service.ts'
import { composeEmail, type Email, greeting, said } from './compose.ts'

export interface AwaitedFacts {
  number: number
  /** What was ordered. */
  titles: string[]
  /** The day on which the course opens, where that is not at once. */
  opensLater: string | null
  currency: string
  amount: number
  /** Null once it is not awaited any more. */
  awaited: Awaited | null
  /** The QR code as a picture, for a transfer to the school's account. */
  code: Buffer | null
  orderLink: string
  checkoutLink: string
}

/** Money is on its way, or is to be sent; or it did not arrive. Null where it is no longer true. */
export function composeAwaited(
  school: School,
  name: string,
  kind: 'awaiting' | 'not-arrived' | 'transfer-part',
  { number, titles, opensLater, currency, amount, awaited, code, orderLink, checkoutLink }: AwaitedFacts,
  ownWords: string,
): Email | null {
  const money = (what: number) => formatMoney(what, { ...school, currency })
  const hello = greeting(name)
  const named = formatTitles(titles)
  const course = titlesInQuotes(titles)
  if (kind === 'not-arrived') {
    const words = MAIL.notReceived
    return composeEmail(school, say(words.subject, { course: named }), [
      hello,
      {
        text: say(words.text, { money: money(amount), course }),
        link: checkoutLink,
        label: say(words.label, { course: named }),
      },
      ...said(ownWords),
    ])
  }
  if (!awaited) return null
  const { transfer } = awaited
  const day = opensLater === null ? null : formatDay(opensLater, school.language)
  if (!transfer) {
    const words = MAIL.onItsWay
    const coming = { money: money(amount), course }
    const text = day === null ? say(words.text, coming) : say(words.textLater, { ...coming, day })
    return composeEmail(school, say(words.subject, { ...coming, course: named }), [
      hello,
      { text, link: orderLink, label: words.label },
      ...said(ownWords),
    ])
  }
  const words = MAIL.transfer
  const left = amount - awaited.came
  // What was part by then is all, or nothing, by now.
  if (kind === 'transfer-part' && awaited.came === 0) return null
  const part = { money: money(left), came: money(awaited.came), all: money(amount), number }
  const rows = transferRows(money(left), { ...transfer, lines: transfer.lines.replaceAll('\n', ', ') }, words)
  const scan = code && {
    text: words.scan,
    picture: { cid: 'transfer-code', alt: say(words.code, { money: money(left), iban: transfer.iban }) },
  }
  const made = composeEmail(
    school,
    kind === 'transfer-part'
      ? say(MAIL.transferPart.subject, part)
      : say(words.subject, { number, money: money(left), course: named }),
    [
      hello,
      {
        text:
          kind === 'transfer-part'
            ? say(MAIL.transferPart.text, { ...part, course })
            : day === null
              ? say(words.text, { course, money: money(left) })
              : say(words.textLater, { course, money: money(left), day }),
      },
      ...said(transfer.instructions),
      ...said(ownWords),
      ...(scan ? [scan] : []),
      { text: words.seeHere, link: orderLink, label: words.label },
    ],
    rows,
    // The school's own words ask for it, where there are any.
    transfer.instructions.trim() ? '' : words.after,
  )
  return code ? { ...made, pictures: [{ cid: 'transfer-code', png: code }] } : made
}

export interface RefundFacts {
  /** What it was for, and how many things that is. */
  titles: string[]
  courses: number
  currency: string
  amount: number
  method: string | null
  isByHand: boolean
  /** What names it there, where it was given back by other means. */
  outside: string | null
  access: 'keep' | 'close'
  /** Payments were to come for it, which are not charged any more. */
  endsPayments: boolean
  /** What the order still charges, by what it is for: the next payment of each, and the day on which it is tried. */
  goesOn: { course: string; pay: number; day: string }[]
  /** The course is open at the moment. */
  isOpen: boolean
  /** What was charged again, because all of the payment had to be refunded: how much, and for what; `whole` is that payment. */
  again: { whole: number; charged: number; kept: string; receiptLink: string } | null
  day: string
}

/** Money was given back, and what becomes of the course. */
export function composeRefunded(school: School, name: string, refund: RefundFacts, ownWords: string): Email {
  const { titles, courses, currency, amount, method, isByHand, outside, access, isOpen, again, day } = refund
  const format = (of: number) => formatMoney(of, { ...school, currency })
  const money = format(amount)
  const words = MAIL.refunded
  const ended = refund.endsPayments ? words.noMore : words.ended
  const byPaymentMethod = isByHand ? words.toBank : method ? say(words.toMethod, { method }) : words.asPaid
  const to = outside === null ? byPaymentMethod : say(words.outside, { reference: outside })
  const text = [
    say(words.text, { money, course: titlesInQuotes(titles), to, day: formatDay(day, school.language) }),
    again ? say(words.again, { whole: format(again.whole), charged: format(again.charged), kept: again.kept }) : '',
    access === 'close' ? say(ended, { count: courses }) : isOpen ? say(words.kept, { count: courses }) : '',
    ...refund.goesOn.map(({ course: of, pay, day: next }) =>
      say(words.goesOn, { course: of, money: format(pay), day: formatDay(next, school.language) }),
    ),
  ]
  return composeEmail(school, say(words.subject, { money, course: formatTitles(titles) }), [
    greeting(name),
    { text: text.filter((sentence) => sentence !== '').join(' ') },
    ...said(ownWords),
    ...(again ? [{ ...words.receipt, link: again.receiptLink }] : []),
  ])
}

/** Of an order: what was paid for what another had opened. */
export type PaidTwiceFacts = Pick<AwaitedFacts, 'number' | 'titles' | 'currency' | 'amount' | 'orderLink'>

/** Money came for what the buyer had by another order already: what the school does now. */
export function composePaidTwice(
  school: School,
  name: string,
  { number, titles, currency, amount, orderLink }: PaidTwiceFacts,
  ownWords: string,
): Email {
  const money = formatMoney(amount, { ...school, currency })
  const { subject, text, label } = MAIL.paidTwice
  return composeEmail(school, say(subject, { money, course: formatTitles(titles) }), [
    greeting(name),
    { text: say(text, { money, number, course: titlesInQuotes(titles) }), link: orderLink, label },
    ...said(ownWords),
  ])
}

/** Of an order: what was transferred beyond what it came to, and is to be given back. */
export type SurplusFacts = PaidTwiceFacts

/** More was transferred than was owed: what happens with the rest. */
export function composeSurplus(
  school: School,
  name: string,
  { number, titles, currency, amount, orderLink }: SurplusFacts,
  ownWords: string,
): Email {
  const { subject, text, label } = MAIL.transferSurplus
  const values = { number, money: formatMoney(amount, { ...school, currency }), school: school.name }
  return composeEmail(school, say(subject, values), [
    greeting(name),
    { text: say(text, { ...values, course: titlesInQuotes(titles) }), link: orderLink, label },
    ...said(ownWords),
  ])
}
