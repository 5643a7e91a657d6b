import { and, eq, sql } from 'drizzle-orm'
import { beforeAll, describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { shopper, type World } from '../../testing/world.ts'
import { checkOrder } from '../checkout/status.ts'
import { cancelAgreement, moveDue, stopRetrying, takeCancelBack } from '../collecting/actions.ts'
import { agreementsDue, collectAgreement } from '../collecting/collect.ts'
import { changeMethod, payManually } from '../collecting/manualPayment.ts'
import { agreements, moneyDeltas, orderLines } from '../db/schema/index.ts'
import { movedBetween } from '../ledger/sums.ts'
import { clearPractice } from '../practice/practice.ts'
import { refundLine } from '../refunds/service.ts'
import { recordTransferReceived, takeMarkBack } from '../transfers/marks.ts'
import { aggregate, overdueOf, sumsBetween } from './sums.ts'

const world = ownWorld()
let paymentMethods: { moor: string; brook: string; transfer: string }
beforeAll(async () => {
  paymentMethods = await world.connectOthers()
})

const DAY = 86_400_000
const every = { count: 1, unit: 'month' } as const
const parts = {
  kind: 'installments',
  count: 3,
  every,
  amount: null,
  total: 12_900,
  deposit: null,
  trial: null,
} as const
const monthly = { kind: 'subscription', amount: 1900, every, payments: null, setupFee: 500, trial: null } as const
let buyers = 0

async function buy(
  price: Parameters<World['sell']>[0],
  pay: number,
  paymentMethod: string | null = null,
  behaviour = 'pays',
) {
  const course = await world.sell(price, `Sum ${++buyers}`)
  // Every third order has something else in it, of another tax.
  const others = buyers % 3 === 2 ? [await world.sell(2000, `Beside ${buyers}`, { taxRate: 1000 })] : []
  const payment = paymentMethod ? { payment: { connectionId: paymentMethod, token: '' } } : {}
  const sum = pay + others.length * 2000
  const request = world.request(course.offerId, sum, { email: `sum${buyers}@post.example`, ...payment }, behaviour)
  const lines = [course, ...others].map(({ offerId }) => ({ offerId, chosen: null }))
  const placed = await world.buy(course.slug, { ...request, lines })
  if (placed.state === 'confirming') {
    await world.press(placed.url, 'pays')
    await checkOrder(world.services, placed.orderId, shopper('browser'))
  }
  const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, placed.orderId))
  const [line] = await world.db
    .select()
    .from(orderLines)
    .where(and(eq(orderLines.orderId, placed.orderId), eq(orderLines.position, 0)))
  return { ...course, orderId: placed.orderId, agreementId: agreement?.id as string, lineId: line?.id as string }
}

const day = (days = 0) => new Date(world.services.now().getTime() + days * DAY).toISOString().slice(0, 10)
const collect = async () => {
  for (const id of await agreementsDue(world.services, 'practice')) await collectAgreement(world.services, id)
}

/** The sums as the payments themselves come to, read one by one. */
async function counted() {
  const { rows } = await world.db.execute(sql`
    select day::text, coalesce(sum(pay) filter (where state = 'collected'), 0)::float8 as paid,
      coalesce(sum(pay) filter (where state = 'due'), 0)::float8 as due, count(*)::int as payments
    from money_parts where mode = 'practice' group by day order by day`)
  return rows
}
const summed = async (filters = {}) =>
  (await sumsBetween(world.db, 'practice', '2000-01-01', '2999-12-31', filters)).filter(({ payments: n }) => n > 0)

/** What moved as the ledger itself comes to, posting by posting. */
async function countedMoved() {
  const { rows } = await world.db.execute(sql`
    with l as (select *, kind in ('refund', 'dispute') as back, account ~ '^(assets|expenses:fees):' as money from ledger)
    select day::text,
      coalesce(sum(amount) filter (where money and not back), 0)::float8 as received,
      coalesce(-sum(amount) filter (where account = 'liabilities:vat' and not back), 0)::float8 as "receivedTax",
      coalesce(sum(amount) filter (where account like 'expenses:fees:%'), 0)::float8 as fees,
      coalesce(-sum(amount) filter (where money and back), 0)::float8 as "givenBack",
      coalesce(sum(amount) filter (where account = 'liabilities:vat' and back), 0)::float8 as "givenBackTax"
    from l where mode = 'practice' group by day order by day`)
  return rows
}
const summedMoved = (filters = {}) => movedBetween(world.db, 'practice', '2000-01-01', '2999-12-31', filters)

describe('the sums', () => {
  it('are what the payments come to, whatever happened to them', async () => {
    const plan = await buy(parts, 4300)
    const member = await buy(monthly, 2400)
    const wallet = await buy(parts, 4300, paymentMethods.moor)
    await buy(parts, 4300, null, 'pays-once')
    await buy(4800, 4800, null, 'not-enough-money')
    const transfer = await buy(7900, 7900, paymentMethods.transfer)
    expect(await summed()).toEqual(await counted())

    await recordTransferReceived(world.services, 'practice', transfer.orderId, { amount: 7900, day: day(), note: '' })
    expect(await summed()).toEqual(await counted())
    const came = await world.db.query.transfers.findFirst({
      where: (row, { eq: is }) => is(row.orderId, transfer.orderId),
    })
    await takeMarkBack(world.services, 'practice', transfer.orderId, came?.id as string, 'mistake')
    expect(await summed()).toEqual(await counted())
    await recordTransferReceived(world.services, 'practice', transfer.orderId, { amount: 7900, day: day(), note: '' })

    await moveDue(world.services, plan.agreementId, day(20), 'asked')
    await aggregate(world.db)
    world.clock.offsetMs += 32 * DAY
    await collect()
    const card = () => ({ connectionId: world.connectionId, token: world.standins.tokenOf('pays') })
    await changeMethod(world.services, wallet.agreementId, card())
    await payManually(world.services, plan.agreementId, {
      ...card(),
      agreed: 4300,
      from: 2,
      to: 2,
    })
    const give = (order: { orderId: string; lineId: string }, amount: number, access: 'keep' | 'close') =>
      refundLine(world.services, 'practice', order.orderId, { lineId: order.lineId, amount, access, note: 'asked' })
    await give(member, 3000, 'keep')
    await cancelAgreement(world.services, member.agreementId, 'period-end', 'buyer')
    expect(await summed()).toEqual(await counted())
    const again = await buy(monthly, 2400)
    await cancelAgreement(world.services, again.agreementId, 'now', 'creator')
    await takeCancelBack(world.services, again.agreementId, 'creator')
    await give(plan, 4300, 'close')
    expect(await summed()).toEqual(await counted())

    expect(await summedMoved()).toEqual(await countedMoved())
    const [before, movedBefore] = [await summed(), await summedMoved()]
    await Promise.all([aggregate(world.db), aggregate(world.db), aggregate(world.db)])
    expect(await world.db.$count(moneyDeltas)).toBe(0)
    expect(await summed()).toEqual(before)
    expect(await summedMoved()).toEqual(movedBefore)
    expect(await summed()).toEqual(await counted())
  })

  it('narrowed to offers and payment methods they add up to the whole', async () => {
    const all = await summed()
    const byPaymentMethod = await Promise.all(
      ['thistle', 'moor', 'brook', 'transfer', ''].map((paymentMethod) =>
        summed(paymentMethod ? { paymentMethod } : { paymentMethod: 'none' }),
      ),
    )
    for (const { day: on, paid, due } of all) {
      const of = byPaymentMethod.flat().filter((sum) => sum.day === on)
      expect(of.reduce((total, sum) => total + sum.paid, 0)).toBe(paid)
      expect(of.reduce((total, sum) => total + sum.due, 0)).toBe(due)
    }
    const { offerId } = await buy(4800, 4800)
    expect(await summed({ offer: offerId })).toMatchObject([{ paid: 4800, payments: 1 }])
  })

  it('what is late is told by its age, what was given up apart', async () => {
    const late = await buy(parts, 4300, null, 'pays-once')
    const stopped = await buy(parts, 4300)
    await stopRetrying(world.services, stopped.agreementId, 'asked')
    world.clock.offsetMs += 33 * DAY
    await collect()
    const overdue = await overdueOf(world.db, 'practice', day(), { offer: late.offerId })
    expect(overdue).toMatchObject([{ status: 'late', pay: 4300 }])
    expect(overdue[0]?.days).toBeGreaterThanOrEqual(1)
    const given = await overdueOf(world.db, 'practice', day(), { offer: stopped.offerId })
    expect(given.map(({ status, pay }) => [status, pay]).sort()).toEqual([
      ['given-up', 4300],
      ['given-up', 4300],
    ])
  })

  it('are empty once practice was cleared', async () => {
    await clearPractice(world.services)
    expect(await summed()).toEqual([])
    expect(await summedMoved()).toEqual([])
    expect(await countedMoved()).toEqual([])
  })
})
