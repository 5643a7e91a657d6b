/** A moment in words, "24 Nov 2026, 14:05", in a time zone. */
export function formatMoment(moment: string, timeZone?: string): string {
  return new Intl.DateTimeFormat('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    hour: '2-digit',
    minute: '2-digit',
    timeZone,
  }).format(new Date(moment))
}

/** The date of a moment in words, "24 Nov 2026", in a time zone. */
export function formatDate(moment: string, timeZone?: string): string {
  return new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', year: 'numeric', timeZone }).format(
    new Date(moment),
  )
}
