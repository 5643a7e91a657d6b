import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { and, asc, eq } from 'drizzle-orm'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import { makeBackup, restoreBackup } from '../../../scripts/backups.ts'
import { dropDatabase } from '../../../scripts/databases.ts'
import { newCoupon } from '../../core/content/coupon.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { THREE_PARTS } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import { attemptKey } from '../charging/attemptKey.ts'
import { placeOrder } from '../checkout/place.ts'
import { agreementsDue, collectAgreement } from '../collecting/collect.ts'
import { payManually } from '../collecting/manualPayment.ts'
import { createCoupon, openCoupon, publishCoupon, saveCouponDraft } from '../coupons/service.ts'
import { connect, type Database } from '../db/client.ts'
import {
  agreements,
  attempts,
  coupons,
  grants,
  orders,
  payments,
  sessions,
  unknownPayments,
} from '../db/schema/index.ts'
import { openConnection } from '../gateways/service.ts'
import { lookUpUntilSettled } from '../lookup/lookup.ts'
import type { Services } from '../platform/context.ts'
import { restoredSince } from '../platform/restored.ts'
import { needsAttention } from '../support/attention.ts'
import { reconcileAll } from './reconcile.ts'
import { listUnknown, refundUnknown } from './unknown.ts'

const MONTH = 31 * 86_400_000
const world = ownWorld()
let folder: string
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'young-acorn-backup-'))
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

let restored: { services: Services; db: Database; close: () => Promise<void> } | null = null
afterEach(async () => {
  await restored?.close()
  restored = null
})

let backups = 0
const makeFile = async () => {
  const file = join(folder, `${++backups}.dump`)
  await makeBackup(world.services.config.databaseUrl, file)
  return file
}
/** The school as it was when a backup was made, in a database beside; the gateways go on knowing what they know. */
async function putBack(file: string) {
  const url = `${world.services.config.databaseUrl}_back`
  expect(await restoreBackup(url, file)).toBeNull()
  const { db, pool } = connect(url, 6)
  const close = async () => {
    await pool.end()
    await dropDatabase(url)
  }
  restored = { services: { ...world.services, db }, db, close }
  return restored
}

const captured = () => [...world.standins.books.payments.values()].filter(({ state }) => state === 'captured')
const capturedFor = (about: string) => captured().filter(({ reference }) => reference.endsWith(about)).length
const paid = (db: Database, orderId: string) =>
  db
    .select({ n: payments.n })
    .from(payments)
    .where(and(eq(payments.orderId, orderId), eq(payments.state, 'collected')))
    .orderBy(asc(payments.n))
    .then((rows) => rows.map(({ n }) => n))
let lives = 0

/** A plan of which two payments came after the backup, an order that was paid after it, and one that was placed after it. */
async function lifeAfterBackup() {
  const life = ++lives
  const email = `restored${life}@post.example`
  const title = `Plan ${life}`
  const plan = await world.sell(THREE_PARTS, title)
  const single = await world.sell(12_900, `Single ${life}`)
  const later = await world.sell(5000, `Later ${life}`)
  const began = await world.buy(plan.slug, world.request(plan.offerId, 4300, { email }))
  const declined = await world.buy(single.slug, world.request(single.offerId, 12_900, { email }, 'not-enough-money'))
  const file = await makeFile()
  const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, began.orderId))
  const agreementId = agreement?.id as string
  expect((await world.buy(single.slug, world.request(single.offerId, 12_900, { email }))).orderId).toBe(
    declined.orderId,
  )
  await world.buy(later.slug, world.request(later.offerId, 5000, { email }))
  for (const months of [1, 2]) {
    world.clock.offsetMs = months * MONTH
    await collectAgreement(world.services, agreementId)
  }
  expect(await paid(world.db, began.orderId)).toEqual([1, 2, 3])
  return { file, title, single, later, planOrder: began.orderId, singleOrder: declined.orderId, agreementId }
}

describe('a backup that is put back in the middle of collecting', () => {
  it('takes in what was paid since, asks about what it does not know, and charges nothing again', async () => {
    const life = await lifeAfterBackup()
    const before = captured().length
    const { services, db } = await putBack(life.file)
    expect(await restoredSince(db)).not.toBeNull()
    // Nothing begins before the books were compared.
    expect(await agreementsDue(services, 'practice')).toEqual([])
    await collectAgreement(services, life.agreementId)
    const request = world.request(life.later.offerId, 5000, { email: 'new@post.example' })
    await expect(placeOrder(services, life.later.slug, request, shopper('new'))).rejects.toMatchObject({
      code: 'restoring',
      status: 503,
    })
    expect(await paid(db, life.planOrder)).toEqual([1])

    expect(await reconcileAll(services)).toBe(true)
    expect(await restoredSince(db)).toBeNull()
    // What codes were used meanwhile no gateway knows; that is said where their uses are counted.
    const { id } = await createCoupon(services)
    await db
      .update(coupons)
      .set({ createdAt: new Date(0) })
      .where(eq(coupons.id, id))
    const { draftRev } = await saveCouponDraft(services, id, 1, { ...newCoupon(), code: 'KNOWN-NO-MORE', limit: 5 })
    await publishCoupon(services, id, draftRev, null)
    const { gap } = await openCoupon(services, id, 'practice')
    expect(gap?.from.getTime()).toBeLessThan(gap?.until.getTime() ?? 0)
    expect(await paid(db, life.planOrder)).toEqual([1, 2, 3])
    expect((await db.select().from(agreements).where(eq(agreements.id, life.agreementId)))[0]?.state).toBe('completed')
    expect((await db.select().from(orders).where(eq(orders.id, life.singleOrder)))[0]?.state).toBe('paid')
    expect(await db.$count(grants, eq(grants.orderId, life.singleOrder))).toBe(1)
    const unknownNow = await listUnknown(services, 'practice')
    expect(unknownNow).toMatchObject([{ amount: 5000, currency: 'EUR' }])
    const kinds = (await needsAttention(services, 'practice')).map(({ kind }) => kind)
    expect(kinds).toContain('unknown-payment')
    await collectAgreement(services, life.agreementId)
    expect(captured()).toHaveLength(before)

    // Compared once more nothing changes; the unknown one is refunded by a press.
    await reconcileAll(services)
    const [unknown] = unknownNow
    await refundUnknown(services, 'practice', unknown?.id as string)
    await expect(refundUnknown(services, 'practice', unknown?.id as string)).rejects.toMatchObject({ status: 409 })
    expect(captured().filter(({ refunded }) => refunded === 5000)).toHaveLength(1)
    expect(await listUnknown(services, 'practice')).toEqual([])
    await reconcileAll(services)
    expect(await db.$count(unknownPayments)).toBe(1)
  })

  it('gives no order number or reference out twice, and lets nobody in who was signed in then', async () => {
    const { file } = await lifeAfterBackup()
    const taken = (await world.db.select({ number: orders.number }).from(orders)).map(({ number }) => number)
    const { services, db } = await putBack(file)
    expect(await db.$count(sessions)).toBe(0)
    await reconcileAll(services)
    const course = await world.sell(700, 'After')
    await expect(
      placeOrder(services, course.slug, world.request(course.offerId, 700, { email: 'n@post.example' }), shopper('n')),
    ).rejects.toMatchObject({ code: 'not-on-sale' })
    const { rows } = await db.execute<{ next: string }>("select nextval('practice_order_numbers') as next")
    expect(Number(rows[0]?.next)).toBeGreaterThan(Math.max(...taken))
  })

  it('even where nobody compares, the same payment is asked for by the same key, and is charged once', async () => {
    const life = await lifeAfterBackup()
    const { services, db } = await putBack(life.file)
    await db.execute("delete from upkeep where name = 'restored'")
    world.clock.offsetMs = MONTH
    await collectAgreement(services, life.agreementId)
    expect(await paid(db, life.planOrder)).toEqual([1, 2])
    world.clock.offsetMs = 2 * MONTH
    const again = { connectionId: null, token: '', agreed: 4300, from: 3, to: 3 }
    expect(await payManually(services, life.agreementId, again)).toEqual({ state: 'paid' })
    expect(capturedFor(life.title)).toBe(3)
  })

  it('waits while a gateway does not answer', async () => {
    const { file } = await lifeAfterBackup()
    const { services, db } = await putBack(file)
    world.standins.world.down = true
    expect(await reconcileAll(services)).toBe(false)
    expect(await restoredSince(db)).not.toBeNull()
    world.standins.world.down = false
    expect(await reconcileAll(services)).toBe(true)
    expect(await restoredSince(db)).toBeNull()
  })
})

it('a payment that the gateway collected and nobody told us of counts once the books are compared', async () => {
  const course = await world.sell(3000, 'Untold')
  Object.assign(world.standins.world, { answersLost: true, eventsLost: true })
  const placed = await world.buy(course.slug, world.request(course.offerId, 3000, { email: 'untold@post.example' }))
  Object.assign(world.standins.world, { answersLost: false, eventsLost: false })
  expect(placed.state).toBe('checking')
  // Taken for dropped, though the money came.
  await world.db.update(attempts).set({ state: 'abandoned' }).where(eq(attempts.orderId, placed.orderId))
  await reconcileAll(world.services)
  expect((await world.orderOf(placed.orderId))?.state).toBe('paid')
  const [attempt] = await world.attemptsOf(placed.orderId)
  await lookUpUntilSettled(world.services, attempt?.id as string)
  expect(await world.grantsOf(placed.orderId)).toHaveLength(1)
})

it('a payment under the key of the next try that is of another sum pays nothing, and is kept to be looked at', async () => {
  const course = await world.sell(3100, 'Another sum')
  const email = 'another-sum@post.example'
  const placed = await world.buy(course.slug, world.request(course.offerId, 3100, { email }, 'not-enough-money'))
  const { adapter, credentials } = await openConnection(world.services, world.connectionId)
  const key = attemptKey({ orderId: placed.orderId, agreementId: null, fromN: null }, 1)
  await adapter.begin(credentials, {
    key,
    amount: 3000,
    currency: 'EUR',
    source: { token: world.standins.tokenOf('pays'), keep: false },
    reference: 'Another sum',
    statement: 'TEST',
  })
  await reconcileAll(world.services)
  expect((await world.orderOf(placed.orderId))?.state).toBe('open')
  expect((await listUnknown(world.services, 'practice')).map(({ amount }) => amount)).toContain(3000)
})
