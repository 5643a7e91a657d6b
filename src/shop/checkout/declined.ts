const DECLINED: Record<string, string> = {
  'not-enough-money': 'The card does not have enough money. Nothing was charged. Try again, or use another card.',
  'refused-by-buyer':
    'The payment was refused in the confirmation. Nothing was charged. Try again, or use another card.',
  expired: 'This card has expired. Nothing was charged. Use another card.',
  'bad-token': 'The card details could not be used. Nothing was charged. Enter them again.',
  refused: 'The card was refused. Nothing was charged. Try again, or use another card.',
  abandoned: 'The payment was not finished. Nothing was charged. You can try again.',
}

/** Why a payment did not come, and what to do, in words for the buyer. */
export function sayDeclined(reason: string): string {
  return DECLINED[reason] ?? (DECLINED.refused as string)
}
