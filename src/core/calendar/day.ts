/**
 * Calendar dates (pricing rules, section 2). A {@link Day} is an ISO 8601 date string, so that days
 * compare as text; the arithmetic is on the proleptic Gregorian calendar and knows no time zone.
 * Written out here, instead of through a date library, because a quote makes dozens of days and
 * the checkout page carries this file; a property test holds it against Temporal.
 */

/** An ISO 8601 calendar date, `2027-01-31`. */
export type Day = string

export type SpanUnit = 'day' | 'week' | 'month' | 'year'

/** A length of calendar time: 1 to 366 days, 104 weeks, 60 months or 10 years. */
export interface Span {
  count: number
  unit: SpanUnit
}

/** The largest count of each unit in a {@link Span}. */
export const LONGEST_SPAN: Record<SpanUnit, number> = { day: 366, week: 104, month: 60, year: 10 }

interface Civil {
  year: number
  month: number
  day: number
}

/**
 * `after(day, k, span)`: k·span.count units in one step; a missing day becomes the month's last.
 * @example after('2026-11-30', 3, { count: 1, unit: 'month' }) // '2027-02-28'
 */
export function after(day: Day, k: number, span: Span): Day {
  const steps = k * span.count
  switch (span.unit) {
    case 'day':
      return addDays(day, steps)
    case 'week':
      return addDays(day, steps * 7)
    case 'month':
      return addMonths(day, steps)
    case 'year':
      return addMonths(day, steps * 12)
  }
}

/** The date `days` later (or earlier, where negative). */
export function addDays(day: Day, days: number): Day {
  return days === 0 ? day : fromNumber(toNumber(day) + days)
}

/**
 * Whole days from `from` to `to`; negative where `to` is earlier.
 * @example daysBetween('2026-12-30', '2027-01-02') // 3
 */
export function daysBetween(from: Day, to: Day): number {
  return toNumber(to) - toNumber(from)
}

/** Whether the text is a date that exists, in the form `YYYY-MM-DD`. */
export function isDay(text: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return false
  const { year, month, day } = parse(text)
  return month >= 1 && month <= 12 && day >= 1 && day <= daysInMonth(year, month)
}

/** The later of two days. */
export function later(a: Day, b: Day): Day {
  return a > b ? a : b
}

/** Days in a month, 1 to 12, of a Gregorian year. */
export function daysInMonth(year: number, month: number): number {
  if (month === 2) return (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0 ? 29 : 28
  return month === 4 || month === 6 || month === 9 || month === 11 ? 30 : 31
}

function addMonths(day: Day, months: number): Day {
  const from = parse(day)
  const index = from.year * 12 + from.month - 1 + months
  const year = Math.floor(index / 12)
  const month = index - year * 12 + 1
  return format(year, month, Math.min(from.day, daysInMonth(year, month)))
}

/** The last date that was read: a schedule counts all its payments from one anchor. */
let lastRead: { day: Day; civil: Civil } = { day: '', civil: { year: 0, month: 0, day: 0 } }

function parse(day: Day): Civil {
  if (lastRead.day !== day) lastRead = { day, civil: read(day) }
  return lastRead.civil
}

function read(day: Day): Civil {
  const dash = day.indexOf('-', 1)
  return {
    year: Number(day.slice(0, dash)),
    month: Number(day.slice(dash + 1, dash + 3)),
    day: Number(day.slice(dash + 4)),
  }
}

const TWO_DIGITS = Array.from({ length: 32 }, (_, n) => String(n).padStart(2, '0'))

function format(year: number, month: number, day: number): Day {
  const years =
    year > 9999 ? `+${String(year).padStart(6, '0')}` : year < 1000 ? String(year).padStart(4, '0') : `${year}`
  return `${years}-${TWO_DIGITS[month]}-${TWO_DIGITS[day]}`
}

/** Days since 0000-03-01, by counting from March so that the leap day comes last. */
function toNumber(text: Day): number {
  const { year, month, day } = parse(text)
  const shifted = month > 2 ? year : year - 1
  const fromMarch = (month + 9) % 12
  const inYear = Math.floor((153 * fromMarch + 2) / 5) + day - 1
  return shifted * 365 + Math.floor(shifted / 4) - Math.floor(shifted / 100) + Math.floor(shifted / 400) + inYear
}

/** The inverse of {@link toNumber}; 146 097 days are 400 years. */
function fromNumber(days: number): Day {
  const era = Math.floor(days / 146_097)
  const inEra = days - era * 146_097
  const yearOfEra = Math.floor(
    (inEra - Math.floor(inEra / 1460) + Math.floor(inEra / 36_524) - Math.floor(inEra / 146_096)) / 365,
  )
  const inYear = inEra - (365 * yearOfEra + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100))
  const fromMarch = Math.floor((5 * inYear + 2) / 153)
  const day = inYear - Math.floor((153 * fromMarch + 2) / 5) + 1
  const month = fromMarch < 10 ? fromMarch + 3 : fromMarch - 9
  return format(yearOfEra + era * 400 + (month <= 2 ? 1 : 0), month, day)
}
