import { inOrder } from '../../core/checkoutPages/arrange.ts'
import { mayStand, type PagePart, PLACES, type Place } from '../../core/checkoutPages/parts.ts'

/** Where a part was put down in the list. */
export interface Dropped {
  id: string
  place: Place
  /** Counted without the part itself. */
  index: number
  /** Whether a part of its kind may stand there. */
  isAllowed: boolean
}

/** The rows of the list among which parts are moved: the name of each place, and below it its parts. */
export function rowsOf(parts: readonly PagePart[]): string[] {
  return PLACES.flatMap((place) => [
    `place:${place}`,
    ...inOrder(parts).flatMap((part) => (part.place === place ? [part.id] : [])),
  ])
}

/** Where a part stands after its row was moved. What is put above the first name is first of all. */
export function dropped(parts: readonly PagePart[], rows: readonly string[], id: string): Dropped {
  const before = rows.slice(0, rows.indexOf(id))
  const head = before.findLastIndex((row) => row.startsWith('place:'))
  const place = (before[head]?.slice('place:'.length) ?? PLACES[0]) as Place
  const part = parts.find((one) => one.id === id)
  return {
    id,
    place,
    index: head < 0 ? 0 : before.length - head - 1,
    isAllowed: part ? mayStand(part.kind, place) : false,
  }
}
