import { sayDay } from '../../core/calendar/sayDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { School } from '../school/service.ts'
import type { Awaited } from '../views/data.ts'
import { greeting, type Letter, letter, said } from './compose.ts'

export interface AwaitedFacts {
  number: number
  course: string
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
  kind: 'awaiting' | 'not-arrived',
  { number, course, opensLater, currency, amount, awaited, code, orderLink, checkoutLink }: AwaitedFacts,
  ownWords: string,
): Letter | null {
  const money = (what: number) => formatMoney(what, { ...school, currency })
  const hello = greeting(name)
  if (kind === 'not-arrived') {
    const text = `we received no transfer of ${money(amount)} for “${course}”. Nothing was charged, and the course is not open. You can order it again.`
    return letter(school, `No transfer received for ${course}`, [
      hello,
      { text, link: checkoutLink, label: `Order ${course} again` },
      ...said(ownWords),
    ])
  }
  if (!awaited) return null
  const { transfer } = awaited
  const opens = (paid: string) =>
    opensLater
      ? `“${course}” opens on ${sayDay(opensLater, school.language)}, once ${paid}`
      : `“${course}” opens as soon as ${paid}`
  if (!transfer) {
    const text = `thank you. Your payment of ${money(amount)} for “${course}” is on its way from your bank. ${opens('the money is received')}, which mostly takes some hours; we will write to you.`
    return letter(school, `On its way: ${money(amount)} for ${course}`, [
      hello,
      { text, link: orderLink, label: 'Your order' },
      ...said(ownWords),
    ])
  }
  const left = amount - awaited.came
  const rows: [string, string][] = [
    ['Amount', money(left)],
    ['To', transfer.holder],
    ['IBAN', transfer.iban],
    ...(transfer.bic ? [['BIC', transfer.bic] as [string, string]] : []),
    ['Reference', transfer.reference],
  ]
  const scan = code && {
    text: 'Or scan this with your banking app:',
    picture: { cid: 'transfer-code', alt: `QR code of the transfer: ${money(left)} to ${transfer.iban}` },
  }
  const made = letter(
    school,
    `Order ${number}: please transfer ${money(left)} for ${course}`,
    [
      hello,
      { text: `thank you for your order. ${opens(`${money(left)} has been received by bank transfer`)}.` },
      ...said(transfer.instructions),
      ...said(ownWords),
      ...(scan ? [scan] : []),
      { text: 'You can also see it here:', link: orderLink, label: 'Your order' },
    ],
    rows,
    'Please write the reference, so that we know the transfer is from you.',
  )
  return code ? { ...made, pictures: [{ cid: 'transfer-code', png: code }] } : made
}

export interface RefundFacts {
  /** What it was for, as it stands in a sentence, and how many things that is. */
  course: string
  courses: number
  currency: string
  amount: number
  method: string | null
  isByHand: boolean
  /** What names it there, where it was given back by other means. */
  outside: string | null
  /** Nothing is charged any more for what it was. */
  access: 'keep' | 'close'
  /** The course is open at the moment. */
  isOpen: boolean
  day: string
}

/** Money was given back, and what becomes of the course. */
export function composeRefunded(
  school: School,
  name: string,
  { course, courses, currency, amount, method, isByHand, outside, access, isOpen, day }: RefundFacts,
  ownWords: string,
): Letter {
  const money = formatMoney(amount, { ...school, currency })
  const byWay = isByHand ? 'to your bank account' : method ? `to your ${method}` : 'the way you paid'
  const to = outside === null ? byWay : `(${outside})`
  const [it, stays] = courses > 1 ? ['The courses', 'stay'] : ['The course', 'stays']
  const then =
    access === 'close'
      ? `Access to ${it.toLowerCase()} has ended, and no further payments are charged.`
      : isOpen
        ? `${it} ${stays} open.`
        : ''
  return letter(school, `Refund of ${money} for ${course}`, [
    greeting(name),
    {
      text: `${money} for “${course}” was refunded ${to} on ${sayDay(day, school.language)}. Depending on your bank it takes a few days to show. ${then}`.trim(),
    },
    ...said(ownWords),
  ])
}

/** Money came for what the buyer had by another order already: what the school does now. */
export function composePaidTwice(
  school: School,
  name: string,
  { number, course, currency, amount, orderLink }: AwaitedFacts,
  ownWords: string,
): Letter {
  const money = formatMoney(amount, { ...school, currency })
  return letter(school, `Paid twice: ${money} for ${course}`, [
    greeting(name),
    {
      text: `${money} for order ${number} (“${course}”) was received after another order of yours had been paid. We have been notified and will refund it; there is nothing for you to do.`,
      link: orderLink,
      label: 'Your order',
    },
    ...said(ownWords),
  ])
}
