import type { PagePart } from './parts.ts'

/** A new entry for each list of a part. */
const ENTRIES = {
  lines: () => '',
  people: (id: string) => ({ id, words: '', name: '', role: '', picture: null }),
  list: (id: string) => ({ id, question: '', answer: '' }),
} as const
export type ListName = keyof typeof ENTRIES

/**
 * A part with another value at one place in it: `title`, `lines/0`, `people/1/words`. Everything else stays the same
 * object, so that only what changed is drawn anew.
 * @throws RangeError where the part has no such place.
 */
export function setAt<P extends PagePart>(part: P, at: string, value: unknown): P {
  return set(part, at.split('/'), value, at) as P
}

function set(of: unknown, [key, ...rest]: string[], value: unknown, at: string): unknown {
  if (key === undefined) return value
  if (Array.isArray(of) && Number(key) < of.length) {
    return of.map((entry, index) => (index === Number(key) ? set(entry, rest, value, at) : entry))
  }
  if (typeof of === 'object' && of !== null && Object.hasOwn(of, key)) {
    return { ...of, [key]: set((of as Record<string, unknown>)[key], rest, value, at) }
  }
  throw new RangeError(`This part has no ${at}.`)
}

/** A part with one more entry in a list of it: before the one at `index`, or at the end. */
export function addEntry<P extends PagePart>(part: P, list: ListName, id: string, index?: number): P {
  const entries = listOf(part, list)
  return setAt(part, list, entries.toSpliced(index ?? entries.length, 0, ENTRIES[list](id)))
}

export function removeEntry<P extends PagePart>(part: P, list: ListName, index: number): P {
  return setAt(part, list, listOf(part, list).toSpliced(index, 1))
}

/** A part with an entry one place further up. */
export function raiseEntry<P extends PagePart>(part: P, list: ListName, index: number): P {
  if (index <= 0) return part
  const entries = listOf(part, list)
  return setAt(part, list, entries.toSpliced(index, 1).toSpliced(index - 1, 0, entries[index]))
}

function listOf(part: PagePart, list: ListName): readonly unknown[] {
  const entries = (part as unknown as Record<string, unknown>)[list]
  if (!Array.isArray(entries)) throw new RangeError(`This part has no ${list}.`)
  return entries
}
