import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { addPart, inOrder, movePart, partsAt, stepPart } from './arrange.ts'
import { emptyPart, mayStand, PART_KINDS, type PagePart, PLACES } from './parts.ts'

const part = (kind: PagePart['kind'], place = emptyPart(kind, kind).place, id: string = kind): PagePart =>
  ({ ...emptyPart(kind, id), place }) as PagePart
const ids = (parts: readonly PagePart[]) => parts.map(({ id, place }) => `${place}:${id}`)

const anyParts = fc
  .array(fc.constantFrom(...PART_KINDS.filter((kind) => kind !== 'opening')), { maxLength: 8 })
  .chain((kinds) =>
    fc.tuple(
      ...kinds.map((kind, index) =>
        fc
          .constantFrom(...PLACES.filter((place) => mayStand(kind, place)))
          .map((place) => part(kind, place, `p${index}`)),
      ),
    ),
  )
  .map((parts) => inOrder([part('opening'), ...parts]))

describe('moving a part', () => {
  it('puts it where it was put, and nothing else changes its order', () => {
    const parts = inOrder([part('opening'), part('text', 'above'), part('gets'), part('lessons'), part('teacher')])
    expect(ids(movePart(parts, 'gets', { place: 'beside', index: 1 }))).toEqual([
      'above:opening',
      'above:text',
      'beside:lessons',
      'beside:gets',
      'below:teacher',
    ])
    expect(ids(movePart(parts, 'gets', { place: 'above', index: 1 }))[1]).toBe('above:gets')
  })

  it('leaves all as it is where there is no such part, it may not stand there, or it is the opening', () => {
    const parts = inOrder([part('opening'), part('text', 'above'), part('questions', 'below')])
    expect(movePart(parts, 'nobody', { place: 'below', index: 0 })).toEqual(parts)
    expect(movePart(parts, 'questions', { place: 'beside', index: 0 })).toEqual(parts)
    expect(movePart(parts, 'opening', { place: 'below', index: 0 })).toEqual(parts)
  })

  it('keeps every part, at a place where it may stand, whatever is asked', () => {
    const asked = fc.tuple(anyParts, fc.nat(9), fc.constantFrom(...PLACES), fc.nat(9))
    fc.assert(
      fc.property(asked, ([parts, which, place, index]) => {
        const id = parts[which % parts.length]?.id ?? ''
        const moved = movePart(parts, id, { place, index })
        expect(moved.map((one) => one.id).sort()).toEqual(parts.map((one) => one.id).sort())
        for (const { kind, place: at } of moved) expect(mayStand(kind, at)).toBe(true)
        expect(inOrder(moved)).toEqual(moved)
        const others = (all: readonly PagePart[]) => ids(all.filter((one) => one.id !== id))
        expect(others(moved)).toEqual(others(parts))
      }),
    )
  })

  it('by steps goes past its neighbour, then into the next place, and stays at the end of the page', () => {
    let parts = inOrder([part('opening'), part('testimonials', 'below'), part('gets'), part('teacher')])
    const at = () => ids(parts).find((one) => one.endsWith('testimonials'))
    const seen: (string | undefined)[] = []
    for (let step = 0; step < 5; step++) {
      parts = stepPart(parts, 'testimonials', 'up')
      seen.push(`${at()} ${parts.findIndex(({ id }) => id === 'testimonials')}`)
    }
    expect(seen).toEqual([
      'beside:testimonials 2',
      'beside:testimonials 1',
      'above:testimonials 1',
      'above:testimonials 1',
      'above:testimonials 1',
    ])
  })

  it('of what may not stand beside the form passes that by', () => {
    const parts = inOrder([part('opening'), part('prices', 'above'), part('gets')])
    expect(ids(stepPart(parts, 'prices', 'down'))).toEqual(['above:opening', 'beside:gets', 'below:prices'])
  })

  it('one step up and one down lead back, but at the ends of the page', () => {
    fc.assert(
      fc.property(anyParts, fc.nat(9), (parts, which) => {
        const id = parts[which % parts.length]?.id ?? ''
        const down = stepPart(parts, id, 'down')
        if (ids(down).join() === ids(parts).join()) return
        expect(ids(stepPart(down, id, 'up'))).toEqual(ids(parts))
      }),
    )
  })
})

it('nothing stands above the opening but the logo', () => {
  const parts = inOrder([part('text', 'above'), part('logo'), part('opening'), part('countdown')])
  expect(partsAt(parts, 'above').map(({ id }) => id)).toEqual(['logo', 'opening', 'text', 'countdown'])
  expect(addPart([part('text', 'above')], part('opening')).map(({ id }) => id)).toEqual(['opening', 'text'])
})
