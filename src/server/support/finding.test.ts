import { eq } from 'drizzle-orm'
import Papa from 'papaparse'
import { beforeAll, describe, expect, it } from 'vitest'
import { inGroups } from '../../core/bank/reference.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { attempts, orderLines } from '../db/schema/index.ts'
import { refundLine } from '../refunds/service.ts'
import { recordTransferReceived } from '../transfers/marks.ts'
import { referenceOf } from '../transfers/transfers.ts'
import { itemsCsv, ordersCsv } from './files.ts'
import { listOrders, ordersFor, sumOrders } from './orders.ts'

const world = ownWorld()
const parsed = (csv: string) => Papa.parse<Record<string, string>>(csv, { header: true }).data
const cents = (rows: Record<string, string>[], column: string) =>
  rows.reduce((all, row) => all + Math.round(Number(row[column] ?? 0) * 100), 0)
let transfer: string
const made: Record<string, { orderId: string; number: number; courseId: string }> = {}
const day = () => world.services.now().toISOString().slice(0, 10)

beforeAll(async () => {
  transfer = (await world.connectOthers()).transfer
  const buy = async (key: string, price: number, more: object) => {
    const course = await world.sell(price, `Found ${key}`)
    const request = world.request(course.offerId, price, { email: `${key}@find.example`, ...more })
    const { orderId } = await world.buy(course.slug, request, key)
    made[key] = { orderId, number: (await world.orderOf(orderId))?.number as number, courseId: course.courseId }
  }
  await buy('card', 12_345, { name: 'Zoë Weiß' })
  await buy('wire', 6789, { name: 'Søren Łęcki', payment: { connectionId: transfer, token: '' } })
  await buy('none', 500, {
    name: 'Declined Person',
    payment: { connectionId: world.connectionId, token: world.standins.tokenOf('not-enough-money') },
  })
})

const found = async (query: object) =>
  (await listOrders(world.services, 'practice', { search: '', state: 'all', ...query })).orders.map(({ id }) => id)
const only = async (search: string, key: string) =>
  expect([search, await found({ search })]).toEqual([search, [made[key]?.orderId]])

describe('an order is found', () => {
  it('by names without their accents, and by any part of an address', async () => {
    for (const search of ['zoe', 'WEISS', 'weiß', 'card@find']) await only(search, 'card')
    for (const search of ['soren', 'Lecki', 'łęcki']) await only(search, 'wire')
  })

  it('by its number, and by the reference of its transfer, with blanks or without', async () => {
    const number = made.wire?.number as number
    const reference = referenceOf({ mode: 'practice', number })
    for (const search of [`${number}`, `#${number}`, `P${number}`, reference, inGroups(reference)])
      await only(search, 'wire')
    // Of the other mode it is not this order.
    expect(await found({ search: `L${number}` })).toEqual([])
  })

  it('by a gateway’s reference, and by an amount that was charged, awaited or given back', async () => {
    const [attempt] = await world.attemptsOf(made.card?.orderId as string)
    await only(attempt?.reference as string, 'card')
    for (const search of ['123.45', '123,45', '€123.45']) await only(search, 'card')
    await only('67.89', 'wire')
    const [line] = await world.db
      .select()
      .from(orderLines)
      .where(eq(orderLines.orderId, made.card?.orderId as string))
    await refundLine(world.services, 'practice', made.card?.orderId as string, {
      lineId: line?.id as string,
      amount: 111,
      access: 'keep',
      note: 'x',
    })
    await only('1.11', 'card')
  })

  it('by a reference without a figure in it', async () => {
    const [attempt] = await world.attemptsOf(made.card?.orderId as string)
    const { reference } = attempt ?? {}
    await world.db
      .update(attempts)
      .set({ reference: 'pay-qR_oXnNbARHE' })
      .where(eq(attempts.id, attempt?.id ?? ''))
    await only('pay-qR_oXnNbARHE', 'card')
    await world.db
      .update(attempts)
      .set({ reference })
      .where(eq(attempts.id, attempt?.id ?? ''))
  })

  it('by nothing else that holds the same digits', async () => {
    expect(await found({ search: '99999' })).toEqual([])
    expect(await found({ search: '%' })).toEqual([])
  })
})

describe('orders are told apart', () => {
  it('by what they wait for, what went back, their course and their day', async () => {
    expect(await found({ state: 'paid' })).toEqual([made.card?.orderId])
    expect(await found({ state: 'waiting' })).toEqual([made.wire?.orderId])
    expect(await found({ state: 'unpaid' })).toEqual([made.none?.orderId])
    expect(await found({ state: 'refunded' })).toEqual([made.card?.orderId])
    expect(await found({ state: 'late' })).toEqual([])
    expect(await found({ course: made.none?.courseId })).toEqual([made.none?.orderId])
    expect(await found({ from: day(), until: day() })).toHaveLength(3)
    expect(await found({ until: '2020-01-01' })).toEqual([])
  })

  it('in the file by the same; a part that came is said in the list', async () => {
    await recordTransferReceived(world.services, 'practice', made.wire?.orderId as string, {
      amount: 1000,
      day: day(),
      note: '',
    })
    const { orders } = await listOrders(world.services, 'practice', { search: '', state: 'waiting' })
    expect(orders).toMatchObject([{ came: 1000, received: 0, last: 'awaiting transfer', payToday: 6789 }])
    const rows = await ordersFor(world.services, 'practice', { search: '', state: 'refunded' })
    const csv = ordersCsv(rows, 'Europe/Vienna').split('\r\n')
    expect(csv).toHaveLength(2)
    expect(csv[1]).toContain(',EUR,123.45,0.00,123.45,123.45,')
    expect(csv[1]).toContain(',1.11,paid,')
    // A part of a transfer is received by the books, and by the file.
    const waiting = await ordersFor(world.services, 'practice', { search: '', state: 'waiting' })
    const part = ordersCsv(waiting, 'Europe/Vienna').split('\r\n')
    expect(part[1]).toContain(',EUR,67.89,0.00,67.89,10.00,')
    // What all orders of the file received is what stands above their list.
    const all = await ordersFor(world.services, 'practice', { search: '', state: 'all' })
    const sum = await sumOrders(world.services, 'practice')
    for (const file of [ordersCsv, itemsCsv]) {
      const of = parsed(file(all, 'Europe/Vienna'))
      expect([cents(of, 'received'), cents(of, 'fee'), cents(of, 'refunded')]).toEqual([
        sum.received,
        sum.fees,
        sum.refunds,
      ])
    }
  })
})
