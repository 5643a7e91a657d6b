import { formatMoney } from '../../core/money/format.ts'
import { formatList, formatTitles, titlesInQuotes } from '../../core/sentence/words.ts'
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
  'creator-awaiting',
] as const satisfies readonly MessageKind[]
export type CreatorMessage = (typeof FOR_CREATOR)[number]

/** Whether a kind of message goes to the creator, about a buyer. */
export function isForCreator(kind: MessageKind): kind is CreatorMessage {
  return (FOR_CREATOR as readonly MessageKind[]).includes(kind)
}

export interface CreatorFacts {
  number: number
  buyer: string
  /** What it is about: of an order all that was sold, each by its title and its offer's name. */
  things: { course: string; offer: string }[]
  currency: string
  /** What is due and unpaid, or disputed. */
  amount: number
  /** Why, in words; null where there is nothing to say. */
  why: string | null
  /** How a dispute ended. */
  ended: 'won' | 'lost' | null
  /** The reference of a transfer that is awaited. */
  reference: string | null
  isPractice: boolean
  orderLink: string
}

/** What the creator is told about one of their buyers. */
export function composeForCreator(school: School, kind: CreatorMessage, facts: CreatorFacts): Email {
  const { number, buyer, currency, amount, isPractice, orderLink } = facts
  const money = formatMoney(amount, { ...school, currency })
  // What a bank or a buyer wrote may end as a sentence does.
  const why = facts.why ? `: ${facts.why.trim().replace(/[.\s]+$/, '')}` : ''
  const words = MAIL.told
  const titles = facts.things.map(({ course }) => course)
  const about = { buyer, money, course: titlesInQuotes(titles) }
  const named = { ...about, course: formatTitles(titles) }
  const things = formatList(facts.things.map((thing) => say(words.thing, thing)))
  const [subject, text] = {
    'creator-declined': [say(words.declined.subject, named), say(words.declined.text, { ...about, why })],
    'creator-stopped': [say(words.stopped.subject, named), say(words.stopped.text, { ...about, why })],
    'creator-cancelled': [say(words.cancelled.subject, named), say(words.cancelled.text, about)],
    'creator-disputed': [say(words.disputed.subject, named), say(words.disputed.text, { ...about, why })],
    'creator-dispute-ended':
      facts.ended === 'won'
        ? [say(words.won.subject, named), say(words.won.text, about)]
        : [say(words.lost.subject, named), say(words.lost.text, about)],
    'creator-awaiting': [
      say(words.awaiting.subject, named),
      say(words.awaiting.text, { ...about, things, reference: facts.reference ?? '' }),
    ],
    'creator-sold':
      amount > 0
        ? [say(words.sold.subject, named), say(words.sold.text, { ...about, things })]
        : [say(words.soldFree.subject, named), say(words.soldFree.text, { ...about, things })],
  }[kind] as [string, string]
  const marked = isPractice ? say(MAIL.practice, { subject }) : subject
  return composeEmail(school, marked, [{ text, link: orderLink, label: say(words.order, { number }) }])
}
