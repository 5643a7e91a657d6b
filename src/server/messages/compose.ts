import { html } from 'hono/html'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { steadyFrom } from '../../core/quote/later.ts'
import { type ReceiptAmounts, receiptEntries } from '../../core/sentence/receipt.ts'
import { formatTitles, titlesInQuotes } from '../../core/sentence/words.ts'
import { MAIL } from '../../core/words/en/mail.ts'
import { RECEIPT } from '../../core/words/en/receipt.ts'
import { say } from '../../core/words/message.ts'
import type { OrderAmounts } from '../orders/bought.ts'
import type { School } from '../school/service.ts'

const WORDS = MAIL.receipt

export interface Email {
  subject: string
  html: string
  text: string
  /** Pictures that the HTML shows by `cid:`. */
  pictures?: { cid: string; png: Buffer }[]
}

export interface Paragraph {
  text: string
  link?: string
  label?: string
  /** A picture of the email, by its cid, and what it is. */
  picture?: { cid: string; alt: string }
}

/** A label and what stands beside it. */
export type EmailRow = [label: string, value: string]

/** One thing of an order, as its receipt names it. */
export interface ReceiptThing {
  course: string
  offer: string
  /** The courses that it opens, each with its page. `later`: its opening day, where that is after the first one's. */
  opens: { title: string; link: string; later: string | null }[]
  isBundle: boolean
  /** The day on which it opens, where that is later than the purchase. */
  opensLater: string | null
  /** The day on which it closes; null for good, or while it is paid. */
  closes: string | null
  /** The titles of the membership that it lasts as long as; null where it hangs on none. */
  membership: string[] | null
  /** That day was past already when the money came. */
  hasEnded: boolean
  /** Another order had opened it before the money came. */
  isPaidTwice: boolean
}

export interface Receipt extends OrderAmounts {
  number: number
  /** What was bought, line by line; at least one. */
  bought: ReceiptThing[]
  method: string | null
  /** Shows the order and its receipt to whoever holds it. */
  receiptLink: string
  /** Only for a buyer who has no password yet. */
  passwordLink: string | null
}

/** The receipt: what was bought, what was paid, how to open it. */
export function composeReceipt(school: School, name: string, receipt: Receipt, ownWords = ''): Email {
  const { bought, quote, amounts } = receipt
  const opened = bought.filter(({ hasEnded, isPaidTwice }) => !hasEnded && !isPaidTwice)
  const all = opened.flatMap(({ opens }) => opens)
  const found = [...new Map(all.filter(({ later: on }) => on === null).map((course) => [course.link, course])).values()]
  const paragraphs: Paragraph[] = [
    greeting(name),
    ...bought.map((thing, index) => {
      const isPaid = amounts.rows.some(({ line, price }) => line === index && price > 0)
      const text = opening(thing, isPaid, school)
      return { text: index === 0 && quote.today.pay > 0 ? say(WORDS.thanks, { text }) : text }
    }),
    ...said(ownWords),
    ...bought.flatMap((thing) => closing(thing, school, bought.length > 1)),
    ...openingLater(all, school),
    ...found.map(({ title: course, link }, index) => ({
      text: index > 0 ? WORDS.findMore : found.length > 1 ? WORDS.findThem : WORDS.findIt,
      link,
      label: say(WORDS.open, { course }),
    })),
    ...later(receipt, school),
  ]
  if (receipt.passwordLink) {
    paragraphs.push({
      text: WORDS.password,
      link: receipt.passwordLink,
      label: MAIL.setPassword,
    })
  }
  paragraphs.push({ ...WORDS.receipt, link: receipt.receiptLink })
  const paidWith = receipt.method ? say(WORDS.paidWith, { method: receipt.method }) : ''
  const titles = formatTitles(bought.map(({ course }) => course))
  const rows = [
    ...receiptTable(receipt.things, amounts, school),
    ...receipt.codesLater.map(({ code, says }): EmailRow => [say(RECEIPT.codes, { count: 1, codes: code }), says]),
  ]
  return composeEmail(school, say(WORDS.subject, { number: receipt.number, titles }), paragraphs, rows, paidWith)
}

/** A receipt's lines as a message shows them. */
export function receiptTable(things: OrderAmounts['things'], amounts: ReceiptAmounts, money: MoneyFormat): EmailRow[] {
  return receiptEntries(things, amounts, money.language).map(({ label, amount }) => [label, formatMoney(amount, money)])
}

/** A name that a mail may repeat: one that holds a link, an address or a line break was typed to be read by others. */
export function isPlainName(name: string): boolean {
  return !/[@<>\p{Cc}]|:\/\/|\bwww\.|\.\p{L}{2,}/u.test(name)
}

/** The first line of an email. */
export function greeting(name: string): Paragraph {
  return { text: isPlainName(name) ? say(MAIL.hello, { name }) : MAIL.helloNobody }
}

/** The creator's own words, where there are any. */
export function said(ownWords: string): Paragraph[] {
  return ownWords.trim() ? [{ text: ownWords.trim() }] : []
}

/** How one thing stands: whether something was paid for it today is told apart from what was free. */
function opening(thing: ReceiptThing, isPaid: boolean, school: School): string {
  const { course, isBundle, opensLater, hasEnded, closes, isPaidTwice } = thing
  const day = (when: string) => formatDay(when, school.language)
  if (isPaidTwice) return say(WORDS.paidTwice, { course })
  if (hasEnded && closes) return say(WORDS.ended, { course, day: day(closes) })
  if (opensLater) return say(WORDS.opensLater, { course, day: day(opensLater) })
  if (isBundle) return say(isPaid ? WORDS.paidAndOpenBundle : WORDS.freeBundle, { course })
  return say(isPaid ? WORDS.paidAndOpen : WORDS.free, { course })
}

/** Until when it is open, and how to go on then; of several, which it is. */
function closing(thing: ReceiptThing, school: School, isNamed: boolean): Paragraph[] {
  const { course, closes, hasEnded, membership, isPaidTwice } = thing
  if (membership && !hasEnded && !isPaidTwice) {
    return [{ text: say(WORDS.whileMember, { course, titles: titlesInQuotes(membership, 'or') }) }]
  }
  if (!closes || hasEnded || isPaidTwice) return []
  const day = formatDay(closes, school.language)
  return [{ text: isNamed ? say(WORDS.namedStaysOpen, { course, day }) : say(WORDS.staysOpen, { day }) }]
}

/** Courses that open later than the others, each with its day. */
function openingLater(all: ReceiptThing['opens'], { language }: School): Paragraph[] {
  return all.flatMap(({ title, later: on }) =>
    on === null ? [] : [{ text: say(WORDS.opensLaterIn, { course: title, day: formatDay(on, language) }) }],
  )
}

/** What is charged later, and that it happens by itself. */
function later({ quote, laterEach }: Receipt, school: School): Paragraph[] {
  const [next] = quote.later
  if (!next) return []
  if (laterEach.length > 0) {
    return [{ text: [say(WORDS.laterOf, { title: RECEIPT.laterTitle }), ...laterEach, RECEIPT.laterDates].join('\n') }]
  }
  const first = { money: formatMoney(next.pay, school), day: formatDay(next.due, school.language) }
  const all = quote.committed === null ? null : formatMoney(quote.committed, school)
  if (all !== null) return [{ text: say(WORDS.later, { ...first, all }) }]
  const steady = steadyFrom(quote)
  if (!steady) return [{ text: say(WORDS.laterEndless, first) }]
  const after = { steady: formatMoney(steady.pay, school), from: formatDay(steady.due, school.language) }
  return [{ text: say(WORDS.laterThenEndless, { ...first, ...after }) }]
}

export function composePassword(school: School, name: string, passwordLink: string): Email {
  const { subject, text } = MAIL.password
  return composeEmail(school, subject, [greeting(name), { text, link: passwordLink, label: MAIL.setPassword }])
}

/** Somebody tried to order, with the address of who gets this, what they have already. */
export function composeAlreadyOwned(
  school: School,
  name: string,
  course: string,
  myCourses: string,
  passwordLink: string | null,
): Email {
  const { subject, text, setPassword, open } = MAIL.alreadyOwned
  return composeEmail(school, say(subject, { course }), [
    greeting(name),
    {
      text: say(text, { course }),
      link: passwordLink ?? myCourses,
      label: passwordLink ? setPassword : open,
    },
  ])
}

/** Somebody tried to order with a code that this buyer cannot use any more. */
export function composeCodeRefused(school: School, name: string, course: string, checkoutLink: string): Email {
  const { subject, text, label } = MAIL.codeRefused
  return composeEmail(school, say(subject, { course }), [
    greeting(name),
    { text: say(text, { course }), link: checkoutLink, label },
  ])
}

/** What was given by hand; `opens` where that is later, `closes` where it ends. */
export interface GivenFacts {
  titles: string[]
  opens: string | null
  closes: string | null
}

export function composeGiven(
  school: School,
  name: string,
  { titles, opens, closes }: GivenFacts,
  myCourses: string,
  passwordLink: string | null,
): Email {
  const { subject, text, opensOn, until, label } = MAIL.given
  const day = (when: string) => formatDay(when, school.language)
  const count = titles.length
  const sentences = [
    say(text, { school: school.name, course: titlesInQuotes(titles) }),
    ...(opens ? [say(opensOn, { count, day: day(opens) })] : []),
    ...(closes ? [say(until, { count, day: day(closes) })] : []),
  ]
  const paragraphs: Paragraph[] = [greeting(name), { text: sentences.join(' '), link: myCourses, label }]
  if (passwordLink) paragraphs.push({ text: MAIL.passwordFirst, link: passwordLink, label: MAIL.setPassword })
  return composeEmail(school, say(subject, { count, course: formatTitles(titles) }), paragraphs)
}

/** A course that joined a bundle which a buyer has, and where it is. */
export interface GrewFacts {
  course: string
  bundle: string
  /** The day on which it opens; null: it is open. */
  opens: string | null
  learnLink: string
}

/** A course joined a bundle, and opened for who has it. */
export function composeBundleGrew(
  school: School,
  name: string,
  { course, bundle, opens, learnLink }: GrewFacts,
  passwordLink: string | null,
): Email {
  const { subject, text, textLater, label } = MAIL.bundleGrew
  const paragraphs: Paragraph[] = [
    greeting(name),
    opens === null
      ? { text: say(text, { course, bundle }), link: learnLink, label }
      : { text: say(textLater, { course, bundle, day: formatDay(opens, school.language) }) },
  ]
  if (passwordLink) paragraphs.push({ text: MAIL.passwordFirst, link: passwordLink, label: MAIL.setPassword })
  return composeEmail(school, say(subject, { course }), paragraphs)
}

/** An email of the school, as HTML and as plain text. */
export function composeEmail(
  school: School,
  subject: string,
  paragraphs: Paragraph[],
  rows: EmailRow[] = [],
  after = '',
): Email {
  const textRows = rows.map(([label, value]) => `  ${label}: ${value}`)
  const text = [
    // Plain text has no pictures, nor the sentence above one.
    ...paragraphs.flatMap(({ text: words, link, picture }) =>
      picture ? [] : [...(words ? [words] : []), ...(link ? [link] : []), ''],
    ),
    ...(rows.length > 0 ? [...textRows, ''] : []),
    ...(after ? [after, ''] : []),
    school.name,
  ].join('\n')
  const cell = 'padding:5px 0;border-bottom:1px solid #d6dccb'
  const page = html`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${subject}</title></head>
    <body style="margin:0;background:#ebeee4;font:16px/1.5 'Instrument Sans',Helvetica,Arial,sans-serif;color:#1a231c">
    <div style="max-width:560px;margin:0 auto;padding:28px 18px;overflow-wrap:anywhere;word-break:break-word"><div style="background:#fcfdf9;border:1px solid #d6dccb;border-radius:8px;padding:26px 28px">
    <p style="margin:0 0 18px;font-weight:700">${school.name}</p>
    ${paragraphs.map(
      ({
        text: words,
        link,
        label,
        picture,
      }) => html`${words ? html`<p style="margin:0 0 14px;white-space:pre-line">${words}</p>` : ''}
      ${picture ? html`<p style="margin:0 0 18px"><img src="cid:${picture.cid}" alt="${picture.alt}" width="180" height="180"></p>` : ''}
      ${link ? html`<p style="margin:0 0 20px"><a href="${link}" style="display:inline-block;background:#1a231c;color:#fcfdf9;border-radius:6px;padding:10px 16px;font-weight:600;text-decoration:none">${label ?? link}</a></p>` : ''}`,
    )}
    ${rows.length > 0 ? html`<table style="width:100%;border-collapse:collapse;margin:6px 0 14px">${rows.map(([label, value]) => html`<tr><td style="${cell}">${label}</td><td style="${cell};text-align:right">${value}</td></tr>`)}</table>` : ''}
    ${after ? html`<p style="margin:0;color:#48534a">${after}</p>` : ''}
    </div></div></body></html>`
  return { subject, text, html: String(page) }
}
