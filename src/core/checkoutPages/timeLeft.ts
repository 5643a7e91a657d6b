import { clockMoment } from '../calendar/clock.ts'
import { formatDay } from '../calendar/formatDay.ts'
import { PARTS } from '../words/en/page.ts'
import { say } from '../words/message.ts'

const MINUTE = 60_000
const HOUR = 60 * MINUTE
const DAY = 24 * HOUR

/** How much time is left until a moment, in its two largest units, begun ones counted: "3 days 4 hours left". */
export function formatLeft(until: string, now: string): string {
  const minutes = Math.max(0, Math.ceil((Date.parse(until) - Date.parse(now)) / MINUTE)) * MINUTE
  const [days, hours, rest] = [Math.floor(minutes / DAY), Math.floor((minutes % DAY) / HOUR), (minutes % HOUR) / MINUTE]
  const counted = [
    days > 0 ? say(PARTS.days, { count: days }) : null,
    hours > 0 ? say(PARTS.hours, { count: hours }) : null,
    // Of days nobody counts minutes.
    days === 0 && (rest > 0 || hours === 0) ? say(PARTS.minutes, { count: rest }) : null,
  ]
  return say(PARTS.left, { time: counted.filter((one) => one !== null).join(' ') })
}

/** A moment by the school's clock, "21 March 2027, 18:00"; a whole day without its time. */
export function formatEnd(until: string, { language, timeZone }: { language: string; timeZone: string }): string {
  const { day, time } = clockMoment(until, timeZone, 'until')
  return time === null ? formatDay(day, language) : `${formatDay(day, language)}, ${time}`
}
