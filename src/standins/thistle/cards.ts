/** What a card does when it is charged. */
export type CardBehaviour = 'pays' | 'not-enough-money' | 'confirms' | 'pays-once' | 'expired' | 'refused'

/**
 * Made-up cards. All begin with 97, which no real card does. `expires` in so many months; absent: years from now.
 */
export const SAMPLE_CARDS = [
  { number: '9710223044004821', behaviour: 'pays', label: 'Pays' },
  { number: '9710223044005502', behaviour: 'not-enough-money', label: 'Not enough money' },
  { number: '9710223044006613', behaviour: 'confirms', label: 'Asks to confirm' },
  { number: '9710223044007734', behaviour: 'pays-once', label: 'Pays once, then fails' },
  { number: '9710223044008845', behaviour: 'pays', label: 'Expires next month', expires: 1 },
] as const satisfies readonly { number: string; behaviour: CardBehaviour; label: string; expires?: number }[]

/** The last day of a month so many months after a date's, as year and month and as a day. */
export function endOfMonth(from: Date, months: number): { expiry: string; day: string } {
  const last = new Date(Date.UTC(from.getUTCFullYear(), from.getUTCMonth() + months + 1, 0))
  const day = last.toISOString().slice(0, 10)
  return { expiry: `${day.slice(5, 7)} / ${day.slice(2, 4)}`, day }
}

/** The last day on which a card that says "04 / 31" can be charged; it was read by {@link cardProblem} before. */
export function lastDayOf(expiry: string): string {
  const [month, year] = expiry.split('/').map((part) => Number(part.trim())) as [number, number]
  return new Date(Date.UTC(2000 + year, month, 0)).toISOString().slice(0, 10)
}

/** The behaviour of a card number: by its sample, else refused as unknown. */
export function behaviourOf(digits: string): CardBehaviour {
  return SAMPLE_CARDS.find((card) => card.number === digits)?.behaviour ?? 'refused'
}

/** Why a typed card cannot be right; null where it can. `now` tells whether it has expired. */
export function cardProblem(
  { number, expiry, code }: { number: string; expiry: string; code: string },
  now: Date,
): { field: 'number' | 'expiry' | 'code'; why: string } | null {
  const digits = number.replace(/[\s-]/g, '')
  if (!/^\d{12,19}$/.test(digits)) return { field: 'number', why: 'A card number has 12 to 19 digits.' }
  const match = /^(\d{2})\s*\/\s*(\d{2})$/.exec(expiry.trim())
  const month = Number(match?.[1])
  if (!match || month < 1 || month > 12) return { field: 'expiry', why: 'Write month and year, like 04 / 31.' }
  const firstAfter = Date.UTC(2000 + Number(match[2]), month, 1)
  if (firstAfter <= now.getTime()) return { field: 'expiry', why: 'This card has expired.' }
  if (!/^\d{3,4}$/.test(code.trim())) return { field: 'code', why: 'The code has 3 or 4 digits.' }
  return null
}
