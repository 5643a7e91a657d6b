import * as v from 'valibot'
import { LARGEST_AMOUNT } from '../../core/money/arithmetic.ts'

/** What PostgreSQL's `integer` holds. */
const MAX_INTEGER = 2_147_483_647

/** The revision of a draft that was edited from. */
export const revisionSchema = v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(MAX_INTEGER))

/** An amount in minor units, from `least` to the largest that may be given (pricing rules, section 1). */
export function amountSchema(least: number, missing: string, tooSmall: string) {
  return v.pipe(
    v.number(missing),
    v.integer(missing),
    v.minValue(least, tooSmall),
    v.maxValue(LARGEST_AMOUNT, 'This amount is too large.'),
  )
}
