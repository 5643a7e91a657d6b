import type { Day } from '../calendar/day.ts'
import { formatDay } from '../calendar/formatDay.ts'
import { closesBy, includedIn, openingDay } from '../quote/courseDay.ts'
import { OPENING } from '../words/en/price.ts'
import { say } from '../words/message.ts'
import type { OfferInWords } from './sentence.ts'
import { titlesInQuotes } from './words.ts'

/** When the courses of an offer open for who buys it now. */
export interface Opening {
  /** The first day on which any of them is open, and the day on which that closes; null for good, or while it is paid. */
  opens: Day
  closes: Day | null
  /** It lasts as long as the membership that it is for. */
  isWhileMember: boolean
  /** How many courses it opens, and how many of them first. */
  count: number
  first: number
  /** What differs from that, in sentences: courses that open later, or not at all, and days that are paid and lost. */
  notes: string[]
}

/**
 * When the courses of an offer open, of which each can have a day of its own (selling rules, section 2a).
 * @param courses with their own days.
 * @example openingOf([{ title: 'Boxes', opens: '2027-03-01' }, { title: 'Paper', opens: null }], priced).notes
 * // ['“Boxes” opens on 1 March.']
 */
export function openingOf(
  courses: readonly { title: string; opens: Day | null }[],
  { access, isWhileMember = false, terms, line, purchaseDay, money }: OfferInWords,
): Opening {
  const rule = { access, terms, from: line.opens }
  const included = includedIn(courses, access)
  const days = [...new Set(included.map(({ opens }) => openingDay(line.opens, opens)))].sort()
  const [opens = line.opens] = days
  const said = (day: Day) => formatDay(day, money.language, purchaseDay.slice(0, 4))
  const later = days.slice(1).map((day) => {
    const of = included.filter((course) => openingDay(line.opens, course.opens) === day)
    const values = { count: of.length, titles: titlesInQuotes(of.map(({ title }) => title)), day: said(day) }
    const until = closesBy(rule, day, purchaseDay)
    return until === closesBy(rule, opens, purchaseDay)
      ? say(OPENING.later, values)
      : say(OPENING.laterUntil, { ...values, until: said(until ?? day) })
  })
  const left = courses.filter((course) => !included.includes(course))
  const notIncluded = left.map(({ title, opens: day }) =>
    say(OPENING.notIncluded, { title, day: said(day ?? purchaseDay) }),
  )
  const isLost = access.lasts === 'whilePaying' && days.some((day) => day > purchaseDay)
  return {
    opens,
    closes: closesBy(rule, opens, purchaseDay),
    isWhileMember,
    count: included.length,
    first: included.filter((course) => openingDay(line.opens, course.opens) === opens).length,
    notes: [...later, ...(isLost ? [OPENING.lost] : []), ...notIncluded],
  }
}

/** An offer in words, of the day on which the first of its courses opens. */
export function withOpening(priced: OfferInWords, { opens, closes }: Opening): OfferInWords {
  return { ...priced, line: { ...priced.line, opens, closes: closes ?? priced.line.closes } }
}
