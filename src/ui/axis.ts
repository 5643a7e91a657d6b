import { type Day, daysBetween } from '../core/calendar/day.ts'

/** Days laid along a line. */
export interface Axis {
  at: (day: Day) => number
  /** Middles of the gaps that were cut short, to be marked as breaks of the scale. */
  breaks: number[]
  /** Where the last day stands. */
  end: number
}

/** A gap longer than so many usual ones is cut to that. */
const LONGEST_GAP = 3
const WIDEST_DAY = 2.6

/**
 * Lays days out in true scale between `from` and `to`. A gap much longer than the usual ones is cut
 * short and marked, so that two years of access do not press three payments into a corner; days that
 * would touch are held `least` apart.
 */
export function layDays(days: readonly Day[], from: number, to: number, least: number): Axis {
  const known = [...new Set(days)].sort()
  const gaps = known.slice(1).map((day, index) => daysBetween(known[index] as Day, day))
  const usual = [...gaps].sort((a, b) => a - b)[Math.floor((gaps.length - 1) / 2)] ?? 1
  const longest = usual * LONGEST_GAP
  const cut = gaps.map((gap) => Math.min(gap, longest))
  const all = cut.reduce((sum, gap) => sum + gap, 0)
  const scale = Math.min(WIDEST_DAY, all === 0 ? WIDEST_DAY : (to - from) / all)
  const held = cut.map((gap) => Math.max(least, gap * scale))
  // What was held apart is taken from the others, so that the line still ends in time.
  const over = Math.max(0, held.reduce((sum, width) => sum + width, 0) - (to - from))
  const spare = held.reduce((sum, width) => sum + Math.max(0, width - least), 0)
  const widths = held.map((width) =>
    spare > 0 ? width - (Math.max(0, width - least) * Math.min(over, spare)) / spare : width,
  )
  const places = new Map<Day, number>()
  const breaks: number[] = []
  let x = from
  for (const [index, day] of known.entries()) {
    places.set(day, x)
    const width = widths[index]
    if (width === undefined) break
    if ((gaps[index] ?? 0) > longest) breaks.push(x + width / 2)
    x += width
  }
  const at = (day: Day) => {
    const place = places.get(day)
    if (place === undefined) throw new RangeError(`${day} was not laid out.`)
    return place
  }
  return { at, breaks, end: x }
}
