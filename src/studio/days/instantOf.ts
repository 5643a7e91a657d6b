import { Temporal } from 'temporal-polyfill'

/** The moment of a day, and a time of it, by a zone's clock; in the hour that a clock shows twice, the first. */
export function instantOf(day: string, time: string | null, timeZone: string, which: 'from' | 'until'): string {
  const date = Temporal.PlainDate.from(day).add({ days: time === null && which === 'until' ? 1 : 0 })
  return date
    .toZonedDateTime({ timeZone, plainTime: time ?? '00:00' })
    .toString({ timeZoneName: 'never', smallestUnit: 'second' })
}
