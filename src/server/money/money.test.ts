import { sql } from 'drizzle-orm'
import Papa from 'papaparse'
import * as v from 'valibot'
import { beforeAll, describe, expect, it } from 'vitest'
import type { DraftTerms } from '../../core/content/offer.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { THREE_PARTS } from '../../testing/terms.ts'
import { stopRetrying } from '../collecting/actions.ts'
import { agreementsDue, collectAgreement } from '../collecting/collect.ts'
import { agreements, courses } from '../db/schema/index.ts'
import { moneyCalendar, movementsCsv, paymentsCsv } from './files.ts'
import { listMovements, movementsBetween } from './movements.ts'
import { listPayments, paymentsBetween, paymentsToCome } from './payments.ts'
import { spanQuery } from './query.ts'
import type { MoneyRow } from './rows.ts'
import { sumMonths, sumSpan } from './spans.ts'
import { aggregate } from './sums.ts'

const month = { count: 1, unit: 'month' } as const
const monthly: DraftTerms = {
  kind: 'subscription',
  amount: 1900,
  every: month,
  payments: null,
  setupFee: 500,
  trial: null,
}

const world = ownWorld()
let rows: MoneyRow[]
const all = { search: '' }
const ALWAYS = { from: '2020-01-01', until: '2039-12-31' }
beforeAll(async () => {
  const buy = async (terms: DraftTerms | number, pay: number, who: string, card = 'pays') => {
    const { slug, offerId } = await world.sell(terms, `For ${who}`)
    await world.buy(slug, world.request(offerId, pay, { email: `${who}@post.example`, name: `=${who}` }, card), who)
  }
  await buy(12_900, 12_900, 'once')
  await buy(THREE_PARTS, 4300, 'well')
  await buy(THREE_PARTS, 4300, 'late', 'pays-once')
  await buy(THREE_PARTS, 4300, 'stopped')
  await buy(monthly, 2400, 'member')
  await buy(4800, 4800, 'declined', 'not-enough-money')
  const { transfer } = await world.connectOthers()
  const sold = await world.sell(7900, 'For waiting')
  await world.buy(
    sold.slug,
    world.request(sold.offerId, 7900, {
      email: 'waiting@post.example',
      name: '=waiting',
      payment: { connectionId: transfer, token: '' },
    }),
    'waiting',
  )
  const stopped = (await world.db.select().from(agreements))[2]
  await stopRetrying(world.services, stopped?.id as string, 'asked')
  world.clock.offsetMs = 32 * 86_400_000
  for (const id of await agreementsDue(world.services, 'practice')) await collectAgreement(world.services, id)
  rows = await paymentsBetween(world.services, 'practice', ALWAYS, all)
})

const sum = (list: readonly MoneyRow[], pick: (row: MoneyRow) => number) =>
  list.reduce((total, row) => total + pick(row), 0)

describe('expected and received', () => {
  it('every total of a month is the sum of its rows, and its parts are what was expected', async () => {
    const { months } = await sumMonths(world.services, 'practice', all)
    for (const { month: name, ...total } of months) {
      const of = rows.filter(({ due }) => due.startsWith(name))
      const by = (status: MoneyRow['status']) =>
        sum(
          of.filter((row) => row.status === status),
          ({ pay }) => pay,
        )
      expect(total).toMatchObject({
        expected: sum(of, ({ pay }) => pay),
        paid: by('paid'),
        awaited: by('awaited'),
        late: by('late'),
        givenUp: by('given-up'),
        toCome: by('to-come'),
        payments: of.length,
      })
      expect(total.paid + total.awaited + total.late + total.givenUp + total.toCome).toBe(total.expected)
    }
  })

  it('of any span it tells the same: altogether, by month, by day, and row by row', async () => {
    const days = [...new Set(rows.map(({ due }) => due))]
    const [first = '', second = ''] = days
    for (const span of [
      ALWAYS,
      { from: first, until: first },
      { from: first, until: second },
      { from: second, until: second },
    ]) {
      const { total, months, days: byDay } = await sumSpan(world.services, 'practice', { ...span, ...all })
      const of = rows.filter(({ due }) => due >= span.from && due <= span.until)
      expect(total).toMatchObject({
        payments: of.length,
        expected: sum(of, ({ pay }) => pay),
      })
      const adding = (parts: { expected: number }[]) => parts.reduce((so, { expected }) => so + expected, 0)
      expect(adding(months)).toBe(total.expected)
      if (span !== ALWAYS) expect(adding(byDay)).toBe(total.expected)
      const listed = await listPayments(world.services, 'practice', { ...span, ...all })
      expect(listed.payments).toHaveLength(of.length)
    }
    const late = rows.find(({ status }) => status === 'late')
    const { total, days: lateDays } = await sumSpan(world.services, 'practice', {
      from: late?.due ?? '',
      until: late?.due ?? '',
      ...all,
    })
    expect(total.late).toBe(late?.pay)
    expect(lateDays).toMatchObject([{ day: late?.due, late: late?.pay }])
    // Narrowed to a buyer it is read from their payments, and comes to the same.
    const mine = await sumSpan(world.services, 'practice', { ...ALWAYS, search: 'late@' })
    expect(mine.total).toMatchObject({ paid: 4300, received: 4300, late: 4300, toCome: 4300, payments: 3 })
  })

  it('lists a page after any payment, narrowed to a course, a payment method, what came and what is to come', async () => {
    const [course] = await world.db.select().from(courses).where(sql`${courses.live}->>'title' = 'For well'`)
    for (const query of [all, { ...all, paymentMethod: 'thistle' }, { ...all, course: course?.id }]) {
      for (const status of [undefined, 'paid', 'awaited', 'late', 'to-come'] as const) {
        const whole = await listPayments(world.services, 'practice', { ...ALWAYS, ...query, status })
        const of = rows.filter(
          (row) =>
            ('course' in query
              ? row.course === 'For well'
              : 'paymentMethod' in query
                ? row.paymentMethod === query.paymentMethod
                : true) &&
            (!status || row.status === status),
        )
        expect(new Set(whole.payments.map(({ id }) => id))).toEqual(new Set(of.map(({ id }) => id)))
        for (const [index, { due, orderId, id }] of whole.payments.entries()) {
          const after = `${due}|${orderId}|${id}`
          const rest = await listPayments(world.services, 'practice', { ...ALWAYS, ...query, status, after })
          expect(rest.payments.map((row) => row.id)).toEqual(whole.payments.slice(index + 1).map((row) => row.id))
        }
      }
    }
  })

  it('says at its field what is wrong with a span', () => {
    const said = (from: string, until: string) =>
      v.safeParse(spanQuery, { from, until }).issues?.map(({ message, path }) => [path?.at(-1)?.key, message])
    expect(said('2026-03-02', '2026-03-01')).toEqual([['until', 'The last day is before the first.']])
    expect(said('2001-01-01', '2026-01-01')).toEqual([['until', 'At most 20 years at a time.']])
    expect(said('2026-02-30', '2026-03-01')).toEqual([['from', 'This date does not exist.']])
    expect(said('2026-03-01', '2026-03-01')).toBeUndefined()
  })

  it('shows a year back and ahead in whichever month it is', async () => {
    for (let days = 0; days < 360; days += 30) {
      world.clock.offsetMs += 30 * 86_400_000
      const { today, months } = await sumMonths(world.services, 'practice', all)
      expect(months).toHaveLength(24)
      expect(months[11]?.month).toBe(today.slice(0, 7))
    }
    world.clock.offsetMs = 32 * 86_400_000
  })

  it('agrees with the gateway’s own books to the cent, fees too', () => {
    const captured = [...world.standins.books.payments.values()].filter(({ state }) => state === 'captured')
    const received = rows.filter(({ status }) => status === 'paid')
    expect(sum(received, ({ pay }) => pay)).toBe(captured.reduce((total, { amount }) => total + amount, 0))
    expect(sum(received, ({ fee }) => fee)).toBe(captured.reduce((total, { fee }) => total + fee, 0))
  })

  it('says what is late and what happens next, what is not tried any more, and leaves out what was never sold', () => {
    expect(rows.filter(({ status }) => status === 'late')).toMatchObject([
      { buyer: '=late', n: 2, of: 3, tries: 1, nextTry: expect.stringMatching(/^\d{4}-/) },
    ])
    expect(rows.filter(({ status }) => status === 'given-up').map(({ buyer, n }) => [buyer, n])).toEqual([
      ['=stopped', 2],
      ['=stopped', 3],
    ])
    expect(rows.some(({ email }) => email === 'declined@post.example')).toBe(false)
  })

  it('awaits a transfer, by its payment method and its buyer too, until it came', async () => {
    expect(rows.filter(({ status }) => status === 'awaited')).toMatchObject([
      { buyer: '=waiting', pay: 7900, paymentMethod: 'transfer', daysLate: 32, fee: 0 },
    ])
    for (const query of [{ ...all, paymentMethod: 'transfer' }, { search: 'waiting@' }]) {
      const { total } = await sumSpan(world.services, 'practice', { ...ALWAYS, ...query })
      expect(total).toMatchObject({ expected: 7900, awaited: 7900, paid: 0, received: 0, toCome: 0, payments: 1 })
      const listed = await listPayments(world.services, 'practice', { ...ALWAYS, ...query })
      expect(listed.payments.map(({ buyer }) => buyer)).toEqual(['=waiting'])
    }
  })

  it('narrows to a buyer, a course, a payment method, and keeps live apart', async () => {
    const narrow = (query: object, mode: 'practice' | 'live' = 'practice') =>
      paymentsBetween(world.services, mode, ALWAYS, { search: '', ...query })
    expect((await narrow({ search: 'WELL@' })).map(({ n }) => n)).toEqual([1, 2, 3])
    expect(await narrow({ search: '%' })).toEqual([])
    expect(await narrow({ paymentMethod: 'thistle' })).toHaveLength(rows.length - 1)
    expect(await narrow({ paymentMethod: 'another' })).toEqual([])
    expect(await narrow({}, 'live')).toEqual([])
  })
})

describe('many buyers', () => {
  it('a search that finds more than fifty leaves none of them out', async () => {
    const { slug, offerId } = await world.sell(100, 'Crowd')
    const buyers = Array.from({ length: 53 }, (_, index) => `crowd${index}@many.example`)
    for (const email of buyers) await world.buy(slug, world.request(offerId, 100, { email, name: 'Ádá Çrowd' }), email)
    await aggregate(world.db)
    for (const search of ['many.example', 'ada crowd']) {
      const found = await paymentsBetween(world.services, 'practice', ALWAYS, { search })
      expect(found).toHaveLength(buyers.length)
      const { total } = await sumSpan(world.services, 'practice', { ...ALWAYS, search })
      expect(total.received).toBe(buyers.length * 100)
    }
  })
})

describe('files', () => {
  const centsIn = (data: Record<string, string>[]) => (column: string) =>
    data.reduce((total, row) => total + Math.round(Number(row[column]) * 100), 0)

  it('what is expected comes to the same cent as CSV, and a name that is a formula stays text', () => {
    const csv = paymentsCsv(rows, 'Europe/Vienna')
    expect(csv).toContain('\r\n')
    const { data } = Papa.parse<Record<string, string>>(csv, { header: true })
    expect(data).toHaveLength(rows.length)
    expect(centsIn(data)('expected')).toBe(sum(rows, ({ pay }) => pay))
    expect(data[0]?.buyer).toBe("'=once")
    for (const row of data) {
      const isPaid = row.state === 'paid'
      expect(row['paid on']).toMatch(isPaid ? /^\d{4}-\d\d-\d\d$/ : /^$/)
      expect(row.reference !== '').toBe(isPaid)
    }
  })

  it('what moved comes to the same cent as CSV, a row for each movement', async () => {
    const moved = await movementsBetween(world.services, 'practice', ALWAYS, all)
    const { total } = await sumSpan(world.services, 'practice', { ...ALWAYS, ...all })
    const { data } = Papa.parse<Record<string, string>>(movementsCsv(moved), { header: true })
    const cents = centsIn(data)
    expect(cents('received')).toBe(total.received)
    expect(cents('fee')).toBe(total.fees)
    expect(cents('net')).toBe(total.received - total.fees)
    // The gateway's own reference, by which a payout is told.
    expect(data.every(({ reference, day }) => reference !== '' && /^\d{4}-\d\d-\d\d$/.test(day ?? ''))).toBe(true)
    for (let after: string | undefined, seen = 0; ; ) {
      const page = await listMovements(world.services, 'practice', { ...ALWAYS, ...all, ...(after ? { after } : {}) })
      expect(page.movements).toEqual(moved.slice(seen, seen + page.movements.length))
      seen += page.movements.length
      if (page.next === null) {
        expect(seen).toBe(moved.length)
        break
      }
      after = page.next
    }
  })

  it('a figure below zero stays a figure, whoever the buyer is', async () => {
    const [row] = await movementsBetween(world.services, 'practice', ALWAYS, all)
    const csv = movementsCsv([{ ...(row as NonNullable<typeof row>), buyer: '-1+2', received: 0, fee: 153 }])
    const { data } = Papa.parse<Record<string, string>>(csv, { header: true })
    expect(data[0]).toMatchObject({ net: '-1.53', buyer: "'-1+2" })
  })

  it('the calendar holds each payment to come, and each that is tried again, as a day that blocks no time', async () => {
    const { rows: coming, schoolName } = await paymentsToCome(world.services, 'practice')
    const calendar = moneyCalendar(schoolName, coming, 'en')
    expect(calendar.match(/BEGIN:VEVENT/g)).toHaveLength(coming.length)
    expect(calendar.match(/TRANSP:TRANSPARENT/g)).toHaveLength(coming.length)
    const again = coming.filter(({ status }) => status === 'late')
    const first = coming.find(({ status }) => status === 'to-come')
    expect(again).toHaveLength(1)
    for (const day of [again[0]?.nextTry, first?.due])
      expect(calendar).toContain(`DTSTART;VALUE=DATE:${day?.replaceAll('-', '')}`)
    expect(calendar.match(/SUMMARY:Tried again/g)).toHaveLength(1)
    expect(coming.every(({ status }) => status === 'to-come' || status === 'late')).toBe(true)
  })
})
