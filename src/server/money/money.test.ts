import Papa from 'papaparse'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { DraftTerms } from '../../core/content/offer.ts'
import { openWorld, type World } from '../../testing/world.ts'
import { stopChasing } from '../collecting/byHand.ts'
import { agreementsDue, collectAgreement } from '../collecting/collect.ts'
import { agreements } from '../db/schema/index.ts'
import { moneyCalendar, moneyCsv } from './files.ts'
import { type MoneyRow, paymentsBetween, paymentsToCome, sumMonths } from './service.ts'

const month = { count: 1, unit: 'month' } as const
const parts: DraftTerms = {
  kind: 'installments',
  count: 3,
  every: month,
  amount: 4300,
  total: null,
  deposit: null,
  trial: null,
}
const monthly: DraftTerms = {
  kind: 'subscription',
  amount: 1900,
  every: month,
  payments: null,
  setupFee: 500,
  trial: null,
}

let world: World
let rows: MoneyRow[]
const all = { search: '' }
beforeAll(async () => {
  world = await openWorld()
  const buy = async (terms: DraftTerms | number, pay: number, who: string, card = 'pays') => {
    const { slug, offerId } = await world.sell(terms, `For ${who}`)
    await world.buy(slug, world.request(offerId, pay, { email: `${who}@post.example`, name: `=${who}` }, card), who)
  }
  await buy(12_900, 12_900, 'once')
  await buy(parts, 4300, 'well')
  await buy(parts, 4300, 'late', 'pays-once')
  await buy(parts, 4300, 'stopped')
  await buy(monthly, 2400, 'member')
  await buy(4800, 4800, 'declined', 'not-enough-money')
  const stopped = (await world.db.select().from(agreements))[2]
  await stopChasing(world.services, stopped?.id as string, 'asked')
  world.clock.offsetMs = 32 * 86_400_000
  for (const id of await agreementsDue(world.services, 'practice')) await collectAgreement(world.services, id)
  rows = await paymentsBetween(world.services, 'practice', '2000-01-01', '2999-01-01', all)
})
afterAll(() => world.close())

const sum = (list: readonly MoneyRow[], pick: (row: MoneyRow) => number) =>
  list.reduce((total, row) => total + pick(row), 0)

describe('expected and received', () => {
  it('every total of a month is the sum of its rows, and its parts are what was expected', async () => {
    const { months } = await sumMonths(world.services, 'practice', all)
    for (const { month: name, ...total } of months) {
      const of = rows.filter(({ due }) => due.startsWith(name))
      const by = (standing: MoneyRow['standing']) =>
        sum(
          of.filter((row) => row.standing === standing),
          ({ pay }) => pay,
        )
      expect(total).toEqual({
        expected: sum(of, ({ pay }) => pay),
        received: by('received'),
        fees: sum(of, ({ fee }) => fee),
        refunds: sum(of, (row) => row.refunded),
        late: by('late'),
        givenUp: by('given-up'),
        toCome: by('to-come'),
        payments: of.length,
      })
      expect(total.received + total.late + total.givenUp + total.toCome).toBe(total.expected)
    }
  })

  it('agrees with the gateway’s own books to the cent, fees too', () => {
    const captured = [...world.standins.books.payments.values()].filter(({ state }) => state === 'captured')
    const received = rows.filter(({ standing }) => standing === 'received')
    expect(sum(received, ({ pay }) => pay)).toBe(captured.reduce((total, { amount }) => total + amount, 0))
    expect(sum(received, ({ fee }) => fee)).toBe(captured.reduce((total, { fee }) => total + fee, 0))
  })

  it('says what is late and what happens next, what is not tried any more, and leaves out what was never sold', () => {
    expect(rows.filter(({ standing }) => standing === 'late')).toMatchObject([
      { buyer: '=late', n: 2, of: 3, tries: 1, nextTry: expect.stringMatching(/^\d{4}-/) },
    ])
    expect(rows.filter(({ standing }) => standing === 'given-up').map(({ buyer, n }) => [buyer, n])).toEqual([
      ['=stopped', 2],
      ['=stopped', 3],
    ])
    expect(rows.some(({ email }) => email === 'declined@post.example')).toBe(false)
  })

  it('narrows to a buyer, a course, a way, and keeps live apart', async () => {
    const narrow = (query: object, mode: 'practice' | 'live' = 'practice') =>
      paymentsBetween(world.services, mode, '2000-01-01', '2999-01-01', { search: '', ...query })
    expect((await narrow({ search: 'WELL@' })).map(({ n }) => n)).toEqual([1, 2, 3])
    expect(await narrow({ search: '%' })).toEqual([])
    expect(await narrow({ way: 'thistle' })).toHaveLength(rows.length)
    expect(await narrow({ way: 'another' })).toEqual([])
    expect(await narrow({}, 'live')).toEqual([])
  })
})

describe('files', () => {
  it('CSV comes to the same cent, and a name that is a formula stays text', () => {
    const csv = moneyCsv(rows)
    expect(csv).toContain('\r\n')
    const { data } = Papa.parse<Record<string, string>>(csv, { header: true })
    expect(data).toHaveLength(rows.length)
    const cents = (column: string) => data.reduce((total, row) => total + Math.round(Number(row[column]) * 100), 0)
    expect(cents('expected')).toBe(sum(rows, ({ pay }) => pay))
    expect(cents('received')).toBe(sum(rows, ({ pay, standing }) => (standing === 'received' ? pay : 0)))
    expect(cents('net')).toBe(cents('received') - cents('fee'))
    expect(data[0]?.buyer).toBe("'=once")
  })

  it('the calendar holds each payment to come, as a day', async () => {
    const { rows: coming, schoolName } = await paymentsToCome(world.services, 'practice')
    const calendar = moneyCalendar(schoolName, coming, 'en')
    expect(calendar.match(/BEGIN:VEVENT/g)).toHaveLength(coming.length)
    expect(calendar).toContain(`DTSTART;VALUE=DATE:${coming[0]?.due.replaceAll('-', '')}`)
    expect(coming.every(({ standing }) => standing === 'to-come')).toBe(true)
  })
})
