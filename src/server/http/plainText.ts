import type { MiddlewareHandler } from 'hono'
import type { FieldError } from './problem.ts'
import { Problem } from './problem.ts'

/** What PostgreSQL cannot keep as text: NUL, and half a surrogate pair. */
const UNSTORABLE = /\0|\p{Surrogate}/u
const REPLACED = /\0|\p{Surrogate}/gu
/** Nothing that the product asks for nests deeper. */
const MAX_DEPTH = 40

function isStorable(text: string): boolean {
  return !UNSTORABLE.test(text)
}

/** A text with what cannot be kept replaced by U+FFFD, for what must be kept though it is not ours. */
export function storable(text: string): string {
  return text.replace(REPLACED, '\uFFFD')
}

/**
 * The text of a JSON document whose names and strings can be kept; one that nests deeper than a database can take
 * becomes one string.
 */
export function storableJson(json: string): string {
  const document: unknown = JSON.parse(json)
  if (isTooDeep(document)) return JSON.stringify(storable(json))
  // Written anew, whole pairs stand as they are, and only what cannot be kept is escaped by its number.
  return JSON.stringify(document).replace(/(?<!\\)((?:\\\\)*)\\u(?:0000|d[89a-f]..)/gi, '$1\uFFFD')
}

/** Without recursion, which a document could exhaust. */
function isTooDeep(document: unknown): boolean {
  const open = [{ value: document, depth: 0 }]
  for (let next = open.pop(); next; next = open.pop()) {
    const { value, depth } = next
    if (depth > MAX_DEPTH) return true
    if (typeof value !== 'object' || value === null) continue
    for (const inner of Object.values(value)) open.push({ value: inner, depth: depth + 1 })
  }
  return false
}

/**
 * The texts of a JSON document that cannot be kept, by their pointers.
 * @throws Problem 400 where it nests deeper than anything that is asked for.
 */
export function unstorableTexts(document: unknown): FieldError[] {
  const found: FieldError[] = []
  const open: { value: unknown; at: string; depth: number }[] = [{ value: document, at: '', depth: 0 }]
  for (let next = open.pop(); next; next = open.pop()) {
    const { value, at, depth } = next
    if (depth > MAX_DEPTH) throw new Problem(400, 'bad-request', 'This document nests too deep.')
    if (typeof value === 'string' && !isStorable(value)) {
      found.push({ at, why: 'This text contains characters that cannot be stored. Type it again.' })
    }
    if (typeof value !== 'object' || value === null) continue
    for (const [key, inner] of Object.entries(value)) {
      if (!isStorable(key)) throw new Problem(400, 'bad-request', 'A name in this document cannot be stored.')
      open.push({ value: inner, at: `${at}/${key.replaceAll('~', '~0').replaceAll('/', '~1')}`, depth: depth + 1 })
    }
  }
  return found
}

/** Refuses addresses, their queries too, that hold what cannot be kept. */
export function plainAddresses(): MiddlewareHandler {
  return async (c, next) => {
    if (/%00/.test(c.req.url) || c.req.url.includes('\0')) {
      throw new Problem(400, 'bad-request', 'This address cannot be read.')
    }
    await next()
  }
}
