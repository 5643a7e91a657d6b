import { asc, eq } from 'drizzle-orm'
import { beforeAll, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { messages } from '../db/schema/index.ts'
import { sendMessage } from '../messages/send.ts'
import { schoolDay } from '../school/service.ts'
import { giveSurplusBack, recordTransferReceived } from './marks.ts'

const world = ownWorld()
let transfer = ''
beforeAll(async () => {
  transfer = (await world.connectOthers()).transfer
})

async function ordered(name: string) {
  const { offerId, slug } = await world.sell(7900, name)
  const payment = { connectionId: transfer, token: '' }
  const email = `${name.toLowerCase()}@transfers.example`
  return (await world.buy(slug, world.request(offerId, 7900, { email, payment }), name)).orderId
}
const came = async (orderId: string, amount: number, more = {}) =>
  recordTransferReceived(world.services, 'practice', orderId, {
    ...{ amount, day: await schoolDay(world.services), note: '', ...more },
  })

/** What was written about an order by kind, composed now; empty where it is no longer true. */
async function written(orderId: string) {
  const rows = await world.db
    .select()
    .from(messages)
    .where(eq(messages.orderId, orderId))
    .orderBy(asc(messages.createdAt), asc(messages.kind))
  const texts = new Map<string, { text: string; html: string; subject: string; to: string }>()
  for (const { id, kind } of rows) await sendMessage(world.services, id, async (email) => void texts.set(kind, email))
  return texts
}

it('the creator is told of an order by transfer; its message asks for the reference once, and is whole as plain text', async () => {
  const orderId = await ordered('Folding')
  const texts = await written(orderId)
  expect([...texts.keys()]).toEqual(['awaiting', 'creator-awaiting'])
  const { number } = (await world.orderOf(orderId)) ?? {}
  expect(texts.get('creator-awaiting')).toMatchObject({
    subject: 'Ada ordered Folding by bank transfer: €79.00 (practice)',
    to: 'owner@school.example',
  })
  const { text = '', html = '' } = texts.get('awaiting') ?? {}
  const reference = /Reference: (RF.+)/.exec(text)?.[1]
  expect(reference?.replaceAll(' ', '')).toMatch(new RegExp(`P${number}$`))
  expect(texts.get('creator-awaiting')?.text).toContain(`The reference is ${reference}.`)
  expect(text.match(/write the reference/gi)).toHaveLength(1)
  expect(text).not.toContain('Or scan this')
  expect(html).toContain('Or scan this')
})

it('who sent too little is told what is missing, and once the rest came, no more', async () => {
  const orderId = await ordered('Sewing')
  await came(orderId, 5000)
  const part = (await written(orderId)).get('transfer-part')
  expect(part?.subject).toContain('€29.00 still to be transferred')
  expect(part?.text).toContain('€50.00 of €79.00 for “Sewing” has been received. €29.00 is still missing.')
  expect(part?.text).toContain('Amount: €29.00')
  await came(orderId, 1000)
  await came(orderId, 1900)
  // It waited to be sent until all was there.
  expect([...(await written(orderId)).keys()].filter((kind) => kind.startsWith('transfer'))).toEqual([])
})

it('who sent too much is told what happens with the rest, until it was given back', async () => {
  const orderId = await ordered('Pressing')
  await came(orderId, 10_000)
  const surplus = (await written(orderId)).get('transfer-surplus')
  expect(surplus?.text).toContain('€21.00 more than you owed for “Pressing”')
  await came(orderId, 500, { isSurplus: true })
  const rows = await world.db.query.transfers.findMany({ where: (row, { eq: is }) => is(row.orderId, orderId) })
  for (const { id } of rows.filter(({ isSurplus }) => isSurplus)) {
    await giveSurplusBack(world.services, 'practice', orderId, id, 'returned')
  }
  expect((await written(orderId)).has('transfer-surplus')).toBe(false)
})
