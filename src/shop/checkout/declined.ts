const DECLINED: Record<string, string> = {
  'not-enough-money':
    'The card or account does not have enough money. Nothing was charged. Try again, or pay another way.',
  'refused-by-buyer': 'You did not approve the payment. Nothing was charged. Try again, or pay another way.',
  expired: 'This card has expired. Nothing was charged. Use another card.',
  'bad-token': 'The card details could not be used. Nothing was charged. Enter them again.',
  'over-limit': 'This is more than your wallet allows us to charge. Nothing was charged. Pay another way.',
  'approval-ended':
    'The approval in your wallet has expired. Nothing was charged. Approve it again, or pay another way.',
  'not-arrived': 'We received no transfer from you. Nothing was charged. You can order again.',
  refused: 'The payment was refused. Nothing was charged. Try again, or pay another way.',
  abandoned: 'The payment was not finished. Nothing was charged. You can try again.',
}

/** Why a payment did not come, and what to do, in words for the buyer. */
export function sayDeclined(reason: string): string {
  return DECLINED[reason] ?? (DECLINED.refused as string)
}
