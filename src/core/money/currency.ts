const known = new Set(Intl.supportedValuesOf('currency'))
const digits = new Map<string, number>()

/** Whether `code` is an ISO 4217 currency that this machine knows, in capitals. */
export function isCurrency(code: string): boolean {
  return known.has(code)
}

/** Decimals of a currency by ISO 4217: EUR 2, JPY 0, KWD 3. */
export function currencyDigits(code: string): number {
  const cached = digits.get(code)
  if (cached !== undefined) return cached
  const options = new Intl.NumberFormat('en', { style: 'currency', currency: code }).resolvedOptions()
  const made = options.maximumFractionDigits ?? 2
  digits.set(code, made)
  return made
}
