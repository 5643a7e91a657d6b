import { type Day, isDay } from './day.ts'

/** Languages that write the month before the day in figures. */
const MONTH_FIRST: readonly string[] = ['en-US']

/**
 * Reads a day as people type it: `2026-12-04`, `4.12.2026`, `4/12/26`, `4 December 2026`, `Dec 4`, `4. Dezember`. Figures are
 * in the order of `language` (BCP 47; English without a region writes the day first, as its sentences do). A day without a
 * year is the next one from `today` on. Null where it is no date.
 * @example readDay('4/12', 'en', '2026-12-05') // '2027-12-04'
 */
export function readDay(typed: string, language: string, today: Day): Day | null {
  const text = typed.trim().toLowerCase()
  if (isDay(text)) return text
  const figures = /^(\d{1,2})\s*[./-]\s*(\d{1,2})\s*(?:[./-]\s*(\d{4}|\d{2})?)?$/.exec(text)
  if (figures) {
    const [, a = '', b = '', year] = figures
    const isMonthFirst = MONTH_FIRST.includes(language)
    return isMonthFirst ? dayOf(b, Number(a), year, today) : dayOf(a, Number(b), year, today)
  }
  const words = /^(\d{1,2})(?:\.|st|nd|rd|th)?\s+([\p{L}.]+),?(?:\s+(\d{4}))?$/u.exec(text)
  if (words) return dayOf(words[1] ?? '', monthNamed(words[2] ?? '', language), words[3], today)
  const turned = /^([\p{L}.]+)\s+(\d{1,2})(?:st|nd|rd|th)?,?(?:\s+(\d{4}))?$/u.exec(text)
  return turned ? dayOf(turned[2] ?? '', monthNamed(turned[1] ?? '', language), turned[3], today) : null
}

/** A month by its name, or its first letters, in English or in `language`; 0 where none is called so. */
function monthNamed(name: string, language: string): number {
  const plain = bare(name)
  if (plain.length < 3) return 0
  for (const tongue of ['en-GB', language]) {
    const format = new Intl.DateTimeFormat(tongue, { month: 'long', timeZone: 'UTC' })
    for (let month = 1; month <= 12; month++) {
      if (bare(format.format(Date.UTC(2000, month - 1, 15))).startsWith(plain)) return month
    }
  }
  return 0
}

/** Letters without case and accents. */
function bare(name: string): string {
  return name
    .normalize('NFKD')
    .replace(/[^\p{L}]/gu, '')
    .toLowerCase()
}

function dayOf(dayText: string, month: number, yearText: string | undefined, today: Day): Day | null {
  const written = (year: number) =>
    `${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}-${dayText.padStart(2, '0')}`
  if (yearText) {
    const day = written(yearText.length === 2 ? 2000 + Number(yearText) : Number(yearText))
    return isDay(day) ? day : null
  }
  const thisYear = Number(today.slice(0, 4))
  // A 29 February is some years away at most.
  for (let year = thisYear; year <= thisYear + 8; year++) {
    const day = written(year)
    if (isDay(day) && day >= today) return day
  }
  return null
}
