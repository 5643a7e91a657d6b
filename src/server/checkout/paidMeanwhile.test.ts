import { asc, eq } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import { agreements, ledger, messages, orderLines, payments } from '../db/schema/index.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { sendMessage } from '../messages/send.ts'
import { receiptOf } from '../orders/receipt.ts'
import { thanksView } from '../pages/service.ts'
import { refundLine } from '../refunds/service.ts'
import { schoolDay } from '../school/service.ts'
import { needsAttention } from '../support/attention.ts'
import { openOrder } from '../support/orders.ts'
import { recordTransferReceived, takeMarkBack } from '../transfers/marks.ts'

/** Of several things that wait for their money, another order opens some meanwhile: only those are paid twice. */
const world = ownWorld()
let n = 0
let book: Awaited<ReturnType<typeof world.sell>>
let paper: Awaited<ReturnType<typeof world.sell>>
let paymentMethods: Awaited<ReturnType<typeof world.connectOthers>>
beforeEach(async () => {
  paymentMethods ??= await world.connectOthers()
  n++
  book = await world.sell(12_900, `Book ${n}`, { taxRate: 1000 })
  paper = await world.sell(4900, `Paper ${n}`, { taxRate: 1000 })
})

const email = () => `meanwhile${n}@post.example`
type Sold = typeof book
const together = (sold: readonly Sold[], pay: number, card = 'pays', more = {}) => ({
  ...world.request((sold[0] as Sold).offerId, pay, { email: email(), ...more }, card),
  lines: sold.map(({ offerId }) => ({ offerId, chosen: null })),
})
const collected = (amount: number, reference: string) => ({
  state: 'collected' as const,
  reference,
  amount,
  currency: 'EUR',
  fee: 10,
  method: 'card ending 4821',
  savedMethod: `kept ${reference}`,
  expires: null,
})
/** Both, waiting for a transfer, and the paper alone bought by card from another browser since. */
async function paperMeanwhile() {
  const asked = together([book, paper], 17_800, 'pays', {
    payment: { connectionId: paymentMethods.transfer, token: '' },
  })
  const { orderId } = await world.buyTogether(asked)
  const paid = await world.buy(paper.slug, world.request(paper.offerId, 4900, { email: email() }), 'phone')
  expect(paid.state).toBe('paid')
  return { orderId, other: paid.orderId }
}
const transferCame = async (orderId: string, amount = 17_800) =>
  recordTransferReceived(world.services, 'practice', orderId, {
    amount,
    day: await schoolDay(world.services),
    note: '',
  })
const linesOf = (orderId: string) =>
  world.db.select().from(orderLines).where(eq(orderLines.orderId, orderId)).orderBy(asc(orderLines.position))
const twice = async (orderId: string) =>
  (await needsAttention(world.services, 'practice')).filter((row) => row.orderId === orderId)
async function bookedOf(orderId: string) {
  const rows = await world.db.select().from(ledger).where(eq(ledger.orderId, orderId))
  const sums = new Map<string, number>()
  for (const { account, amount } of rows) sums.set(account, (sums.get(account) ?? 0) + amount)
  return Object.fromEntries([...sums].filter(([, amount]) => amount !== 0))
}

describe('an order of two things of which another opened one meanwhile', () => {
  it('opens the other, and says of the one that it was paid twice', async () => {
    const { orderId, other } = await paperMeanwhile()
    // Whoever marks the money sees it before.
    const lineOf = (title: string, of: { id: string; title: string }[]) => of.find((line) => line.title === title)?.id
    const before = await openOrder(world.services, 'practice', orderId)
    expect(before.openedElsewhere).toEqual([lineOf(`Paper ${n}`, before.lines)])
    await transferCame(orderId)
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'paid' })
    expect(await world.duplicatesOf(orderId)).toEqual([null, other])
    expect(await world.grantsOf(orderId)).toMatchObject([{ courseId: book.courseId }])
    const sold = Object.entries(await bookedOf(orderId)).filter(([account]) => account.startsWith('income:'))
    expect(sold.map(([, amount]) => amount)).toEqual([-11_727])
    expect(await bookedOf(orderId)).toMatchObject({
      'assets:bank': 17_800,
      'liabilities:vat': -1173,
      'liabilities:overpaid': -4900,
    })
    expect(await twice(orderId)).toMatchObject([{ kind: 'paid-twice', course: `Paper ${n}`, amount: 4900 }])
    const { lines } = await openOrder(world.services, 'practice', orderId)
    expect(lines.map(({ duplicateOf }) => duplicateOf)).toEqual([null, other])
  })

  it('tells its buyer by receipt, message and page, and owes no tax for it', async () => {
    const { orderId } = await paperMeanwhile()
    await transferCame(orderId)
    const sent = await world.db.select().from(messages).where(eq(messages.orderId, orderId)).orderBy(messages.createdAt)
    expect(sent.map(({ kind }) => kind).sort()).toEqual([
      'awaiting',
      'creator-awaiting',
      'creator-sold',
      'paid-twice',
      'receipt',
    ])
    const textOf = async (kind: string) => {
      let email = ''
      await sendMessage(world.services, sent.find((row) => row.kind === kind)?.id as string, async (mail) => {
        email = mail.text
      })
      return email
    }
    const emailText = await textOf('paid-twice')
    expect(emailText).toContain(`€49.00 for “Paper ${n}”`)
    expect(emailText).not.toContain(`Book ${n}`)
    const receipt = await textOf('receipt')
    expect(receipt).toContain(`“Book ${n}” is paid and open.`)
    expect(receipt).toContain(`“Paper ${n}” was open already, by another order of yours`)
    const view = await thanksView(world.services, orderId, shopper('browser'))
    expect(view).toMatchObject({
      bought: [{ isPaidTwice: false }, { isPaidTwice: true }],
      amounts: { taxes: [{ rate: 1000, tax: 1173 }] },
    })
    const { payments: rows } = await receiptOf(world.services, orderId)
    expect(rows.map(({ what, tax }) => [what, tax])).toEqual([
      [`Book ${n}: Payment`, 1173],
      [`Paper ${n}: Payment, paid twice`, 0],
    ])
  })

  it('is refunded by that line, out of what was not owed; then nothing more is to be done', async () => {
    const { orderId } = await paperMeanwhile()
    await transferCame(orderId)
    const [, line] = await linesOf(orderId)
    const refund = { lineId: line?.id as string, amount: 4900, access: 'keep' as const, note: 'paid twice' }
    await refundLine(world.services, 'practice', orderId, refund)
    const booked = await bookedOf(orderId)
    expect(booked).toMatchObject({ 'assets:bank': 12_900, 'liabilities:vat': -1173 })
    expect(booked).not.toHaveProperty('liabilities:overpaid')
    expect(await twice(orderId)).toEqual([])
    expect(await world.grantsOf(orderId)).toMatchObject([{ courseId: book.courseId, endedAt: null }])
  })

  it('whose transfer was marked by mistake waits again as it did, and opens both where the other is closed by then', async () => {
    const { orderId, other } = await paperMeanwhile()
    await transferCame(orderId)
    const { transfers } = await openOrder(world.services, 'practice', orderId)
    await takeMarkBack(world.services, 'practice', orderId, transfers[0]?.id as string, 'not ours')
    expect(await world.duplicatesOf(orderId)).toEqual([null, null])
    expect(await bookedOf(orderId)).toEqual({})
    const [line] = await linesOf(other)
    const refund = { lineId: line?.id as string, amount: 4900, access: 'close' as const, note: 'by mistake' }
    await refundLine(world.services, 'practice', other, refund)
    await transferCame(orderId)
    expect(await world.duplicatesOf(orderId)).toEqual([null, null])
    expect(await world.grantsOf(orderId)).toHaveLength(2)
  })

  it('begins no plan for what is paid twice, and expects nothing more of it', async () => {
    const plan = await world.sell(THREE_PARTS, `Plan ${n}`)
    const club = await world.sell(MONTHLY, `Club ${n}`, { access: WHILE_PAYING })
    const { orderId } = await world.buyTogether(together([plan, club], 4300 + 1900, 'confirms'))
    const once = await world.offer(plan.courseId, 9900)
    await world.buy(plan.slug, world.request(once, 9900, { email: email() }), 'phone')
    const [attempt] = await world.attemptsOf(orderId)
    await settleAttempt(world.services, attempt?.id as string, collected(6200, `pay ${n}`), 'event')
    const [first, second] = await linesOf(orderId)
    const agreed = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    expect(agreed.map(({ lineId }) => lineId)).toEqual([second?.id])
    const of = (lineId = '') =>
      world.db.select().from(payments).where(eq(payments.lineId, lineId)).orderBy(asc(payments.n))
    expect((await of(first?.id)).map(({ state }) => state)).toEqual(['collected', 'written-off', 'written-off'])
    expect((await of(second?.id)).slice(0, 2).map(({ state }) => state)).toEqual(['collected', 'due'])
    const view = await thanksView(world.services, orderId, shopper('browser'))
    const ofClub = (await world.orderOf(orderId))?.quote.lines[1]?.payments.filter(({ n: number }) => number > 1)
    expect(view.name === 'thanks' && view.quote.later).toEqual(ofClub?.map(({ due, pay }) => ({ due, pay })))
  })

  it('has what is free opened again: nothing was paid for it', async () => {
    const free = await world.sell({ kind: 'free' }, `Free ${n}`)
    const asked = together([book, free], 12_900, 'pays', {
      payment: { connectionId: paymentMethods.transfer, token: '' },
    })
    const { orderId } = await world.buyTogether(asked)
    await world.buy(free.slug, world.request(free.offerId, 0, { email: email() }), 'phone')
    await transferCame(orderId, 12_900)
    expect(await world.duplicatesOf(orderId)).toEqual([null, null])
    expect(await world.grantsOf(orderId)).toHaveLength(2)
  })
})

describe('two orders of one buyer whose money comes in the same moment', () => {
  it('are not both fulfilled', async () => {
    const all = await Promise.all(
      ['one', 'two', 'three', 'four'].map((browser) =>
        world.buyTogether(together([book, paper], 17_800, 'confirms'), browser),
      ),
    )
    const tries = await Promise.all(all.map(({ orderId }) => world.attemptsOf(orderId)))
    await Promise.all(
      tries.map(([attempt], index) =>
        settleAttempt(world.services, attempt?.id as string, collected(17_800, `at once ${n} ${index}`), 'event'),
      ),
    )
    const duplicates = await Promise.all(all.map(({ orderId }) => world.duplicatesOf(orderId)))
    expect(duplicates.filter((lines) => lines.every((of) => of === null))).toHaveLength(1)
    expect(duplicates.filter((lines) => lines.every((of) => of !== null))).toHaveLength(3)
  })
})
