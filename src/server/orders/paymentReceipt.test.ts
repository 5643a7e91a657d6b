import { and, asc, eq } from 'drizzle-orm'
import { expect, it } from 'vitest'
import { receiptEntries } from '../../core/sentence/receipt.ts'
import { advance, agree } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { THREE_PARTS } from '../../testing/terms.ts'
import { readAgreement } from '../agreements/agreements.ts'
import { payManually, restOn } from '../collecting/manualPayment.ts'
import { messages, school } from '../db/schema/index.ts'
import { sendMessage } from '../messages/send.ts'
import { correctPerson } from '../people/service.ts'
import { schoolDay } from '../school/service.ts'
import { paymentReceiptOf, receivedPayments } from './paymentReceipt.ts'

const world = ownWorld()

/** The emails about later payments of an order, in the order in which they were queued. */
async function emailsOf(orderId: string) {
  const rows = await world.db
    .select()
    .from(messages)
    .where(and(eq(messages.orderId, orderId), eq(messages.kind, 'collected')))
    .orderBy(asc(messages.createdAt))
  const texts: string[] = []
  for (const { id } of rows) await sendMessage(world.services, id, async ({ text }) => void texts.push(text))
  return texts
}

const receiptsOf = async (orderId: string) => {
  const received = await receivedPayments(world.services, orderId)
  return Promise.all(received.map(({ id }) => paymentReceiptOf(world.services, orderId, id)))
}

it('each payment has its receipt, with its tax, which nothing later changes', async () => {
  const plan = await agree(world, THREE_PARTS)
  await advance(world, 31)
  const before = await receiptsOf(plan.orderId)
  const shown = before.map((receipt) => {
    if (!receipt) throw new Error('There is no receipt.')
    return receiptEntries(receipt.things, receipt, 'en-GB').map(({ label, amount }) => `${label} ${amount}`)
  })
  expect(shown).toEqual([
    [`${plan.title}, One payment 4300`, 'Paid 4300', 'VAT 20%, inside 717'],
    [`${plan.title}, One payment: Payment 2 of 3 4300`, 'Paid 4300', 'VAT 20%, inside 717'],
  ])
  expect(before[1]).toMatchObject({ method: 'card ending 4821', parties: { buyer: { email: plan.email } } })

  await world.db.update(school).set({ name: 'Another name', taxRate: 1000, taxMode: 'exclusive' })
  const corrected = { name: 'Somebody else', email: 'else@post.example', postalAddress: 'Gasse 1', note: 'moved' }
  await correctPerson(world.services, 'practice', plan.person.id, corrected)
  await advance(world, 31)
  expect((await receiptsOf(plan.orderId)).slice(0, 2)).toEqual(before)
  expect((await receiptsOf(plan.orderId))[2]).toMatchObject({
    parties: { name: 'Another name', buyer: { email: 'else@post.example', postalAddress: 'Gasse 1' } },
    taxMode: 'inclusive',
    taxes: [{ rate: 2000, tax: 717 }],
  })
  await world.db.update(school).set({ taxRate: 2000, taxMode: 'inclusive' })
})

it('its message says the payment that it is about, with its tax, and leads to its receipt', async () => {
  const plan = await agree(world, THREE_PARTS)
  await advance(world, 31)
  await advance(world, 31)
  const [second, third] = await emailsOf(plan.orderId)
  expect(second).toContain('Payment 2 of 3: €43.00')
  expect(second).toContain('VAT 20%, inside: €7.17')
  expect(third).toContain('Payment 3 of 3: €43.00')
  const path = /\/order\/[\w-]+\/payments\/[\w-]+/.exec(second ?? '')?.[0] as string
  const page = await world.call('GET', path)
  expect(page.status).toBe(200)
  const html = await page.text()
  expect(html).toContain('Payment 2 of 3')
  expect(html).toContain(plan.email)
  // Another order's payment is none of this one's.
  const other = await agree(world, THREE_PARTS)
  const [theirs] = await receivedPayments(world.services, other.orderId)
  const foreign = path.replace(/[\w-]+$/, theirs?.id as string)
  expect((await world.call('GET', foreign)).status).toBe(404)
  expect((await world.call('GET', `/thanks/${other.orderId}/payments/${theirs?.id}`)).status).toBe(404)
})

it('payments that are paid at once have one receipt, and their message says the whole sum', async () => {
  const plan = await agree(world, THREE_PARTS)
  const { agreement } = await readAgreement(world.db, plan.id)
  const rest = restOn(agreement, await schoolDay(world.services))
  if (!rest) throw new Error('Nothing is left.')
  const payment = { connectionId: world.connectionId, token: world.standins.tokenOf('pays') }
  await payManually(world.services, plan.id, { ...rest, payment } as never)
  const [, both] = await receiptsOf(plan.orderId)
  expect(both).toMatchObject({
    paid: 8600,
    rows: [{ price: 4300 }, { price: 4300 }],
    taxes: [{ rate: 2000, tax: 1434 }],
  })
  expect((await emailsOf(plan.orderId))[0]).toContain('€86.00')
})

it('a later payment of an order of several things names that one alone', async () => {
  const once = await world.sell(2400, 'Paid at once')
  const plan = await world.sell(THREE_PARTS, 'Paid over time')
  const request = world.request(once.offerId, 2400 + 4300, { email: 'several@receipts.example' })
  const lines = [once, plan].map(({ offerId }) => ({ offerId, chosen: null }))
  const { orderId } = await world.buyTogether({ ...request, lines }, 'several')
  await advance(world, 31)
  const [first, second] = await receiptsOf(orderId)
  expect(first?.things.map(({ course }) => course)).toEqual(['Paid at once', 'Paid over time'])
  expect(receiptEntries(second?.things ?? [], second as NonNullable<typeof second>, 'en-GB')).toMatchObject([
    { label: 'Paid over time, One payment: Payment 2 of 3', amount: 4300 },
    { label: 'Paid', amount: 4300 },
    { kind: 'inside' },
  ])
})
