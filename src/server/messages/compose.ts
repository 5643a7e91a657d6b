import { html } from 'hono/html'
import { sayDay } from '../../core/calendar/sayDay.ts'
import type { ReceiptRow } from '../../core/content/receiptRows.ts'
import { formatMoney, formatRate } from '../../core/money/format.ts'
import type { Quote } from '../../core/quote/types.ts'
import { sayList } from '../../core/sentence/words.ts'
import type { School } from '../school/service.ts'

export interface Letter {
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
  /** A picture of the letter, by its cid, and what it is. */
  picture?: { cid: string; alt: string }
}

/** One thing of an order, as its receipt names it. */
export interface ReceiptThing {
  course: string
  offer: string
  link: string
  /** The day on which it opens, where that is later than the purchase. */
  opensLater: string | null
  /** The day on which it closes; null for good, or while it is paid. */
  closes: string | null
  /** That day was past already when the money came. */
  hasEnded: boolean
}

export interface Receipt {
  number: number
  /** What was bought, line by line; at least one. */
  bought: ReceiptThing[]
  quote: Quote
  /** What was paid today, by what it was for. */
  rows: ReceiptRow[]
  /** Tax of today by rate, in basis points. */
  taxes: { rate: number; tax: number }[]
  method: string | null
  /** Shows the order and its receipt to whoever holds it. */
  receiptLink: string
  /** Only for a buyer who has no password yet. */
  passwordLink: string | null
}

/** The receipt: what was bought, what was paid, how to open it. */
export function composeReceipt(school: School, name: string, receipt: Receipt, ownWords = ''): Letter {
  const { bought, quote, taxes } = receipt
  const money = (amount: number) => formatMoney(amount, school)
  const called = ({ course, offer }: ReceiptThing) => `${course}, ${offer}`
  const rows = bought.flatMap((thing, index): [string, string][] => {
    const own = receipt.rows.filter(({ line }) => line === index)
    if (own.length === 0) return [[called(thing), money(0)]]
    return own.map(({ name: of, price }) => [of ? `${called(thing)}: ${of}` : called(thing), money(price)])
  })
  const taxRows = (where: string) =>
    taxes.map(({ rate, tax }): [string, string] => [`VAT ${formatRate(rate, school.language)}${where}`, money(tax)])
  if (school.taxMode === 'exclusive') rows.push(...taxRows(''))
  rows.push(['Paid', money(quote.today.pay)])
  if (school.taxMode === 'inclusive') rows.push(...taxRows(', inside'))
  const paragraphs: Paragraph[] = [
    greeting(name),
    ...bought.map((thing, index) => ({ text: opening(thing, quote.today.pay > 0, school, index === 0) })),
    ...said(ownWords),
    ...bought.flatMap((thing) => closing(thing, school, bought.length > 1)),
    ...bought
      .filter(({ hasEnded }) => !hasEnded)
      .map(({ course, link }, index) => ({
        text: index === 0 ? 'You find it here:' : 'And here:',
        link,
        label: `Open ${course}`,
      })),
    ...later(receipt, school),
  ]
  if (receipt.passwordLink) {
    paragraphs.push({
      text: 'Set a password so that you can come back from any device. The link works once and expires after 24 hours; we can send a new one at any time.',
      link: receipt.passwordLink,
      label: 'Set your password',
    })
  }
  paragraphs.push({
    text: 'Your receipt, also as a PDF:',
    link: receipt.receiptLink,
    label: 'Your receipt',
  })
  const paidWith = receipt.method ? `Paid with ${receipt.method}.` : ''
  const titles = sayList(bought.map(({ course }) => course))
  return letter(school, `Your receipt ${receipt.number}: ${titles}`, paragraphs, rows, paidWith)
}

/** A name that a mail may repeat: one that holds a link, an address or a line break was typed to be read by others. */
export function isPlainName(name: string): boolean {
  return !/[@<>\p{Cc}]|:\/\/|\bwww\.|\.\p{L}{2,}/u.test(name)
}

/** The first line of a letter. */
export function greeting(name: string): Paragraph {
  return { text: isPlainName(name) ? `Hello ${name},` : 'Hello,' }
}

/** The creator's own words, where there are any. */
export function said(ownWords: string): Paragraph[] {
  return ownWords.trim() ? [{ text: ownWords.trim() }] : []
}

function opening(thing: ReceiptThing, isPaid: boolean, school: School, isFirst: boolean): string {
  const { course, opensLater, hasEnded, closes } = thing
  const thanks = isFirst ? 'thank you. ' : ''
  if (hasEnded && closes) {
    return `${thanks}“${course}” is paid, but it ended on ${sayDay(closes, school.language)}, before your money was received. We have been notified, and will write to you about a refund.`
  }
  if (opensLater) return `${thanks}“${course}” is yours; it opens on ${sayDay(opensLater, school.language)}.`
  return isPaid ? `${thanks}“${course}” is paid and open.` : `“${course}” is yours and open.`
}

/** Until when it is open, and how to go on then; of several, which it is. */
function closing({ course, closes, hasEnded }: ReceiptThing, school: School, isNamed: boolean): Paragraph[] {
  if (!closes || hasEnded) return []
  return [
    {
      text: `${isNamed ? `“${course}”` : 'It'} stays open until ${sayDay(closes, school.language)}. After that you can buy it again and go on where you were.`,
    },
  ]
}

/** What is charged later, and that it happens by itself. */
function later({ quote }: Receipt, school: School): Paragraph[] {
  const [next] = quote.later
  if (!next) return []
  const all = quote.committed === null ? 'and so on until you cancel' : `${formatMoney(quote.committed, school)} in all`
  return [
    {
      text: `The next payment is ${formatMoney(next.pay, school)} on ${sayDay(next.due, school.language)}; ${all}. It is charged automatically. “My courses” shows all dates.`,
    },
  ]
}

export function composePassword(school: School, name: string, passwordLink: string): Letter {
  return letter(school, 'Set your password', [
    greeting(name),
    {
      text: 'Set a new password here. The link works once and expires after 24 hours. If you did not ask for it, there is nothing to do.',
      link: passwordLink,
      label: 'Set your password',
    },
  ])
}

/** Somebody tried to order, with the address of who gets this, what they have already. */
export function composeAlreadyOwned(
  school: School,
  name: string,
  course: string,
  myCourses: string,
  passwordLink: string | null,
): Letter {
  return letter(school, `You already have ${course}`, [
    greeting(name),
    {
      text: `Someone tried to order “${course}” with your email address. You already have it, so nothing was ordered and nothing was charged. If it was not you, there is nothing to do.`,
      link: passwordLink ?? myCourses,
      label: passwordLink ? 'Set a password and open it' : 'Open your courses',
    },
  ])
}

export function composeGiven(
  school: School,
  name: string,
  course: string,
  myCourses: string,
  passwordLink: string | null,
): Letter {
  const paragraphs: Paragraph[] = [
    greeting(name),
    { text: `${school.name} has given you “${course}”.`, link: myCourses, label: 'Open your courses' },
  ]
  if (passwordLink)
    paragraphs.push({
      text: 'Set a password first. The link works once and expires after 24 hours.',
      link: passwordLink,
      label: 'Set your password',
    })
  return letter(school, `${course} is yours`, paragraphs)
}

/** A letter of the school, as HTML and as plain text. */
export function letter(
  school: School,
  subject: string,
  paragraphs: Paragraph[],
  rows: [string, string][] = [],
  after = '',
): Letter {
  const textRows = rows.map(([label, value]) => `  ${label}: ${value}`)
  const text = [
    ...paragraphs.flatMap(({ text: words, link }) => (link ? [words, link, ''] : [words, ''])),
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
      ({ text: words, link, label, picture }) => html`<p style="margin:0 0 14px;white-space:pre-line">${words}</p>
      ${picture ? html`<p style="margin:0 0 18px"><img src="cid:${picture.cid}" alt="${picture.alt}" width="180" height="180"></p>` : ''}
      ${link ? html`<p style="margin:0 0 20px"><a href="${link}" style="display:inline-block;background:#1a231c;color:#fcfdf9;border-radius:6px;padding:10px 16px;font-weight:600;text-decoration:none">${label ?? link}</a></p>` : ''}`,
    )}
    ${rows.length > 0 ? html`<table style="width:100%;border-collapse:collapse;margin:6px 0 14px">${rows.map(([label, value]) => html`<tr><td style="${cell}">${label}</td><td style="${cell};text-align:right">${value}</td></tr>`)}</table>` : ''}
    ${after ? html`<p style="margin:0;color:#48534a">${after}</p>` : ''}
    </div></div></body></html>`
  return { subject, text, html: String(page) }
}
