import { addDays, type Day } from './day.ts'

/** A moment by a zone's clock: its day, and its time, `HH:MM`, or null where it begins or ends a whole day. */
export interface ClockMoment {
  day: Day
  time: string | null
}

/**
 * A moment (RFC 3339) by a zone's clock. What begins at midnight begins with its day, and what ends at midnight ends with
 * the day before.
 * @example clockMoment('2026-11-28T23:00:00Z', 'Europe/Vienna', 'until') // { day: '2026-11-28', time: null }
 */
export function clockMoment(moment: string, timeZone: string, which: 'from' | 'until'): ClockMoment {
  const parts = new Intl.DateTimeFormat('en-CA', {
    timeZone,
    hourCycle: 'h23',
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
  }).formatToParts(new Date(moment))
  const of = (type: Intl.DateTimeFormatPartTypes) => parts.find((part) => part.type === type)?.value ?? ''
  const day = `${of('year')}-${of('month')}-${of('day')}`
  const time = `${of('hour')}:${of('minute')}`
  if (time !== '00:00') return { day, time }
  return { day: which === 'until' ? addDays(day, -1) : day, time: null }
}
