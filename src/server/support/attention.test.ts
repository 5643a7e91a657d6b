import { eq } from 'drizzle-orm'
import { expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { collectAgreement } from '../collecting/collect.ts'
import { agreements, messages } from '../db/schema/index.ts'
import { sendMessage } from '../messages/send.ts'
import { setNotifications } from '../outbox/notifications.ts'
import { needsAttention } from './attention.ts'

const world = ownWorld()

const DAY = 86_400_000
const parts = {
  kind: 'installments',
  count: 3,
  every: { count: 1, unit: 'month' },
  amount: null,
  total: 12_900,
  deposit: null,
  trial: null,
} as const
const kinds = async () => (await needsAttention(world.services, 'practice')).map(({ kind }) => kind)

it('a late payment, its stop, a transfer that does not come and a dispute are listed until they are dealt with', async () => {
  const { transfer } = await world.connectOthers()
  expect(await kinds()).toEqual([])
  const course = await world.sell(parts, 'Late')
  const placed = await world.buy(
    course.slug,
    world.request(course.offerId, 4300, { email: 'late@post.example' }, 'pays-once'),
  )
  const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, placed.orderId))
  const collect = () => collectAgreement(world.services, agreement?.id as string)
  world.clock.offsetMs += 32 * DAY
  await collect()
  const [late] = await needsAttention(world.services, 'practice')
  expect(late).toMatchObject({ kind: 'late', amount: 4300, orderId: placed.orderId, why: 'not-enough-money' })
  expect(late?.next).not.toBeNull()
  for (const days of [1, 2, 4]) {
    world.clock.offsetMs += days * DAY
    await collect()
  }
  expect(await kinds()).toEqual(['stopped'])

  const other = await world.sell(12_900, 'Waits')
  const waiting = world.request(other.offerId, 12_900, {
    email: 'waits@post.example',
    payment: { connectionId: transfer, token: '' },
  })
  await world.buy(other.slug, waiting)
  expect(await kinds()).toEqual(['stopped'])
  world.clock.offsetMs += 8 * DAY
  expect(await kinds()).toEqual(['stopped', 'transfer'])
  expect((await needsAttention(world.services, 'live')).length).toBe(0)
})

it('what is told goes to the creator too; switched off, nobody is told, and the journal says so', async () => {
  const rows = await world.db.select().from(messages).orderBy(messages.createdAt)
  const notified = rows.filter(({ kind }) => kind.startsWith('creator-'))
  expect(notified.map(({ kind }) => kind)).toEqual([
    'creator-sold',
    'creator-declined',
    'creator-stopped',
    'creator-awaiting',
  ])
  const sent: { to: string; subject: string; text: string }[] = []
  const post = async (email: { to: string; subject: string; text: string }) => void sent.push(email)
  await sendMessage(world.services, notified[2]?.id as string, post)
  expect(sent[0]).toMatchObject({
    to: 'owner@school.example',
    subject: 'Ada: payments for Late have stopped (practice)',
  })

  await setNotifications(world.services, {
    notifications: {
      receipt: { isOn: true, ownWords: 'See you in class.' },
      stopped: { isOn: false, ownWords: '' },
    } as never,
  })
  const byKind = (kind: string) => rows.find((row) => row.kind === kind)?.id as string
  await sendMessage(world.services, byKind('receipt'), post)
  expect(sent[1]?.text).toContain('See you in class.')
  await sendMessage(world.services, byKind('stopped'), post)
  expect(sent).toHaveLength(2)
  const dropped = await world.db.query.messages.findFirst({ where: (row, { eq: is }) => is(row.kind, 'stopped') })
  expect(dropped?.state).toBe('dropped')
  expect(await world.journalOf(dropped?.orderId as string)).toContain('message-off')
})
