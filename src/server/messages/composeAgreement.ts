import { sayDay } from '../../core/calendar/sayDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { MessageKind } from '../db/schema/messages.ts'
import type { School } from '../school/service.ts'
import { greeting, type Letter, letter, type Paragraph, said } from './compose.ts'

/** What there is to say about payments over time. Amounts in minor units, days in the school's zone. */
export interface AgreementFacts {
  course: string
  currency: string
  method: string | null
  isInstallments: boolean
  /** The payment that was collected last. */
  last: { pay: number; day: string } | null
  /** What is due and unpaid by now. */
  due: number
  /** When it was due at first. */
  dueSince: string | null
  /** The next payment to come, and the day on which it is tried. */
  next: { pay: number; on: string } | null
  /** Why the last try failed, in words for the buyer. */
  why: string | null
  /** The first day on which the course is shut as things stand; null for never. */
  shut: string | null
  /** That day is here already. */
  isShut: boolean
  payLink: string
  myCourses: string
  buyAgain: string
}

const LINK_NOTE = 'The link needs no password and expires after 30 days.'

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

/** A letter about payments over time; null where what it would say is no longer true. */
export function composeAgreement(
  school: School,
  name: string,
  kind: AgreementMessage,
  facts: AgreementFacts,
  ownWords = '',
): Letter | null {
  const money = (amount: number) => formatMoney(amount, { ...school, currency: facts.currency })
  const day = (when: string) => sayDay(when, school.language)
  const { course, last, next, due } = facts
  const hello = greeting(name)
  const write = (subject: string, first: Paragraph, ...rest: Paragraph[]) =>
    letter(school, subject, [hello, first, ...said(ownWords), ...rest])
  const mine: Paragraph = {
    text: '“My courses” shows all payments, past and to come.',
    link: facts.myCourses,
    label: 'My courses',
  }
  switch (kind) {
    case 'collected': {
      if (!last) return null
      const by = facts.method ? ` by ${facts.method}` : ''
      const then = next
        ? ` The next one is ${money(next.pay)} on ${day(next.on)}.`
        : ' That was the last one; nothing more is charged.'
      return write(
        `Paid: ${money(last.pay)} for ${course}`,
        { text: `thank you. ${money(last.pay)} for “${course}” was received on ${day(last.day)}${by}.${then}` },
        mine,
      )
    }
    case 'declined': {
      if (due === 0) return null
      const again = next ? ` We retry it on ${day(next.on)}.` : ''
      const open = facts.isShut
        ? ` Access to “${course}” has been paused since ${day(facts.shut ?? '')}, and opens again once it is paid.`
        : facts.shut
          ? ` “${course}” stays open until ${day(facts.shut)} meanwhile.`
          : ''
      return write(
        `A payment for ${course} failed`,
        {
          text: `the payment of ${money(due)} for “${course}”, due on ${day(facts.dueSince ?? '')}, failed${facts.why ? `: ${facts.why}` : ''}.${again}${open}`,
        },
        {
          text: 'You can pay it now, also with another payment method. The link needs no password and expires after 30 days.',
          link: facts.payLink,
          label: `Pay ${money(due)}`,
        },
      )
    }
    case 'stopped': {
      if (facts.isInstallments) {
        if (due === 0) return null
        return write(
          `${course}: payments have stopped`,
          {
            text: `the payment of ${money(due)} for “${course}” failed again, and we do not retry it any more. ${pause(facts, day)} Once you have paid, it opens where you left it.`,
          },
          {
            text: LINK_NOTE,
            link: facts.payLink,
            label: `Pay ${money(due)}`,
          },
        )
      }
      return write(`${course}: your subscription has ended`, {
        text: `the last payment for “${course}” failed, and nothing more is charged.${facts.shut ? ` Access ${facts.isShut ? 'ended' : 'ends'} on ${day(facts.shut)}.` : ''} You can buy it again at any time and go on where you were.`,
        link: facts.buyAgain,
        label: `Buy ${course} again`,
      })
    }
    case 'cancelled': {
      const open = facts.isShut
        ? ' Access has ended.'
        : facts.shut
          ? ` The course stays open until ${day(facts.shut)}.`
          : ''
      return write(
        `${course} is cancelled`,
        { text: `“${course}” is cancelled, and nothing more is charged.${open} You can buy it again at any time.` },
        mine,
      )
    }
    case 'method-changed':
      return write(
        `New payment method for ${course}`,
        {
          text: `the payments for “${course}” are charged to ${facts.method ?? 'another payment method'} from now on. Nothing was charged today.`,
        },
        mine,
      )
    case 'due-moved': {
      if (!next) return null
      return write(
        `${course}: your payment is now due on ${day(next.on)}`,
        {
          text: `${school.name} has moved your next payment of ${money(next.pay)} for “${course}” to ${day(next.on)}. Access stays open until then, and the payment is charged automatically.`,
        },
        mine,
      )
    }
    case 'cancel-taken-back': {
      const then = next ? ` The next payment is ${money(next.pay)} on ${day(next.on)}.` : ''
      return write(
        `${course} is no longer cancelled`,
        { text: `“${course}” is no longer cancelled. Nothing was charged for that.${then}` },
        mine,
      )
    }
    case 'renewal-ahead': {
      if (!next) return null
      const by = facts.method ? ` to ${facts.method}` : ''
      return write(
        `${course} renews on ${day(next.on)}`,
        {
          text: `“${course}” renews on ${day(next.on)}: ${money(next.pay)} is charged automatically${by}. If you do not want that, cancel before that day under “My courses”.`,
        },
        mine,
      )
    }
    case 'pay-link': {
      if (due > 0) {
        return write(
          `Your link to pay ${money(due)} for ${course}`,
          {
            text: `${money(due)} for “${course}” has been due since ${day(facts.dueSince ?? '')}. Here you can pay it.`,
          },
          { text: LINK_NOTE, link: facts.payLink, label: `Pay ${money(due)}` },
        )
      }
      if (!next) return null
      return write(
        `Your link to pay for ${course}`,
        {
          text: `the next payment for “${course}” is ${money(next.pay)} on ${day(next.on)}. Here you can pay it now, or choose another payment method for it.`,
        },
        { text: LINK_NOTE, link: facts.payLink, label: 'Pay or change the payment method' },
      )
    }
    case 'card-expiring': {
      if (!next) return null
      return write(
        `Your card for ${course} expires before the next payment`,
        {
          text: `the ${facts.method ?? 'card'} for “${course}” expires before the next payment of ${money(next.pay)} on ${day(next.on)}.`,
        },
        { text: 'Add another card now; nothing is charged for that.', link: facts.payLink, label: 'Use another card' },
      )
    }
  }
}

/** From when the access of a plan that is not paid is paused. */
function pause({ shut, isShut }: AgreementFacts, day: (when: string) => string): string {
  if (!shut) return 'Access is paused until it is paid.'
  return isShut ? `Access has been paused since ${day(shut)}.` : `Access is paused from ${day(shut)} on.`
}

/** Why a payment was declined, in words for the buyer. */
export function sayDecline(reason: string | null): string | null {
  switch (reason) {
    case 'not-enough-money':
      return 'there was not enough money'
    case 'over-limit':
      return 'it is more than your wallet allows us to charge'
    case 'approval-ended':
      return 'the approval in your wallet has expired'
    case 'expired':
      return 'the card has expired'
    case 'no-method':
      return 'there is no payment method to charge'
    case null:
      return null
    default:
      return 'the payment was refused'
  }
}
