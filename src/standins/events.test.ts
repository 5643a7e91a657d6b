import { Hono } from 'hono'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { listen } from '../testing/standins.ts'
import { eventually } from '../testing/world.ts'
import { EventSender } from './events.ts'
import { GOOD_WEATHER, type World } from './world.ts'

const SECRET = `whsec_${Buffer.from('a secret of twenty-four').toString('base64')}`
let url: string
let close: () => void
let received: { id: string; type: string }[] = []
let answers: number[] = []

beforeAll(async () => {
  const app = new Hono().post('/', async (c) => {
    const { type } = (await c.req.json()) as { type: string }
    received.push({ id: c.req.header('webhook-id') ?? '', type })
    return c.json({}, (answers.shift() ?? 200) as 200)
  })
  const { origin, server } = await listen(app.fetch)
  url = origin
  close = () => void server.close()
})
afterAll(() => close())
beforeEach(() => {
  received = []
  answers = []
})

const sender = (world: Partial<World> = {}) => new EventSender({ ...GOOD_WEATHER, ...world })
const send = (events: EventSender, ...types: string[]) => {
  for (const type of types) events.send({ url, signingSecret: SECRET }, type, {})
}
const types = () => received.map(({ type }) => type)

describe('events', () => {
  it('arrive once, and the console shows the answer', async () => {
    const events = sender()
    send(events, 'a')
    await eventually(async () => events.log[0]?.answer === '200')
    expect(types()).toEqual(['a'])
  })

  it('doubled, arrive twice with one id', async () => {
    send(sender({ eventsDoubled: true }), 'a')
    await eventually(async () => received.length === 2)
    expect(new Set(received.map(({ id }) => id)).size).toBe(1)
  })

  it('lost, never arrive, and the console says so', async () => {
    const events = sender({ eventsLost: true })
    send(events, 'a')
    await new Promise((resolve) => setTimeout(resolve, 60))
    expect(received).toEqual([])
    expect(events.log[0]?.answer).toBe('lost on purpose')
  })

  it('reordered, arrive two at a time the wrong way round', async () => {
    send(sender({ eventsReordered: true }), 'a', 'b', 'c')
    await eventually(async () => received.length === 2)
    expect(types()).toContain('a')
    expect(types()).toContain('b')
    expect(types()).not.toContain('c')
  })

  it('one held back comes when the order is kept again', async () => {
    const world = { ...GOOD_WEATHER, eventsReordered: true }
    const events = new EventSender(world)
    send(events, 'a')
    world.eventsReordered = false
    send(events, 'b')
    await eventually(async () => received.length === 2)
    expect(types().sort()).toEqual(['a', 'b'])
  })

  it('not taken, are sent again with the same id', async () => {
    answers = [500, 200]
    const events = sender()
    send(events, 'a')
    await eventually(async () => received.length === 2)
    expect(received[0]?.id).toBe(received[1]?.id)
    events.stop()
  })

  it('refused for their signature, are not sent again', async () => {
    answers = [401]
    const events = sender()
    send(events, 'a')
    await eventually(async () => events.log[0]?.answer === '401')
    await new Promise((resolve) => setTimeout(resolve, 1300))
    expect(received).toHaveLength(1)
  })
})
