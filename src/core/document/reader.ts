/**
 * Reads untrusted JSON field by field and names the field at fault by its RFC 6901 pointer.
 * Null and absent are alike (pricing rules, section 1); fields that nobody asked for are errors,
 * so that a misspelt field is never a silent zero.
 */

/** Input that breaks a rule; `at` is the RFC 6901 pointer of the field at fault. */
export class DocumentError extends Error {
  constructor(
    readonly at: string,
    readonly why: string,
  ) {
    super(`${at || '(the document)'}: ${why}`)
    this.name = 'DocumentError'
  }
}

export function fail(at: string, why: string): never {
  throw new DocumentError(at, why)
}

/** A pointer to `key` below `at`. */
export function below(at: string, key: string | number): string {
  return `${at}/${typeof key === 'number' ? key : key.replaceAll('~', '~0').replaceAll('/', '~1')}`
}

export type Fields = Record<string, unknown>

/** An object that holds none but the `known` fields. */
export function readObject(value: unknown, at: string, known: ReadonlySet<string>): Fields {
  if (value === undefined || value === null) fail(at, 'is missing')
  if (typeof value !== 'object' || Array.isArray(value)) fail(at, 'must be an object')
  for (const key of Object.keys(value)) {
    if (!known.has(key)) fail(below(at, key), 'is not a known field')
  }
  return value as Fields
}

/** Refuses fields that exist elsewhere but not here, unless they are null. */
export function refuseFields(fields: Fields, at: string, names: readonly string[], why: string) {
  for (const name of names) if (isGiven(fields[name])) fail(below(at, name), why)
}

export function isGiven(value: unknown): boolean {
  return value !== undefined && value !== null
}

export function readArray(value: unknown, at: string, least: number, most: number): unknown[] {
  if (!isGiven(value)) {
    if (least === 0) return []
    fail(at, 'is missing')
  }
  if (!Array.isArray(value)) fail(at, 'must be a list')
  if (value.length < least) fail(at, `must hold at least ${least}`)
  if (value.length > most) fail(at, `must hold at most ${most}`)
  return value
}

export function readText(value: unknown, at: string): string {
  if (!isGiven(value)) fail(at, 'is missing')
  if (typeof value !== 'string') fail(at, 'must be text')
  return value
}

export function readChoice<const T extends string>(value: unknown, at: string, choices: readonly T[]): T {
  if (!isGiven(value)) fail(at, 'is missing')
  if (!choices.includes(value as T)) fail(at, `must be one of ${choices.join(', ')}`)
  return value as T
}

/** A whole number in a range; absent counts as `absent`, which is still held against the range. */
export function readWhole(value: unknown, at: string, least: number, most: number, absent = 0): number {
  const number = isGiven(value) ? value : absent
  if (typeof number !== 'number' || !Number.isInteger(number)) fail(at, 'must be a whole number')
  if (number < least) fail(at, isGiven(value) ? `must be at least ${least}` : 'is missing')
  if (number > most) fail(at, `must be at most ${most}`)
  return number + 0
}

export function readOptionalWhole(value: unknown, at: string, least: number, most: number): number | null {
  return isGiven(value) ? readWhole(value, at, least, most) : null
}

export function readFlag(value: unknown, at: string): boolean {
  if (!isGiven(value)) return false
  if (typeof value !== 'boolean') fail(at, 'must be true or false')
  return value
}
