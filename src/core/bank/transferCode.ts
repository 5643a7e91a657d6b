interface Transfer {
  holder: string
  iban: string
  /** Empty where it is not known. */
  bic: string
  /** Euro cents. */
  amount: number
  /** A creditor reference (ISO 11649). */
  reference: string
}

/** From one cent to just below a thousand million euros. */
const MAX_CENTS = 99_999_999_999

/**
 * What the QR code of a SEPA transfer holds (EPC069-12, version 002, UTF-8): a banking app that scans it fills the
 * transfer in. Null where such a code cannot say it: amounts that are too large.
 */
export function transferCode({ holder, iban, bic, amount, reference }: Transfer): string | null {
  if (amount < 1 || amount > MAX_CENTS) return null
  const euros = `EUR${Math.floor(amount / 100)}.${String(amount % 100).padStart(2, '0')}`
  return ['BCD', '002', '1', 'SCT', bic, holder.slice(0, 70), iban, euros, '', reference].join('\n')
}
