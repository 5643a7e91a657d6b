import { addDays, after, type Day, isDay } from '../../core/calendar/day.ts'

/** The days whose money is looked at, both included. */
export interface DaySpan {
  from: Day
  until: Day
}

export function spanOfMonth(month: string): DaySpan {
  return { from: `${month}-01`, until: addDays(after(`${month}-01`, 1, { count: 1, unit: 'month' }), -1) }
}

export function spanOfYear(year: string): DaySpan {
  return { from: `${year}-01-01`, until: `${year}-12-31` }
}

/** The month that a span is, from its first day to its last; null where it is none. */
export function monthOf({ from, until }: DaySpan): string | null {
  const month = from.slice(0, 7)
  return spanOfMonth(month).from === from && spanOfMonth(month).until === until ? month : null
}

/** The span in the address: a month or two days; without either the month of `today`. */
export function spanIn(params: URLSearchParams, today: Day): DaySpan {
  const [from, until] = [params.get('from') ?? '', params.get('until') ?? '']
  if (isDay(from) && isDay(until)) return { from, until }
  const month = params.get('month') ?? ''
  return spanOfMonth(isDay(`${month}-01`) ? month : today.slice(0, 7))
}

/** The same as it is put into the address, nothing else being chosen in it yet. */
export function addressOf(span: DaySpan): Record<string, string | null> {
  const month = monthOf(span)
  const where = month ? { month, from: null, until: null } : { month: null, ...span }
  return { ...where, day: null, list: null, order: null }
}

/** "2026", "November 2026", "12 November 2026", "1 March – 15 June 2026". */
export function formatSpan(span: DaySpan): string {
  const month = monthOf(span)
  const date = (day: Day) => new Date(`${day}T00:00:00Z`)
  if (month) return formatMonth(month)
  const year = span.from.slice(0, 4)
  if (span.from === spanOfYear(year).from && span.until === spanOfYear(year).until) return year
  const format = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' })
  return format.formatRange(date(span.from), date(span.until))
}

export function formatMonth(month: string): string {
  return new Intl.DateTimeFormat('en-GB', { month: 'long', year: 'numeric', timeZone: 'UTC' }).format(
    new Date(`${month}-01T00:00:00Z`),
  )
}

/** "Nov", or "Jan 27" where it is another year than today’s. */
export function formatMonthShort(month: string, today: string): string {
  const name = new Intl.DateTimeFormat('en-GB', { month: 'short', timeZone: 'UTC' }).format(
    new Date(`${month}-01T00:00:00Z`),
  )
  return month.slice(0, 4) === today.slice(0, 4) ? name : `${name} ${month.slice(2, 4)}`
}
