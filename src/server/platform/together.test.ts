import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Together } from './together.ts'

const tick = () => new Promise<void>((done) => setImmediate(done))

/** A queue whose batches end when they are told to. */
function held(most: number) {
  const batches: { items: readonly number[]; end: () => void; fail: (error: Error) => void }[] = []
  const queue = new Together<number, number>(
    most,
    (items) =>
      new Promise((resolve, reject) => {
        batches.push({ items, end: () => resolve(items.map((item) => item * 10)), fail: reject })
      }),
  )
  return { queue, batches }
}

it('does what is asked alone at once, and what comes meanwhile in one batch after it', async () => {
  const { queue, batches } = held(10)
  const first = queue.ask(1)
  expect(batches.map(({ items }) => items)).toEqual([[1]])
  const others = [queue.ask(2), queue.ask(3), queue.ask(4)]
  expect(batches).toHaveLength(1)
  batches[0]?.end()
  expect(await first).toBe(10)
  await tick()
  expect(batches.map(({ items }) => items)).toEqual([[1], [2, 3, 4]])
  batches[1]?.end()
  expect(await Promise.all(others)).toEqual([20, 30, 40])
})

it('does no more in a batch than it may', async () => {
  const { queue, batches } = held(2)
  const all = [1, 2, 3, 4, 5, 6].map((item) => queue.ask(item))
  for (let batch = 0; batch < 4; batch++) {
    await tick()
    batches[batch]?.end()
  }
  await Promise.all(all)
  expect(batches.map(({ items }) => items)).toEqual([[1], [2, 3], [4, 5], [6]])
})

it('what fails fails for those of its batch alone', async () => {
  const { queue, batches } = held(10)
  const first = queue.ask(1)
  const second = queue.ask(2)
  batches[0]?.fail(new Error('away'))
  await expect(first).rejects.toThrow('away')
  await tick()
  batches[1]?.end()
  expect(await second).toBe(20)
  const third = queue.ask(3)
  batches[2]?.end()
  expect(await third).toBe(30)
})

it('of a batch that fails each is done by itself, and whose fault it is alone fails', async () => {
  const seen: (readonly number[])[] = []
  const queue = new Together<number, number>(10, async (items) => {
    seen.push(items)
    await tick()
    if (items.includes(3)) throw new Error('three')
    return items.map((item) => item * 10)
  })
  const all = await Promise.allSettled([1, 2, 3, 4].map((item) => queue.ask(item)))
  expect(all.map((one) => (one.status === 'fulfilled' ? one.value : String(one.reason)))).toEqual([
    10,
    20,
    'Error: three',
    40,
  ])
  expect(seen).toEqual([[1], [2, 3, 4], [2], [3], [4]])
  expect(await queue.ask(5)).toBe(50)
})

describe('whatever comes whenever', () => {
  it('each gets its own answer, once, and all are done in the order in which they came', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.nat({ max: 3 }), { maxLength: 40 }),
        fc.integer({ min: 1, max: 6 }),
        async (pauses, most) => {
          const done: number[] = []
          const queue = new Together<number, number>(most, async (items) => {
            await tick()
            done.push(...items)
            return items.map((item) => item + 1000)
          })
          const answers: Promise<number>[] = []
          for (const [item, pause] of pauses.entries()) {
            answers.push(queue.ask(item))
            for (let n = 0; n < pause; n++) await tick()
          }
          expect(await Promise.all(answers)).toEqual(pauses.map((_, item) => item + 1000))
          expect(done).toEqual(pauses.map((_, item) => item))
        },
      ),
      { numRuns: 60 },
    )
  })
})
