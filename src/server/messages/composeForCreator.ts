import { formatMoney } from '../../core/money/format.ts'
import { MAIL } from '../../core/words/en/mail.ts'
import { say } from '../../core/words/message.ts'
import type { MessageKind } from '../db/schema/messages.ts'
import type { School } from '../school/service.ts'
import { composeEmail, type Email } from './compose.ts'

const FOR_CREATOR = [
  'creator-declined',
  'creator-stopped',
  'creator-cancelled',
  'creator-disputed',
  'creator-dispute-ended',
  'creator-sold',
] as const satisfies readonly MessageKind[]
export type CreatorMessage = (typeof FOR_CREATOR)[number]

/** Whether a kind of message goes to the creator, about a buyer. */
export function isForCreator(kind: MessageKind): kind is CreatorMessage {
  return (FOR_CREATOR as readonly MessageKind[]).includes(kind)
}

export interface CreatorFacts {
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
export function composeForCreator(school: School, kind: CreatorMessage, facts: CreatorFacts): Email {
  const { number, buyer, course, currency, amount, isPractice, orderLink } = facts
  const money = formatMoney(amount, { ...school, currency })
  const why = facts.why ? `: ${facts.why}` : ''
  const words = MAIL.told
  const about = { buyer, money, course }
  const [subject, text] = {
    'creator-declined': [say(words.declined.subject, about), say(words.declined.text, { ...about, why })],
    'creator-stopped': [say(words.stopped.subject, about), say(words.stopped.text, { ...about, why })],
    'creator-cancelled': [say(words.cancelled.subject, about), say(words.cancelled.text, about)],
    'creator-disputed': [say(words.disputed.subject, about), say(words.disputed.text, { ...about, why })],
    'creator-dispute-ended':
      facts.ended === 'won'
        ? [say(words.won.subject, about), say(words.won.text, about)]
        : [say(words.lost.subject, about), say(words.lost.text, about)],
    'creator-sold':
      amount > 0
        ? [say(words.sold.subject, about), say(words.sold.text, { ...about, offer: facts.offer })]
        : [say(words.soldFree.subject, about), say(words.soldFree.text, { ...about, offer: facts.offer })],
  }[kind] as [string, string]
  const named = isPractice ? say(MAIL.practice, { subject }) : subject
  return composeEmail(school, named, [{ text, link: orderLink, label: say(words.order, { number }) }])
}
