/**
 * Whether two contents mean the same: the order of their fields does not count, and a field that is null is as good as
 * one that is not there. In the database fields have an order of their own.
 * @example isSame({ sale: null, name: 'One' }, { name: 'One' }) // true
 */
export function isSame(one: unknown, other: unknown): boolean {
  if (one === other) return true
  if (isNothing(one) || isNothing(other)) return isNothing(one) && isNothing(other)
  if (typeof one !== 'object' || typeof other !== 'object') return false
  if (Array.isArray(one) || Array.isArray(other)) {
    return (
      Array.isArray(one) &&
      Array.isArray(other) &&
      one.length === other.length &&
      one.every((each, index) => isSame(each, other[index]))
    )
  }
  const [left, right] = [one as Record<string, unknown>, other as Record<string, unknown>]
  return [...new Set([...Object.keys(left), ...Object.keys(right)])].every((key) => isSame(left[key], right[key]))
}

const isNothing = (value: unknown): value is null | undefined => value === null || value === undefined
