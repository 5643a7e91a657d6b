import { and, eq, sql } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY } from '../../testing/terms.ts'
import { agreementsDue, collectAgreement, collectAgreements } from '../collecting/collect.ts'
import { agreements, attempts, connections, upkeep } from '../db/schema/index.ts'
import { connectGateway } from '../gateways/service.ts'
import { needsAttention } from '../support/attention.ts'
import { isClockTrusted } from './clock.ts'
import type { Services } from './context.ts'

/** The process's clock against the database's, which tests keep apart: their day is their own. */
const world = ownWorld()
const HOUR_MS = 3_600_000

/** The services of a process whose clock differs from the database's by so much. */
async function aheadBy(ms: number): Promise<Services> {
  const { rows } = await world.db.execute<{ at: number }>(sql`select (extract(epoch from now()) * 1000)::float8 as at`)
  const offset = Number(rows[0]?.at) - Date.now() + ms
  const config = { ...world.services.config, clockTolerance: 3600 }
  return { ...world.services, config, now: () => new Date(Date.now() + offset) }
}

describe('a clock', () => {
  it.each([
    [0, true],
    [0.9, true],
    [-0.9, true],
    [1.1, false],
    [-1.1, false],
    [24, false],
    [-24, false],
  ])('that is %d hours ahead is trusted: %s', async (hours, isTrusted) => {
    expect(await isClockTrusted(await aheadBy(hours * HOUR_MS))).toBe(isTrusted)
  })

  it.each([24, -24])(
    'that jumps by %d hours collects nothing in Live, says so, and goes on once it is right',
    async (hours) => {
      const { id, keys } = world.standins.account
      const [there] = await world.db.select().from(connections).where(eq(connections.mode, 'live'))
      if (!there) await connectGateway(world.services, 'live', { adapter: 'thistle', account: id, secret: keys.live })
      const [live] = await world.db.select().from(connections).where(eq(connections.mode, 'live'))
      const { token } = world.standins.books.tokenise(id, 'live', '9710223044004821')
      const course = await world.sell(MONTHLY, `Jumps ${hours}`)
      const payment = { connectionId: live?.id as string, token }
      const request = world.request(course.offerId, 1900, { email: `jumps${hours}@post.example`, payment })
      const { orderId } = await world.buy(course.slug, request, `jumps ${hours}`, 'live')
      const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
      const agreementId = agreement?.id as string
      // Its next payment is due by either clock.
      await world.db.update(agreements).set({ nextTry: '2020-01-01' }).where(eq(agreements.id, agreementId))
      const tries = () => world.db.$count(attempts, and(eq(attempts.orderId, orderId), eq(attempts.madeBy, 'worker')))
      const jumped = await aheadBy(hours * HOUR_MS)
      expect(await agreementsDue(jumped, 'live')).toEqual([])
      await collectAgreement(jumped, agreementId)
      expect((await collectAgreements(jumped, [agreementId])).size).toBe(0)
      expect(await tries()).toBe(0)
      const clock = async () => (await needsAttention(jumped, 'live')).filter(({ kind }) => kind === 'clock')
      expect(await clock()).toMatchObject([
        { why: expect.stringContaining(`24 hours ${hours > 0 ? 'ahead' : 'behind'}`) },
      ])
      expect((await needsAttention(jumped, 'practice')).filter(({ kind }) => kind === 'clock')).toEqual([])
      // Practice has a clock of its own anyway.
      expect(await agreementsDue(jumped, 'practice')).toEqual(expect.any(Array))
      const right = await aheadBy(0)
      expect(await agreementsDue(right, 'live')).toContain(agreementId)
      expect(await clock()).toEqual([])
      expect(await world.db.$count(upkeep, eq(upkeep.name, 'clock'))).toBe(0)
    },
  )
})
