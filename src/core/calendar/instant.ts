import { type Day, daysInMonth } from './day.ts'

/**
 * A moment of RFC 3339 with its offset resolved. The fraction of a second is kept as its digits,
 * so that instants of any precision compare exactly.
 */
export interface Instant {
  /** Whole seconds since 1970-01-01T00:00:00Z. */
  seconds: number
  /** Digits after the decimal point, without trailing zeros; empty for none. */
  fraction: string
}

const RFC_3339 = /^(\d{4})-(\d{2})-(\d{2})[Tt](\d{2}):(\d{2}):(\d{2})(?:\.(\d+))?(?:[Zz]|([+-])(\d{2}):(\d{2}))$/

/**
 * Reads an RFC 3339 instant of the years 2000 to 2999 (pricing rules, section 2).
 * A leap second counts as the last moment of the second before it.
 * @returns null where the text is not one.
 */
export function parseInstant(text: string): Instant | null {
  const match = RFC_3339.exec(text)
  if (!match) return null
  const [year, month, day, hour, minute, second] = match.slice(1, 7).map(Number) as number[]
  const fields = [year, month, day, hour, minute, second] as [number, number, number, number, number, number]
  if (!isValid(fields)) return null
  const offsetHour = Number(match[9] ?? 0)
  const offsetMinute = Number(match[10] ?? 0)
  if (offsetHour > 23 || offsetMinute > 59) return null
  const offset = (match[8] === '-' ? -1 : 1) * (offsetHour * 60 + offsetMinute) * 60
  const leap = fields[5] === 60
  const local = Date.UTC(fields[0], fields[1] - 1, fields[2], fields[3], fields[4], leap ? 59 : fields[5]) / 1000
  const seconds = local - offset
  if (leap && !(((seconds % 86_400) + 86_400) % 86_400 === 86_399)) return null
  return { seconds, fraction: leap ? '999999999' : (match[7] ?? '').replace(/0+$/, '') }
}

function isValid([year, month, day, hour, minute, second]: [number, number, number, number, number, number]) {
  return (
    year >= 2000 &&
    year <= 2999 &&
    month >= 1 &&
    month <= 12 &&
    day >= 1 &&
    day <= daysInMonth(year, month) &&
    hour <= 23 &&
    minute <= 59 &&
    second <= 60
  )
}

/** Whether `a` is before `b`. */
export function isBefore(a: Instant, b: Instant): boolean {
  return a.seconds === b.seconds ? a.fraction < b.fraction : a.seconds < b.seconds
}

const formatters = new Map<string, Intl.DateTimeFormat>()

/**
 * Since 2000 every zone changes its offset on whole minutes (not on whole hours: Newfoundland did at one
 * minute past midnight), so the date is one throughout a minute. Asking the formatter costs more than
 * the rest of a small quote.
 */
const lastDays = new Map<string, { minute: number; day: Day }>()

/** Whether `zone` is an IANA time zone that this machine knows (a bare offset is none). */
export function isTimeZone(zone: string): boolean {
  return formatterFor(zone) !== null
}

/**
 * The calendar date of an instant in an IANA time zone.
 * @throws RangeError where the zone is unknown.
 */
export function dayIn(zone: string, instant: Instant): Day {
  const minute = Math.floor(instant.seconds / 60)
  const known = lastDays.get(zone)
  if (known?.minute === minute) return known.day
  const formatter = formatterFor(zone)
  if (!formatter) throw new RangeError(`Unknown time zone: ${zone}`)
  const day = formatter.format(minute * 60_000)
  lastDays.set(zone, { minute, day })
  return day
}

/**
 * A moment in the middle of a date in an IANA time zone, for what is known by its date alone.
 * @returns milliseconds since 1970-01-01T00:00:00Z. @throws RangeError where the zone is unknown.
 */
export function noonOf(zone: string, day: Day): number {
  const noon = Date.parse(`${day}T12:00:00Z`)
  // In zones 13 and 14 hours ahead this is the morning of the next day.
  return dayIn(zone, { seconds: noon / 1000, fraction: '' }) === day ? noon : noon - 43_200_000
}

/** Making a formatter costs far more than using it, so each zone keeps its own. */
function formatterFor(zone: string): Intl.DateTimeFormat | null {
  const known = formatters.get(zone)
  if (known) return known
  if (!/^[A-Za-z]/.test(zone)) return null
  try {
    // Swedish writes dates as ISO 8601 does.
    const made = new Intl.DateTimeFormat('sv-SE', { timeZone: zone, year: 'numeric', month: '2-digit', day: '2-digit' })
    formatters.set(zone, made)
    return made
  } catch {
    return null
  }
}
