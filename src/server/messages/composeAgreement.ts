import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import { MAIL } from '../../core/words/en/mail.ts'
import { say } from '../../core/words/message.ts'
import type { MessageKind } from '../db/schema/messages.ts'
import type { PaymentReceipt } from '../orders/paymentReceipt.ts'
import type { School } from '../school/service.ts'
import { composeEmail, type Email, greeting, type Paragraph, receiptTable, said } from './compose.ts'

/** What there is to say about payments over time. Amounts in minor units, days in the school's zone. */
export interface AgreementFacts {
  course: string
  currency: string
  method: string | null
  isInstallments: boolean
  /** The payment that was collected last. */
  last: { pay: number; day: string } | null
  /** The receipt of what was collected, of a message about that, and where it is. */
  receipt: { of: PaymentReceipt; link: string } | null
  /** What is due and unpaid by now. */
  due: number
  /** When it was due at first. */
  dueSince: string | null
  /** The next payment to come, and the day on which it is tried. */
  next: { pay: number; on: string } | null
  /** Why the last try failed, in words for the buyer. */
  why: string | null
  /** The first day on which the course is shut as things stand; null for never. */
  closedFrom: string | null
  /** That day is here already. */
  isClosed: boolean
  payLink: string
  myCourses: string
  buyAgain: string
}

const ABOUT_AGREEMENTS = [
  'collected',
  'declined',
  'stopped',
  'cancelled',
  'method-changed',
  'card-expiring',
  'due-moved',
  'cancel-taken-back',
  'renewal-ahead',
  'pay-link',
] as const satisfies readonly MessageKind[]
export type AgreementMessage = (typeof ABOUT_AGREEMENTS)[number]

/** Whether a kind of message is about payments over time, and for their buyer. */
export function isAboutAgreement(kind: MessageKind): kind is AgreementMessage {
  return (ABOUT_AGREEMENTS as readonly MessageKind[]).includes(kind)
}

/** An email about payments over time; null where what it would say is no longer true. */
export function composeAgreement(
  school: School,
  name: string,
  kind: AgreementMessage,
  facts: AgreementFacts,
  ownWords = '',
): Email | null {
  const money = (amount: number) => formatMoney(amount, { ...school, currency: facts.currency })
  const day = (when: string) => formatDay(when, school.language)
  const { course, last, next, due } = facts
  const hello = greeting(name)
  const write = (subject: string, first: Paragraph, ...rest: Paragraph[]) =>
    composeEmail(school, subject, [hello, first, ...said(ownWords), ...rest])
  const mine: Paragraph = { ...MAIL.myCourses, link: facts.myCourses }
  switch (kind) {
    case 'collected': {
      if (!last) return null
      const words = MAIL.collected
      const then = next ? say(words.next, { money: money(next.pay), day: day(next.on) }) : words.last
      const of = facts.receipt?.of
      const came = { money: money(of?.paid ?? last.pay), course, day: day(of?.day ?? last.day), then }
      const method = of ? of.method : facts.method
      return composeEmail(
        school,
        say(words.subject, came),
        [
          hello,
          { text: method ? say(words.textBy, { ...came, method }) : say(words.text, came) },
          ...said(ownWords),
          ...(facts.receipt ? [{ ...words.receipt, link: facts.receipt.link }] : []),
          mine,
        ],
        of ? receiptTable(of.things, of, { ...school, currency: facts.currency }) : [],
      )
    }
    case 'declined': {
      if (due === 0) return null
      const words = MAIL.declined
      const since = { money: money(due), course, day: day(facts.dueSince ?? '') }
      const text = [
        facts.why ? say(words.textWhy, { ...since, why: facts.why }) : say(words.text, since),
        next && say(words.again, { day: day(next.on) }),
        facts.isClosed
          ? say(words.paused, { course, day: day(facts.closedFrom ?? '') })
          : facts.closedFrom && say(words.stillOpen, { course, day: day(facts.closedFrom) }),
      ]
      return write(
        say(words.subject, { course }),
        { text: text.filter(Boolean).join(' ') },
        { text: words.pay, link: facts.payLink, label: say(words.label, { money: money(due) }) },
      )
    }
    case 'stopped': {
      if (facts.isInstallments) {
        if (due === 0) return null
        const words = MAIL.stopped
        return write(
          say(words.subject, { course }),
          { text: say(words.text, { money: money(due), course, pause: pause(facts, day) }) },
          { text: MAIL.linkNote, link: facts.payLink, label: say(words.label, { money: money(due) }) },
        )
      }
      const words = MAIL.ended
      const { closedFrom, isClosed } = facts
      return write(say(words.subject, { course }), {
        text: closedFrom
          ? say(isClosed ? words.textEnded : words.textEnds, { course, day: day(closedFrom) })
          : say(words.text, { course }),
        link: facts.buyAgain,
        label: say(words.label, { course }),
      })
    }
    case 'cancelled': {
      const words = MAIL.cancelled
      const text = facts.isClosed
        ? say(words.textEnded, { course })
        : facts.closedFrom
          ? say(words.textOpen, { course, day: day(facts.closedFrom) })
          : say(words.text, { course })
      return write(say(words.subject, { course }), { text }, mine)
    }
    case 'method-changed': {
      const words = MAIL.methodChanged
      const method = facts.method ?? words.another
      return write(say(words.subject, { course }), { text: say(words.text, { course, method }) }, mine)
    }
    case 'due-moved': {
      if (!next) return null
      const words = MAIL.dueMoved
      const on = day(next.on)
      return write(
        say(words.subject, { course, day: on }),
        { text: say(words.text, { school: school.name, money: money(next.pay), course, day: on }) },
        mine,
      )
    }
    case 'cancel-taken-back': {
      const words = MAIL.notCancelled
      const then = next ? ` ${say(words.next, { money: money(next.pay), day: day(next.on) })}` : ''
      return write(say(words.subject, { course }), { text: `${say(words.text, { course })}${then}` }, mine)
    }
    case 'renewal-ahead': {
      if (!next) return null
      const words = MAIL.renews
      const coming = { course, day: day(next.on), money: money(next.pay) }
      const { method } = facts
      const text = method ? say(words.textTo, { ...coming, method }) : say(words.text, coming)
      return write(say(words.subject, { course, day: day(next.on) }), { text }, mine)
    }
    case 'pay-link': {
      const words = MAIL.payLink
      if (due > 0) {
        const owed = { money: money(due), course }
        return write(
          say(words.subjectDue, owed),
          { text: say(words.due, { ...owed, day: day(facts.dueSince ?? '') }) },
          { text: MAIL.linkNote, link: facts.payLink, label: say(words.pay, { money: money(due) }) },
        )
      }
      if (!next) return null
      return write(
        say(words.subject, { course }),
        { text: say(words.next, { course, money: money(next.pay), day: day(next.on) }) },
        { text: MAIL.linkNote, link: facts.payLink, label: words.label },
      )
    }
    case 'card-expiring': {
      if (!next) return null
      const words = MAIL.cardExpiring
      const method = facts.method ?? words.card
      return write(
        say(words.subject, { course }),
        { text: say(words.text, { method, course, money: money(next.pay), day: day(next.on) }) },
        { text: words.add, link: facts.payLink, label: words.label },
      )
    }
  }
}

/** From when the access of a plan that is not paid is paused. */
function pause({ closedFrom, isClosed }: AgreementFacts, day: (when: string) => string): string {
  const { paused, pausedSince, pausedFrom } = MAIL.stopped
  if (!closedFrom) return paused
  return say(isClosed ? pausedSince : pausedFrom, { day: day(closedFrom) })
}

/** Why a payment was declined, in words for the buyer. */
export function formatDecline(reason: string | null): string | null {
  switch (reason) {
    case 'not-enough-money':
      return MAIL.why.notEnough
    case 'over-limit':
      return MAIL.why.overLimit
    case 'approval-ended':
      return MAIL.why.approvalEnded
    case 'expired':
      return MAIL.why.expired
    case 'no-method':
      return MAIL.why.noMethod
    case null:
      return null
    default:
      return MAIL.why.refused
  }
}
