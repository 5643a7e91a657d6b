import { and, asc, eq } from 'drizzle-orm'
import { beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { addDays } from '../../core/calendar/day.ts'
import { balancesByHledger } from '../../testing/hledger.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, WHILE_PAYING } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import { checkOrder } from '../checkout/status.ts'
import { collectAgreement } from '../collecting/collect.ts'
import { agreements, attempts, connections, journal, orderLines, payments, refunds } from '../db/schema/index.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { journalOf } from '../ledger/plainText.ts'
import { lookUpAttempt } from '../lookup/lookup.ts'
import { sendMessage } from '../messages/send.ts'
import { paymentReceiptOf } from '../orders/paymentReceipt.ts'
import { receiptOf } from '../orders/receipt.ts'
import { schoolDay } from '../school/service.ts'
import { needsAttention } from '../support/attention.ts'
import { listOrders, openOrder } from '../support/orders.ts'
import { savedMethodOf } from './chargeAgain.ts'
import { refundLine, refundOutside, refundWhole } from './service.ts'
import { settleRefund } from './settle.ts'

/** A wallet refunds whole payments only: what a buyer keeps of one is charged again, and then all of it is refunded. */
const world = ownWorld()
const DAY = 86_400_000

let n = 0
let moor = ''
let course: Awaited<ReturnType<typeof world.sell>>
let club: Awaited<ReturnType<typeof world.sell>>
beforeAll(async () => {
  moor = (await world.connectOthers()).moor
})
beforeEach(async () => {
  n++
  course = await world.sell(12_900, `Course ${n}`, { taxRate: 2000 })
  club = await world.sell(MONTHLY, `Club ${n}`, { access: WHILE_PAYING, taxRate: 1000 })
})

/** A course and a club, paid together by a wallet: €148.00, and €19.00 each month from the approval that is saved. */
async function buy(wallet = 'pays', offers = [course, club], pay = 14_800) {
  const email = `again${n}@refund.example`
  const placed = await world.buyTogether(
    {
      ...world.request(offers[0]?.offerId as string, pay, { email, payment: { connectionId: moor, token: '' } }),
      lines: offers.map(({ offerId }) => ({ offerId, chosen: null })),
    },
    email,
  )
  await world.press(placed.state === 'confirming' ? placed.url : '', wallet)
  await checkOrder(world.services, placed.orderId, shopper(email))
  const { orderId } = placed
  const [first] = await world.attemptsOf(orderId)
  const lines = await world.db
    .select()
    .from(orderLines)
    .where(eq(orderLines.orderId, orderId))
    .orderBy(asc(orderLines.position))
  return { orderId, attemptId: first?.id as string, lineIds: lines.map(({ id }) => id) as [string, string] }
}
type Bought = Awaited<ReturnType<typeof buy>>

const give = ({ orderId, attemptId }: Bought, keep: string[], access: 'keep' | 'close' = 'close') =>
  refundWhole(world.services, 'practice', orderId, { attemptId, keep, access, note: 'Asked' })
const openOf = async (orderId: string) =>
  (await world.grantsOf(orderId)).filter(({ endedAt }) => endedAt === null).map(({ courseId }) => courseId)
const triesOf = async (orderId: string) =>
  (await world.attemptsOf(orderId)).map(({ amount, state, madeBy }) => [amount, state, madeBy])
const refundsOf = (orderId: string) => world.db.select().from(refunds).where(eq(refunds.orderId, orderId))
const statesOf = async (orderId: string) => (await refundsOf(orderId)).map(({ amount, state }) => [amount, state])
/** What the wallet's provider has of an order's payments: collected, and given back. */
const booksOf = async (orderId: string) => {
  const keys = (await world.attemptsOf(orderId)).map(({ key }) => key)
  return [...world.standins.wallets.payments.values()]
    .filter(({ key, state }) => keys.includes(key) && state === 'captured')
    .map(({ amount, refunded }) => [amount, refunded])
}
const saidOf = async (orderId: string, what: string) =>
  (
    await world.db
      .select()
      .from(journal)
      .where(and(eq(journal.orderId, orderId), eq(journal.what, what)))
  ).map(({ data }) => data)

it('only what says at once whether the money came, and has not expired, is charged again', async () => {
  const { orderId } = await buy()
  const { gateways } = world.services
  const adapter = gateways.get('moor')
  if (!adapter) throw new Error('There is no wallet.')
  const by = (more: object) => {
    const changed = { ...adapter, capabilities: { ...adapter.capabilities, ...more } }
    return savedMethodOf({ gateways: new Map([...gateways, ['moor', changed]]) }, world.db, orderId, TODAY)
  }
  const TODAY = await schoolDay(world.services)
  expect(await by({})).toMatchObject({ connectionId: moor })
  expect(await by({ known: 'later' })).toBeNull()
  expect(await by({ chargesAgain: false })).toBeNull()
  const expiring = (expires: string) =>
    Promise.all([
      world.db.update(agreements).set({ expires }).where(eq(agreements.orderId, orderId)),
      world.db.update(attempts).set({ expires }).where(eq(attempts.orderId, orderId)),
    ])
  await expiring(TODAY)
  expect(await by({})).toMatchObject({ connectionId: moor })
  await expiring(addDays(TODAY, -1))
  expect(await by({})).toBeNull()
})

/** What stands in the ledger, added up by another program. */
async function balances() {
  let text = ''
  for await (const line of journalOf(world.db, 'practice', {})) text += `${line}\n`
  const rows = balancesByHledger(text)
  return (account: RegExp) =>
    rows.filter((row) => account.test(row.account)).reduce((sum, { amount }) => sum + amount, 0)
}

describe('of a course and a club', () => {
  it('the course goes back, the club is charged again and goes on', async () => {
    const bought = await buy()
    const { orderId, lineIds } = bought
    const before = await balances()
    expect(await give(bought, [lineIds[1]])).toEqual({ refunded: 12_900, waiting: 0, refused: null })
    expect(await triesOf(orderId)).toEqual([
      [14_800, 'collected', 'buyer'],
      [1900, 'collected', 'creator'],
    ])
    expect(await booksOf(orderId)).toEqual([
      [14_800, 14_800],
      [1900, 0],
    ])
    expect(await statesOf(orderId)).toEqual([[12_900, 'refunded']])
    expect(await openOf(orderId)).toEqual([club.courseId])

    // The club's payment is that of the new charge, and cost what both did.
    const [first, again] = await world.attemptsOf(orderId)
    const [recharged] = await world.db
      .select()
      .from(payments)
      .where(and(eq(payments.lineId, lineIds[1]), eq(payments.state, 'collected')))
    expect(recharged?.attemptId).toBe(again?.id)
    const [of] = await world.db.select().from(payments).where(eq(payments.lineId, lineIds[0]))
    expect((of?.fee ?? 0) + (recharged?.fee ?? 0)).toBe((first?.fee ?? 0) + (again?.fee ?? 0))
    expect(again?.fee).toBeGreaterThan(0)

    // In the books the sale of the club, and its tax, stay; nothing is left that nobody owes.
    const after = await balances()
    const moved = (account: RegExp) => after(account) - before(account)
    expect(moved(/^income:sales/)).toBe(12_900 - 2150)
    expect(moved(/^liabilities:vat/)).toBe(2150)
    expect(moved(/overpaid/)).toBe(0)
    expect(moved(/^assets:gateway:moor/)).toBe(1900 - 14_800 - (again?.fee ?? 0))
    expect(moved(/^expenses:fees/)).toBe(again?.fee)

    // It goes on as it was.
    const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    expect(agreement).toMatchObject({ state: 'active', collected: 1 })
    world.clock.offsetMs += 32 * DAY
    await collectAgreement(world.services, agreement?.id as string)
    expect((await triesOf(orderId)).slice(2)).toEqual([[1900, 'collected', 'worker']])
  })

  it('the club goes back and ends, the course is charged again by its approval', async () => {
    const bought = await buy()
    const { orderId, lineIds } = bought
    expect(await give(bought, [lineIds[0]])).toMatchObject({ refunded: 1900 })
    expect(await booksOf(orderId)).toEqual([
      [14_800, 14_800],
      [12_900, 0],
    ])
    expect(await openOf(orderId)).toEqual([course.courseId])
    const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    expect(agreement).toMatchObject({ state: 'cancelled', nextTry: null })
    // What was charged again is a payment of its own, and can be refunded later as any.
    expect(await refundLine(world.services, 'practice', orderId, asked(lineIds[0], 12_900))).toMatchObject({
      refunded: 12_900,
    })
    expect(await booksOf(orderId)).toEqual([
      [14_800, 14_800],
      [12_900, 12_900],
    ])
    const after = await balances()
    expect(after(/overpaid/)).toBe(0)
  })

  it('lists, message, receipt and history say so', async () => {
    const bought = await buy()
    const { orderId, lineIds, attemptId } = bought
    await give(bought, [lineIds[1]])
    const [listed] = (await listOrders(world.services, 'practice', { state: 'refunded', search: '' })).orders
    expect(listed).toMatchObject({ id: orderId, received: 14_800, refunded: 12_900 })
    const order = await openOrder(world.services, 'practice', orderId)
    const [, again] = await world.attemptsOf(orderId)
    expect(order.chargedAgainTo).toBe('wallet of Ada')
    expect(order.attempts.map(({ replacesId }) => replacesId)).toEqual([null, attemptId])
    expect(order.charges.map(({ id, lineId, given, together }) => [id, lineId, given, together])).toEqual([
      [again?.id, lineIds[1], 0, null],
      [attemptId, lineIds[0], 12_900, 14_800],
    ])
    expect(await saidOf(orderId, 'charging-again')).toEqual([
      { amount: 1900, currency: 'EUR', course: `Club ${n}`, method: 'wallet of Ada' },
    ])
    expect(await saidOf(orderId, 'refunded')).toMatchObject([{ amount: 12_900, whole: 14_800 }])

    let text = ''
    const message = order.messages.find(({ kind }) => kind === 'refunded')
    await sendMessage(world.services, message?.id as string, async (sent) => {
      text = sent.text
    })
    expect(text).toContain(`€129.00 for “Course ${n}” was refunded to your wallet of Ada`)
    expect(text).toContain(
      `You will see two amounts: €148.00 refunded, and €19.00 charged again for “Club ${n}”, which you keep.`,
    )
    expect(text).toContain('Access to the course has ended')
    // What was charged again has a receipt of its own.
    const link = /The receipt of what was charged again:\s+\D*?(https?:\/\/\S+)/.exec(text)?.[1]
    expect((await world.call('GET', new URL(link ?? '').pathname)).status).toBe(200)
    const own = await paymentReceiptOf(world.services, orderId, again?.id as string)
    expect(own).toMatchObject({ paid: 1900, things: [{ course: `Club ${n}` }] })

    const receipt = await receiptOf(world.services, orderId)
    expect(receipt.payments.map(({ what, amount, tax }) => [what, amount, tax])).toEqual([
      [`Course ${n}: Payment`, 12_900, 2150],
      [`Club ${n}: Payment 1`, 1900, 173],
      [`Course ${n}: Refund`, -12_900, -2150],
      [`Club ${n}: Refund, and charged again`, -1900, 0],
      [`Club ${n}: Charged again`, 1900, 0],
    ])
  })

  it('of two at the same moment one charges and refunds, the other is refused', async () => {
    const bought = await buy()
    const both = await Promise.allSettled([give(bought, [bought.lineIds[1]]), give(bought, [bought.lineIds[1]])])
    expect(both.filter(({ status }) => status === 'fulfilled')).toHaveLength(1)
    expect(await booksOf(bought.orderId)).toEqual([
      [14_800, 14_800],
      [1900, 0],
    ])
  })
})

const asked = (lineId: string, amount: number) => ({ lineId, amount, access: 'close' as const, note: 'Asked' })

describe('what is refused leaves everything as it was', () => {
  it('a wallet that does not pay again: nothing is refunded, and it is said why', async () => {
    const bought = await buy('pays-once')
    const { orderId, lineIds } = bought
    const before = await balances()
    const why = 'What the buyer keeps could not be charged again, so nothing was refunded.'
    expect(await give(bought, [lineIds[1]])).toEqual({ refunded: 0, waiting: 0, refused: why })
    expect(await triesOf(orderId)).toEqual([
      [14_800, 'collected', 'buyer'],
      [1900, 'declined', 'creator'],
    ])
    expect(await booksOf(orderId)).toEqual([[14_800, 0]])
    expect((await openOf(orderId)).length).toBe(2)
    const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    expect(agreement).toMatchObject({ state: 'active', tries: 0 })
    expect((await openOrder(world.services, 'practice', orderId)).state).toBe('paid')
    const after = await balances()
    expect(after(/^assets/)).toBe(before(/^assets/))
    const listed = await needsAttention(world.services, 'practice')
    expect(listed.filter((item) => item.orderId === orderId)).toMatchObject([{ kind: 'refund-refused', why }])
    // All of it can still be refunded.
    expect(await give(bought, [])).toMatchObject({ refunded: 14_800 })
    expect(await openOf(orderId)).toEqual([])
  })

  it('where no method is saved, or it may not be charged so much, the creator is told before', async () => {
    const other = await world.sell(4000, `Other ${n}`)
    const plain = await buy('pays', [course, other], 16_900)
    await expect(give(plain, [plain.lineIds[1]])).rejects.toMatchObject({
      errors: [{ at: '/keep', why: expect.stringMatching(/^No payment method of this order is saved/) }],
    })
    expect((await openOrder(world.services, 'practice', plain.orderId)).chargedAgainTo).toBeNull()

    n++
    const dear = await world.sell(60_000, `Dear ${n}`)
    const much = await buy('pays', [dear, club], 61_900)
    await expect(give(much, [much.lineIds[0]])).rejects.toMatchObject({
      errors: [{ at: '/keep', why: 'Moor Wallet charges later payments up to €500.00 only.' }],
    })
    for (const { orderId } of [plain, much]) {
      expect(await refundsOf(orderId)).toEqual([])
      expect(await triesOf(orderId)).toHaveLength(1)
    }
  })

  it('keeping everything, or what is not of this payment', async () => {
    const bought = await buy()
    await expect(give(bought, bought.lineIds)).rejects.toMatchObject({
      errors: [{ at: '/keep', why: 'Choose at least one item to refund.' }],
    })
    await expect(give(bought, [crypto.randomUUID()])).rejects.toMatchObject({
      errors: [{ at: '/keep', why: 'Choose items of this payment.' }],
    })
    expect(await triesOf(bought.orderId)).toHaveLength(1)
  })

  it('a gateway that is paused or disconnected is not asked, nor a method that has expired', async () => {
    const bought = await buy()
    const ofMoor = eq(connections.id, moor)
    const refused = () =>
      expect(give(bought, [bought.lineIds[1]])).rejects.toMatchObject({
        errors: [{ at: '/keep', why: expect.stringMatching(/^No payment method of this order is saved/) }],
      })
    for (const [out, back] of [
      [{ pausedAt: new Date() }, { pausedAt: null }],
      [{ disconnectedAt: new Date() }, { disconnectedAt: null }],
    ]) {
      await world.db
        .update(connections)
        .set(out as object)
        .where(ofMoor)
      await refused()
      await world.db
        .update(connections)
        .set(back as object)
        .where(ofMoor)
    }
    for (const expires of [addDays(await schoolDay(world.services), -1), await schoolDay(world.services)]) {
      await world.db.update(agreements).set({ expires }).where(eq(agreements.orderId, bought.orderId))
      await world.db.update(attempts).set({ expires }).where(eq(attempts.orderId, bought.orderId))
      if (expires < (await schoolDay(world.services))) await refused()
    }
    expect(await triesOf(bought.orderId)).toHaveLength(1)
    // On its last day it can be charged.
    expect(await give(bought, [bought.lineIds[1]])).toMatchObject({ refunded: 12_900 })
  })
})

describe('where an answer is lost', () => {
  it('of the new charge: it waits, nothing closes, and it is found by looking up; then the rest follows', async () => {
    const bought = await buy()
    const { orderId, lineIds } = bought
    Object.assign(world.standins.world, { answersLost: true, eventsLost: true })
    expect(await give(bought, [lineIds[1]])).toEqual({ refunded: 0, waiting: 12_900, refused: null })
    Object.assign(world.standins.world, { answersLost: false, eventsLost: false })
    expect((await openOf(orderId)).length).toBe(2)
    const [, again] = await world.attemptsOf(orderId)
    expect(again?.state).toBe('unknown')
    const [refund] = await refundsOf(orderId)
    // Asked for too early, it goes on waiting.
    await settleRefund(world.services, refund?.id as string)
    expect(await statesOf(orderId)).toEqual([[12_900, 'started']])
    await expect(give(bought, [])).rejects.toMatchObject({ code: 'not-whole' })
    await expect(
      refundOutside(world.services, 'practice', orderId, { ...asked(lineIds[1], 1900), reference: 'By hand' }),
    ).rejects.toMatchObject({ errors: [{ why: 'Nothing is left to refund.' }] })
    await lookUpAttempt(world.services, again as typeof again & object)
    await Promise.all([1, 2, 3].map(() => settleRefund(world.services, refund?.id as string)))
    expect(await statesOf(orderId)).toEqual([[12_900, 'refunded']])
    expect(await booksOf(orderId)).toEqual([
      [14_800, 14_800],
      [1900, 0],
    ])
    expect(await openOf(orderId)).toEqual([club.courseId])
  })

  it('of a charge that never reached the gateway: it is closed there, and nothing is refunded', async () => {
    const bought = await buy()
    const { orderId, lineIds } = bought
    world.standins.world.down = true
    expect(await give(bought, [lineIds[1]])).toMatchObject({ waiting: 12_900 })
    world.standins.world.down = false
    world.clock.offsetMs += 60_000
    const [, again] = await world.attemptsOf(orderId)
    await lookUpAttempt(world.services, again as typeof again & object)
    const [refund] = await refundsOf(orderId)
    await settleRefund(world.services, refund?.id as string)
    expect(await statesOf(orderId)).toEqual([[12_900, 'refused']])
    expect(await triesOf(orderId)).toEqual([
      [14_800, 'collected', 'buyer'],
      [1900, 'abandoned', 'creator'],
    ])
    expect(await booksOf(orderId)).toEqual([[14_800, 0]])
    // Tried again, it is done.
    expect(await give(bought, [lineIds[1]])).toMatchObject({ refunded: 12_900 })
    expect(await booksOf(orderId)).toEqual([
      [14_800, 14_800],
      [1900, 0],
    ])
  })

  it('money that comes after its refund was called off is the buyer’s, and a person must see it', async () => {
    const bought = await buy('pays-once')
    const { orderId } = bought
    await give(bought, [bought.lineIds[1]])
    const [, again] = await world.attemptsOf(orderId)
    const before = await balances()
    const outcome = {
      ...{ state: 'collected' as const, reference: 'pay-late', amount: 1900, currency: 'EUR', fee: 56 },
      ...{ method: 'wallet of Cleo', savedMethod: null, expires: null },
    }
    for (const source of ['event', 'lookup'] as const) {
      await settleAttempt(world.services, again?.id as string, outcome, source)
    }
    expect(await saidOf(orderId, 'attempt-surplus')).toMatchObject([{ amount: 1900, reference: 'pay-late' }])
    const after = await balances()
    expect(after(/overpaid/) - before(/overpaid/)).toBe(-1900)
  })
})

it('a refund that the gateway refuses after the rest was charged again is asked for once more, and nothing is charged twice', async () => {
  const bought = await buy()
  const { orderId, lineIds } = bought
  const [ours] = await world.attemptsOf(orderId)
  const payment = [...world.standins.wallets.payments.values()].find(({ key }) => key === ours?.key)
  if (!payment) throw new Error('The wallet does not know it.')
  // The provider says that some of it went back already.
  payment.refunded = 1
  expect((await give(bought, [lineIds[1]])).refused).not.toBeNull()
  payment.refunded = 0
  expect((await openOf(orderId)).length).toBe(2)
  const refused = await balances()
  expect(refused(/overpaid/)).toBeLessThanOrEqual(-1900)
  const order = await openOrder(world.services, 'practice', orderId)
  const [, again] = await world.attemptsOf(orderId)
  expect(order.charges.map(({ lineId, againBy }) => [lineId, againBy])).toEqual(
    expect.arrayContaining([
      [lineIds[0], null],
      [lineIds[1], again?.id],
    ]),
  )
  // A page that was open since then asks for it to be charged again; it is not.
  expect(await give(bought, [lineIds[1]])).toMatchObject({ refunded: 12_900, refused: null })
  expect(await booksOf(orderId)).toEqual([
    [14_800, 14_800],
    [1900, 0],
  ])
  expect(await openOf(orderId)).toEqual([club.courseId])
  const done = await balances()
  expect(done(/overpaid/) - refused(/overpaid/)).toBe(1900)
})
