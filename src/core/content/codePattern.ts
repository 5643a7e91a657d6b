import { MAX_LENGTH, MIN_LENGTH } from './coupon.ts'

/** Letters and digits that nobody confuses when a code is read from paper: no 0 and O, no 1, I and L, no U for V. */
export const CODE_ALPHABET = '23456789ABCDEFGHJKMNPQRSTVWXYZ'

/** Takes the lowest five bits of a byte: 32 values, of which those beyond the alphabet are not used. */
const FIVE_BITS = 31

/**
 * A single-use code made of random bytes, each symbol as likely as any other.
 * @param randomBytes gives so many bytes of a secure source. @param length of what follows the prefix.
 * @throws RangeError where the length is none that a set may have.
 */
export function codeOf(prefix: string, length: number, randomBytes: (count: number) => Uint8Array): string {
  if (length < MIN_LENGTH || length > MAX_LENGTH) throw new RangeError(`A code of ${length} is not made.`)
  let code = ''
  while (code.length < length) {
    for (const byte of randomBytes(2 * length)) {
      const symbol = CODE_ALPHABET[byte & FIVE_BITS]
      if (symbol !== undefined && code.length < length) code += symbol
    }
  }
  return `${prefix.toUpperCase()}${code}`
}
