import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { sharesByWeights } from '../../testing/shares.ts'
import { split } from '../money/arithmetic.ts'
import { type BundledCourse, bundleProblems, newBundle, oneByOne, savingOf, weightOf } from './bundle.ts'
import { bundleChanges } from './changes.ts'

const known = (id: string, more: Partial<BundledCourse> = {}): BundledCourse => ({
  id,
  title: `Course ${id}`,
  isOnShelf: true,
  alone: { list: 12_900, now: 9900 },
  ...more,
})

describe('what a bundle saves', () => {
  it('is by the prices in force, in money and percent, rounded down', () => {
    const priced = [
      { alone: { list: 12_900, now: 9900 }, figure: null },
      { alone: { list: 4000, now: 4000 }, figure: null },
    ]
    expect(oneByOne(priced)).toEqual({ sum: 13_900, isTrue: true })
    expect(savingOf(13_900, 9900)).toEqual({ amount: 4000, percent: 28 })
    expect(savingOf(13_900, 13_900)).toBeNull()
    expect(savingOf(13_900, 14_000)).toBeNull()
    expect(savingOf(null, 100)).toBeNull()
  })

  it('is told to the creator by their figure, and not to buyers', () => {
    const one = { alone: null, figure: 5000 }
    expect(oneByOne([{ alone: { list: 100, now: 100 }, figure: null }, one])).toEqual({ sum: 5100, isTrue: false })
    expect(oneByOne([{ alone: null, figure: null }])).toEqual({ sum: null, isTrue: false })
    expect(oneByOne([])).toEqual({ sum: null, isTrue: false })
  })

  it('weighs by list prices; a figure counts only where there is no price', () => {
    expect(weightOf({ list: 12_900, now: 9900 }, 1)).toBe(12_900)
    expect(weightOf(null, 700)).toBe(700)
    expect(weightOf({ list: 0, now: 0 }, 700)).toBe(0)
    expect(weightOf(null, null)).toBeNull()
  })
})

describe('what stops a bundle', () => {
  const draft = newBundle('Three', 'spruce')
  const of = (...ids: string[]) => ({ ...draft, courses: ids.map((id) => ({ id, figure: null })) })

  it('is said at its course', () => {
    expect(bundleProblems(of('a'), [known('a')]).map(({ at }) => at)).toEqual(['/courses'])
    expect(bundleProblems(of('a', 'b'), [known('a'), known('b')])).toEqual([])
    const problems = bundleProblems(of('a', 'b', 'gone'), [
      known('a', { isOnShelf: false }),
      known('b', { alone: null }),
    ])
    expect(problems.map(({ at, courseId }) => [at, courseId])).toEqual([
      ['/courses/0/id', 'a'],
      ['/courses/1/figure', 'b'],
      ['/courses/2/id', 'gone'],
    ])
  })

  it('of all courses is only that they are too many', () => {
    const all = { ...draft, includesAll: true }
    const many = Array.from({ length: 200 }, (_, n) => known(String(n)))
    expect(bundleProblems(all, many)).toEqual([])
    expect(bundleProblems(all, [...many, known('x', { isOnShelf: false })])).toEqual([])
    expect(bundleProblems(all, [...many, known('x')]).map(({ at }) => at)).toEqual(['/includesAll'])
  })
})

it('what publishing changes is said in words', () => {
  const school = { currency: 'EUR', language: 'en', timeZone: 'UTC', taxMode: 'inclusive', taxRate: 0 } as const
  const format = { ...school, leaveOutZeros: false }
  const live = { ...newBundle('Three', 'spruce'), courses: [{ id: 'a', figure: null }] }
  const draft = { ...live, courses: [...live.courses, { id: 'b', figure: 700 }], coverId: 'x' }
  expect(bundleChanges(live, draft, format, (id) => `Course ${id}`)).toEqual([
    { what: 'Courses', from: 'Course a', to: 'Course a, Course b' },
    { what: 'What courses without a price are worth', from: null, to: 'Course b €7.00' },
    { what: 'Cover picture', from: null, to: 'the new one' },
  ])
  expect(bundleChanges(live, { ...live, includesAll: true }, format, String)).toEqual([
    { what: 'Courses', from: 'a', to: 'all courses, those to come included' },
  ])
})

describe('the share that is proposed to be refunded', () => {
  const weights = [12_900, 2400, 0]

  it('is what each payment was split into, less what went back for it', () => {
    expect(sharesByWeights([9900], weights, [0], [])).toBe(split(9900, weights)[0])
    expect(sharesByWeights([9900], weights, [2], [])).toBe(0)
    const first = sharesByWeights([3301, 3300], weights, [1], [])
    expect(sharesByWeights([3301, 3300], weights, [1], [{ amount: first, of: [1] }])).toBe(0)
    expect(sharesByWeights([3301, 3300], weights, [0], [{ amount: first, of: [1] }])).toBe(6601 - first)
  })

  it('of all courses is all that is left, whatever was given back before', () => {
    fc.assert(
      fc.property(
        fc.array(fc.nat(100_000), { minLength: 1, maxLength: 6 }),
        fc.array(fc.nat(50_000), { minLength: 1, maxLength: 5 }),
        fc.nat(100),
        (collected, of, percent) => {
          const sum = collected.reduce((all, amount) => all + amount, 0)
          const amount = Math.floor((sum * percent) / 100)
          const all = of.map((_, index) => index)
          expect(sharesByWeights(collected, of, all, [{ amount, of: null }])).toBe(sum - amount)
          const parts = all.map((index) => sharesByWeights(collected, of, [index], []))
          expect(parts.reduce((total, part) => total + part, 0)).toBe(sum)
        },
      ),
    )
  })
})
