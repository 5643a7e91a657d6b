import { asc } from 'drizzle-orm'
import { beforeAll, describe, expect, it } from 'vitest'
import { addDays } from '../../core/calendar/day.ts'
import type { DraftTerms } from '../../core/content/offer.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { shopper } from '../../testing/world.ts'
import { checkOrder } from '../checkout/status.ts'
import { stopRetrying } from '../collecting/actions.ts'
import { agreementsDue, collectAgreement } from '../collecting/collect.ts'
import { agreements } from '../db/schema/index.ts'
import { schoolDay } from '../school/service.ts'
import { listLate, listPayments, paymentsBetween } from './payments.ts'
import { type MoneyFilters, PAGE } from './query.ts'
import type { MoneyRow } from './rows.ts'

const ALWAYS = { from: '2020-01-01', until: '2039-12-31' }
const DAY = 86_400_000
const weekly = (count: number): DraftTerms => ({
  kind: 'installments',
  count,
  every: { count: 1, unit: 'week' },
  amount: 1000,
  total: null,
  deposit: null,
  trial: null,
})

const world = ownWorld()
const filters: Record<string, MoneyFilters> = {}
/** A course of two offers of which most agreements were stopped, and payments by card and by wallet. */
beforeAll(async () => {
  const { moor } = await world.connectOthers()
  const course = await world.sell(weekly(20), 'Stopped mostly')
  const other = await world.offer(course.courseId, weekly(18))
  const apart = await world.sell(weekly(10), 'Apart')
  for (let n = 0; n < 14; n++) {
    const behaviour = n % 7 === 3 ? 'pays-once' : 'pays'
    const request = world.request(n % 2 ? course.offerId : other, 1000, { email: `page${n}@post.example` }, behaviour)
    await world.buy(course.slug, request, `browser${n}`)
  }
  for (let n = 0; n < 6; n++) {
    const payment = { connectionId: moor, token: '' }
    const request = world.request(apart.offerId, 1000, { email: `moor${n}@post.example`, payment })
    const placed = await world.buy(apart.slug, request, `moor${n}`)
    if (placed.state !== 'confirming') throw new Error(placed.state)
    await world.press(placed.url, 'pays')
    await checkOrder(world.services, placed.orderId, shopper(`moor${n}`))
  }
  const made = await world.db.select().from(agreements).orderBy(asc(agreements.createdAt))
  for (const { id } of made.slice(0, 9)) await stopRetrying(world.services, id, 'asked')
  for (let week = 0; week < 3; week++) {
    world.clock.offsetMs += 7 * DAY
    for (const id of await agreementsDue(world.services, 'practice')) await collectAgreement(world.services, id)
  }
  Object.assign(filters, {
    everything: { search: '' },
    'a course of two offers': { search: '', course: course.courseId },
    'one offer': { search: '', offer: other },
    'a payment method': { search: '', paymentMethod: 'thistle' },
    'a payment method and a course': { search: '', paymentMethod: 'thistle', course: course.courseId },
    'a buyer': { search: 'page1@' },
  })
})

/** Every page, one after the other; all but the last are full. */
async function allPages(read: (after: string | undefined) => Promise<{ payments: MoneyRow[]; next: string | null }>) {
  const found: MoneyRow[] = []
  for (let after: string | undefined; ; ) {
    const { payments, next } = await read(after)
    found.push(...payments)
    if (next === null) return found
    expect(payments).toHaveLength(PAGE)
    after = next
  }
}

const inOrder = (rows: MoneyRow[]) => rows.map(({ due, orderId, id }) => `${due}|${orderId}|${id}`).sort()
const keys = (rows: MoneyRow[]) => rows.map(({ due, orderId, id }) => `${due}|${orderId}|${id}`)

describe.each([
  'everything',
  'a course of two offers',
  'one offer',
  'a payment method',
  'a payment method and a course',
  'a buyer',
])('narrowed to %s', (name) => {
  it.each(['expected', 'paid', 'to-come', 'given-up', 'late', 'awaited'] as const)(
    'the pages of what is %s hold all of it once, in order',
    async (asked) => {
      const status = asked === 'expected' ? undefined : asked
      const query = filters[name] as MoneyFilters
      const today = await schoolDay(world.services)
      for (const span of [ALWAYS, { from: ALWAYS.from, until: today }, { from: today, until: addDays(today, 60) }]) {
        const whole = await paymentsBetween(world.services, 'practice', span, query)
        const expected = whole.filter((row) => status === undefined || row.status === status)
        const ask = { ...span, ...query, ...(status ? { status } : {}) }
        const paged = await allPages((after) =>
          listPayments(world.services, 'practice', { ...ask, ...(after ? { after } : {}) }),
        )
        expect(keys(paged)).toEqual(inOrder(expected))
      }
    },
  )

  it.each(['late', 'given-up'] as const)('the board of what is %s holds it too', async (status) => {
    const query = filters[name] as MoneyFilters
    const whole = await paymentsBetween(world.services, 'practice', ALWAYS, query)
    const paged = await allPages((after) =>
      listLate(world.services, 'practice', { ...query, status, ...(after ? { after } : {}) }),
    )
    expect(keys(paged)).toEqual(inOrder(whole.filter((row) => row.status === status)))
  })
})

it('has more than a page of what is to come among what was given up', async () => {
  const rows = await paymentsBetween(
    world.services,
    'practice',
    ALWAYS,
    filters['a course of two offers'] as MoneyFilters,
  )
  const count = (status: string) => rows.filter((row) => row.status === status).length
  expect(count('to-come')).toBeGreaterThan(PAGE)
  expect(count('given-up')).toBeGreaterThan(2 * PAGE)
  expect(count('late')).toBeGreaterThan(0)
  const paymentMethods = new Set(rows.map(({ paymentMethod }) => paymentMethod))
  expect(paymentMethods).toEqual(new Set(['thistle']))
})
