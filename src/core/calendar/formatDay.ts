/**
 * A calendar date in words, "28 February 2027"; the year is left out where it is `thisYear`.
 * @example formatDay('2027-02-28', 'en', '2027') // '28 February'
 */
export function formatDay(day: string, language: string, thisYear?: string): string {
  const options: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'long', timeZone: 'UTC' }
  if (day.slice(0, 4) !== thisYear) options.year = 'numeric'
  return new Intl.DateTimeFormat(dateLanguage(language), options).format(new Date(`${day}T00:00:00Z`))
}

/**
 * A calendar date where there is little room, "28 Feb"; with its year where that is not `thisYear`.
 * @example formatDayShort('2027-02-28', '2026') // '28 Feb 2027'
 */
export function formatDayShort(day: string, thisYear?: string): string {
  const options: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', timeZone: 'UTC' }
  if (thisYear !== undefined && day.slice(0, 4) !== thisYear) options.year = 'numeric'
  return new Intl.DateTimeFormat('en-GB', options).format(new Date(`${day}T00:00:00Z`))
}

/** Sentences are English so far; their dates follow British order unless the school writes American. */
function dateLanguage(language: string): string {
  return language === 'en-US' ? 'en-US' : 'en-GB'
}
