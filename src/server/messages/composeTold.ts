import { formatMoney } from '../../core/money/format.ts'
import type { MessageKind } from '../db/schema/messages.ts'
import type { School } from '../school/service.ts'
import { type Letter, letter } from './compose.ts'

const FOR_CREATOR = [
  'told-declined',
  'told-stopped',
  'told-cancelled',
  'told-disputed',
  'told-dispute-ended',
  'told-sold',
] as const satisfies readonly MessageKind[]
export type CreatorMessage = (typeof FOR_CREATOR)[number]

/** Whether a kind of message goes to the creator, about a buyer. */
export function isForCreator(kind: MessageKind): kind is CreatorMessage {
  return (FOR_CREATOR as readonly MessageKind[]).includes(kind)
}

export interface ToldFacts {
  number: number
  buyer: string
  course: string
  currency: string
  /** What is due and unpaid, or disputed. */
  amount: number
  /** Why, in words; null where there is nothing to say. */
  why: string | null
  offer: string
  /** How a dispute ended. */
  ended: 'won' | 'lost' | null
  isPractice: boolean
  orderLink: string
}

/** What the creator is told about one of their buyers. */
export function composeTold(school: School, kind: CreatorMessage, facts: ToldFacts): Letter {
  const { number, buyer, course, currency, amount, isPractice, orderLink } = facts
  const money = formatMoney(amount, { ...school, currency })
  const why = facts.why ? `: ${facts.why}` : ''
  const practice = isPractice ? ' (practice)' : ''
  const [subject, text] = {
    'told-declined': [
      `${buyer}: a payment of ${money} failed`,
      `The payment of ${money} by ${buyer} for “${course}” failed${why}. It is retried automatically, and ${buyer} has a link to pay it.`,
    ],
    'told-stopped': [
      `${buyer}: payments for ${course} have stopped`,
      `The last retry of ${money} for “${course}” was declined too${why}. It is not retried any more.`,
    ],
    'told-cancelled': [
      `${buyer} has cancelled ${course}`,
      `${buyer} has cancelled “${course}”. No further payments are charged.`,
    ],
    'told-disputed': [
      `${buyer} disputes ${money} for ${course}`,
      `${buyer} has asked their bank to return ${money} for “${course}”${why}. Access stays open for now; decide what to do.`,
    ],
    'told-dispute-ended':
      facts.ended === 'won'
        ? [
            `You keep ${money}: the dispute of ${buyer} is won`,
            `The dispute of ${buyer} about ${money} for “${course}” was decided in your favour. You keep the money, and there is nothing to do.`,
          ]
        : [
            `The dispute of ${buyer} is lost: ${money}`,
            `${money} for “${course}” was returned to ${buyer} through the bank. Access is still open; decide whether to keep it.`,
          ],
    'told-sold': [
      `You sold ${course}${amount > 0 ? `: ${money}` : ''}`,
      amount > 0
        ? `${buyer} bought “${course}”, ${facts.offer}. ${money} was received.`
        : `${buyer} ordered “${course}”, ${facts.offer}. Nothing to pay today.`,
    ],
  }[kind] as [string, string]
  return letter(school, `${subject}${practice}`, [{ text, link: orderLink, label: `Order ${number}` }])
}
