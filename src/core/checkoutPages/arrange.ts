import { mayStand, type PagePart, PLACES, type Place } from './parts.ts'

/** The parts of one place, in their order. */
export function partsAt(parts: readonly PagePart[], place: Place): PagePart[] {
  return parts.filter((part) => part.place === place)
}

/**
 * All parts in the order of their places: the order in which a phone shows them, but for the form. The opening is the
 * page's head: nothing stands above it but the logo.
 */
export function inOrder(parts: readonly PagePart[]): PagePart[] {
  return PLACES.flatMap((place) => (place === 'above' ? headFirst(partsAt(parts, place)) : partsAt(parts, place)))
}

function headFirst(above: PagePart[]): PagePart[] {
  const opening = above.find(({ kind }) => kind === 'opening')
  if (!opening) return above
  const before = above.slice(0, above.indexOf(opening)).filter(({ kind }) => kind === 'logo')
  const head = [...before, opening]
  return [...head, ...above.filter((part) => !head.includes(part))]
}

/**
 * Moves a part to a place, before what stands there at `index`. Where it may not stand there, everything stays as it is;
 * so does the opening, which stands first.
 * @param index counted without the part itself.
 */
export function movePart(parts: readonly PagePart[], id: string, to: { place: Place; index: number }): PagePart[] {
  const part = parts.find((one) => one.id === id)
  if (!part || part.kind === 'opening' || !mayStand(part.kind, to.place)) return inOrder(parts)
  const others = parts.filter((one) => one !== part)
  const moved = PLACES.flatMap((place) => {
    const here = partsAt(others, place)
    return place === to.place ? here.toSpliced(to.index, 0, { ...part, place }) : here
  })
  return inOrder(moved)
}

/**
 * Moves a part one step up or down: past its neighbour, or from the edge of its place into the next one in which it may
 * stand. At the edge of the page it stays.
 */
export function stepPart(parts: readonly PagePart[], id: string, step: 'up' | 'down'): PagePart[] {
  const part = parts.find((one) => one.id === id)
  if (!part) return inOrder(parts)
  const here = partsAt(parts, part.place)
  const index = here.indexOf(part)
  const isAtEdge = step === 'up' ? index === 0 : index === here.length - 1
  if (!isAtEdge) return movePart(parts, id, { place: part.place, index: step === 'up' ? index - 1 : index + 1 })
  const from = PLACES.indexOf(part.place)
  const onward = step === 'up' ? PLACES.slice(0, from).reverse() : PLACES.slice(from + 1)
  const place = onward.find((one) => mayStand(part.kind, one))
  if (!place) return inOrder(parts)
  return movePart(parts, id, { place, index: step === 'up' ? partsAt(parts, place).length : 0 })
}

/** Adds a part at the end of its place; an opening stands first. */
export function addPart(parts: readonly PagePart[], part: PagePart): PagePart[] {
  return inOrder(part.kind === 'opening' ? [part, ...parts] : [...parts, part])
}
