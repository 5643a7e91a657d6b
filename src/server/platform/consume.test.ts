import { afterEach, describe, expect, it } from 'vitest'
import { eventually } from '../../testing/world.ts'
import { type Consumer, consume, handlerOf } from './consume.ts'
import type { JobSource } from './jobs.ts'

/** A queue in memory that can be away. */
function queue(ids: string[]) {
  const waiting = [...ids]
  const done: string[] = []
  const failed: string[] = []
  const state = { isAway: false, asked: 0 }
  const answer = <T>(value: () => T): Promise<T> => {
    state.asked++
    return state.isAway ? Promise.reject(new Error('connect ECONNREFUSED')) : Promise.resolve(value())
  }
  const source: JobSource = {
    due: () => answer(() => (waiting.length > 0 ? ['purge'] : [])),
    take: (name, atMost) =>
      answer(() => waiting.splice(0, atMost).map((id) => ({ id, name, data: {} as never, tries: 1 }))),
    complete: (all) => answer(() => void done.push(...all)),
    fail: ({ id }) => answer(() => void failed.push(id)),
  }
  return { source, waiting, done, failed, state }
}

const rejections: unknown[] = []
process.on('unhandledRejection', (error) => rejections.push(error))
const consumers: Consumer[] = []
afterEach(async () => {
  await Promise.all(consumers.splice(0).map(({ stop }) => stop()))
  expect(rejections).toEqual([])
})
const work = (source: JobSource, handle: (ids: string[]) => Promise<ReadonlyMap<string, unknown>>, batch = 2) =>
  consumers.push(
    consume(source, [handlerOf('purge', batch, (jobs) => handle(jobs.map(({ id }) => id)))], {
      poll: 1,
      first: 1,
      most: 4,
    }),
  )

describe('a consumer', () => {
  it('does all there is, and says what failed alone', async () => {
    const { source, done, failed } = queue(['a', 'b', 'c', 'd', 'e'])
    work(source, async (ids) => new Map(ids.filter((id) => id === 'c').map((id) => [id, new Error('no')])))
    await eventually(async () => done.length + failed.length === 5)
    expect([done, failed]).toEqual([['a', 'b', 'd', 'e'], ['c']])
  })

  it('outlives a queue that is away while it fetches', async () => {
    const { source, done, state } = queue(['a'])
    state.isAway = true
    work(source, async () => new Map())
    await eventually(async () => state.asked > 5)
    expect(done).toEqual([])
    state.isAway = false
    await eventually(async () => done.length === 1)
  })

  it('says what was done, or failed, as soon as the queue is back', async () => {
    const { source, done, failed, state } = queue(['a', 'b', 'c'])
    let times = 0
    work(source, async (ids) => {
      times++
      state.isAway = times === 1
      return new Map(ids.filter((id) => id === 'b').map((id) => [id, new Error('no')]))
    })
    await eventually(async () => state.asked > 6)
    expect([done, failed, times]).toEqual([[], [], 1])
    state.isAway = false
    await eventually(async () => done.length === 2)
    expect([done, failed, times]).toEqual([['a', 'c'], ['b'], 2])
  })

  it('goes on after work that throws', async () => {
    const { source, done, failed } = queue(['a', 'b', 'c'])
    let times = 0
    work(source, async () => {
      times++
      if (times === 1) throw new Error('all of it')
      return new Map()
    })
    await eventually(async () => done.length === 1)
    expect(failed.sort()).toEqual(['a', 'b'])
  })

  it('ends when it is stopped, also while the queue is away, and fetches nothing more', async () => {
    const { source, state } = queue([])
    state.isAway = true
    work(source, async () => new Map())
    await eventually(async () => state.asked > 2)
    await consumers.splice(0)[0]?.stop()
    const { asked } = state
    await new Promise((resolve) => setTimeout(resolve, 30))
    expect(state.asked).toBe(asked)
  })
})
