import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatTitles, titlesInQuotes } from '../../core/sentence/words.ts'
import { MAIL } from '../../core/words/en/mail.ts'
import { say } from '../../core/words/message.ts'
import type { School } from '../school/service.ts'
import { composeEmail, type Email, greeting, type Paragraph, said } from './compose.ts'

/** Courses of a buyer that open or end on a day, and the links of the message. */
export interface AccessFacts {
  courses: { title: string; link: string }[]
  /** The first day on which it is shut, of what ends. */
  closes: string | null
  /** Where it is bought again. */
  buyAgain: string
  /** Only for a buyer who has no password yet. */
  passwordLink: string | null
}

/** What was bought before its day has opened: the ways in. */
export function composeOpened(school: School, name: string, facts: AccessFacts, ownWords: string): Email {
  const { subject, text } = MAIL.opened
  const titles = facts.courses.map(({ title }) => title)
  const count = titles.length
  return composeEmail(school, say(subject, { count, titles: formatTitles(titles) }), [
    greeting(name),
    { text: say(text, { count, titles: titlesInQuotes(titles) }) },
    ...said(ownWords),
    ...setPassword(facts),
    ...waysIn(facts),
  ])
}

/** The new opening day of a course that was bought before it. */
export interface OpeningFacts {
  course: string
  opens: string
  /** The day on which access ends; null for good, or while it is paid. */
  closes: string | null
}

/** What was bought before its day opens on another one. */
export function composeOpeningMoved(school: School, name: string, facts: OpeningFacts, ownWords: string): Email {
  const { subject, text, until, tooLate } = MAIL.openingMoved
  const { course, opens, closes } = facts
  const day = formatDay(opens, school.language)
  const end = closes === null ? null : formatDay(closes, school.language)
  const isTooLate = closes !== null && closes <= opens
  return composeEmail(school, say(subject, { course, day }), [
    greeting(name),
    { text: isTooLate ? say(tooLate, { course, day, until: end ?? '' }) : say(text, { course, day }) },
    ...(end === null || isTooLate ? [] : [{ text: say(until, { day: end }) }]),
    ...said(ownWords),
  ])
}

/** Access of a limited time ends soon: until when it is open, and how to go on. */
export function composeEndsSoon(school: School, name: string, facts: AccessFacts, ownWords: string): Email {
  const { subject, text, again, label } = MAIL.endsSoon
  const titles = facts.courses.map(({ title }) => title)
  const day = formatDay(facts.closes ?? '', school.language)
  return composeEmail(school, say(subject, { titles: formatTitles(titles), day }), [
    greeting(name),
    { text: say(text, { titles: titlesInQuotes(titles), day }) },
    ...waysIn(facts),
    ...said(ownWords),
    ...setPassword(facts),
    { text: again, link: facts.buyAgain, label },
  ])
}

const waysIn = ({ courses }: AccessFacts): Paragraph[] =>
  courses.map(({ title, link }) => ({ text: '', link, label: say(MAIL.receipt.open, { course: title }) }))

const setPassword = ({ passwordLink }: AccessFacts): Paragraph[] =>
  passwordLink ? [{ text: MAIL.passwordFirst, link: passwordLink, label: MAIL.setPassword }] : []
