/** Letters and figures of a reference beside its prefix and check digits (ISO 11649). */
const MAX_LISTED = 21

/**
 * The creditor reference of a text by ISO 11649: RF, two check digits (mod 97-10), and the text in capitals.
 * @throws RangeError where the text is not 1 to 21 letters and figures.
 * @example creditorReference('ORDER1042') // 'RF74ORDER1042'
 */
export function creditorReference(text: string): string {
  const plain = text.toUpperCase()
  if (!/^[0-9A-Z]+$/.test(plain) || plain.length > MAX_LISTED) {
    throw new RangeError(`“${text}” cannot be a creditor reference.`)
  }
  return `RF${String(98 - mod97(`${plain}RF00`)).padStart(2, '0')}${plain}`
}

/** Whether something written, spaces or not, is a creditor reference whose check digits fit. */
export function isCreditorReference(written: string): boolean {
  const plain = written.replace(/\s/g, '').toUpperCase()
  return /^RF\d\d[0-9A-Z]{1,21}$/.test(plain) && mod97(plain.slice(4) + plain.slice(0, 4)) === 1
}

/**
 * A reference or an IBAN in groups of four, as it is printed.
 * @example inGroups('RF18539007547034') // 'RF18 5390 0754 7034'
 */
export function inGroups(plain: string): string {
  return plain.replace(/(.{4})(?=.)/g, '$1 ')
}

/** Letters count as 10 to 35 (ISO 7064). */
function mod97(text: string): number {
  let rest = 0
  for (const sign of text) {
    const value = Number.parseInt(sign, 36)
    rest = (rest * (value > 9 ? 100 : 10) + value) % 97
  }
  return rest
}
