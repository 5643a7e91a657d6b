import { readFileSync } from 'node:fs'
import { asc, eq, sql } from 'drizzle-orm'
import { beforeAll, describe, expect, it } from 'vitest'
import { balancesByHledger, registerByHledger } from '../../testing/hledger.ts'
import { advance, agree } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { THREE_PARTS } from '../../testing/terms.ts'
import { eventually } from '../../testing/world.ts'
import { transaction } from '../db/client.ts'
import { attempts, disputes, ledger, orderLines, orders, transfers } from '../db/schema/index.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { movementsBetween } from '../money/movements.ts'
import { sumSpan } from '../money/spans.ts'
import { answerDispute } from '../refunds/disputes.ts'
import { refundLine, refundOutside } from '../refunds/service.ts'
import { schoolDay } from '../school/service.ts'
import { giveSurplusBack, recordTransferReceived, takeMarkBack } from '../transfers/marks.ts'
import { accountsOf, enterPayout, takePayoutBack } from './payouts.ts'
import { journalOf } from './plainText.ts'
import { balancesOf } from './sums.ts'

const world = ownWorld()
const ALWAYS = { from: '2020-01-01', until: '2039-12-31' }
let paymentMethods: { moor: string; brook: string; transfer: string }
let today: string
beforeAll(async () => {
  paymentMethods = await world.connectOthers()
  today = await schoolDay(world.services)
})

/** Two things in one order: 129.00 with 20 % and 19.00 with 10 % of tax inside. */
async function both(name: string, more: object = {}, browser = name) {
  const once = await world.sell(12_900, `Marbling ${name}`)
  const second = await world.sell(1900, `Club ${name}`, { taxRate: 1000 })
  const email = `${name}@ledger.example`
  const lines = [once, second].map(({ offerId }) => ({ offerId, chosen: null }))
  const ask = (how: object, from = browser) =>
    world.buyTogether({ ...world.request(once.offerId, 14_800, { email, ...how }), lines }, from)
  const placed = await ask(more)
  const rows = await world.db
    .select()
    .from(orderLines)
    .where(eq(orderLines.orderId, placed.orderId))
    .orderBy(asc(orderLines.position))
  return { orderId: placed.orderId, lines: rows.map(({ id }) => id), ask, once, second }
}
const byTransfer = () => ({ payment: { connectionId: paymentMethods.transfer, token: '' } })
const came = (orderId: string, amount: number, more: object = {}) =>
  recordTransferReceived(world.services, 'practice', orderId, { amount, day: today, note: '', ...more })
const give = (orderId: string, lineId: string, amount: number) =>
  refundLine(world.services, 'practice', orderId, { lineId, amount, access: 'keep', note: 'asked' })
const attemptOf = async (orderId: string) =>
  (await world.db.select().from(attempts).where(eq(attempts.orderId, orderId)))[0] as typeof attempts.$inferSelect

/** What an order's movements came to by account, with products named by their place in it. */
async function accounts(orderId: string) {
  const rows = await world.db
    .select({ account: ledger.account, amount: sql<number>`sum(${ledger.amount})::float8` })
    .from(ledger)
    .where(eq(ledger.orderId, orderId))
    .groupBy(ledger.account)
    .having(sql`sum(${ledger.amount}) <> 0`)
    .orderBy(asc(ledger.account))
  return Object.fromEntries(rows.map(({ account, amount }) => [account.replace(/^(income:sales:\w+).*/, '$1'), amount]))
}
const kinds = async (orderId: string) => {
  const of = world.db
    .selectDistinct({ transaction: ledger.transaction, kind: ledger.kind, day: ledger.day })
    .from(ledger)
    .where(eq(ledger.orderId, orderId))
    .orderBy(asc(ledger.transaction))
  return (await of).map(({ kind }) => kind)
}

describe('an order of two things', () => {
  it('by card: the gateway holds what is left after its fee, each line is earned, tax is owed', async () => {
    const { orderId } = await both('card')
    const { fee } = await attemptOf(orderId)
    expect(await accounts(orderId)).toEqual({
      'assets:gateway:thistle': 14_800 - (fee ?? 0),
      'expenses:fees:thistle': fee,
      'income:sales:club': -1727,
      'income:sales:marbling': -10_750,
      'liabilities:vat': -2323,
    })
    expect(await kinds(orderId)).toEqual(['payment'])
  })

  it('declined or free, it moves nothing', async () => {
    const course = await world.sell(null, 'Free')
    const placed = await world.buy(course.slug, world.request(course.offerId, 0, { email: 'free@ledger.example' }))
    expect(await kinds(placed.orderId)).toEqual([])
    const other = await world.sell(4800, 'Declined')
    const request = world.request(other.offerId, 4800, { email: 'declined@ledger.example' }, 'not-enough-money')
    expect(await kinds((await world.buy(other.slug, request)).orderId)).toEqual([])
  })

  it('given back twice it stands twice, each on its day; all given back leaves neither sales nor tax', async () => {
    const { orderId, lines } = await both('back')
    const { fee } = await attemptOf(orderId)
    await give(orderId, lines[0] as string, 3333)
    world.clock.offsetMs += 86_400_000
    await give(orderId, lines[0] as string, 9567)
    await give(orderId, lines[1] as string, 1900)
    expect(await accounts(orderId)).toEqual({ 'assets:gateway:thistle': -(fee ?? 0), 'expenses:fees:thistle': fee })
    const moved = await movementsBetween(world.services, 'practice', ALWAYS, { search: 'back@ledger.example' })
    expect(
      moved.filter(({ kind }) => kind === 'refund').map((row) => [row.day > today, row.givenBack, row.tax]),
    ).toEqual([
      [false, 3333, -556],
      [true, 9567, -1594],
      [true, 1900, -173],
    ])
  })

  it('given back by other means it leaves the bank, not the gateway', async () => {
    const { orderId, lines } = await both('outside')
    const { fee } = await attemptOf(orderId)
    const how = { lineId: lines[1] as string, amount: 1900, reference: 'SEPA 7', access: 'keep', note: 'x' } as const
    await refundOutside(world.services, 'practice', orderId, how)
    expect(await accounts(orderId)).toMatchObject({
      'assets:bank': -1900,
      'assets:gateway:thistle': 14_800 - (fee ?? 0),
      'liabilities:vat': -2150,
    })
  })

  it('a dispute that is lost is an expense, and its tax is not owed any more', async () => {
    const { orderId } = await both('lost')
    const { reference, fee } = await attemptOf(orderId)
    world.standins.announceDispute(world.standins.books.dispute(reference ?? '', 'Not theirs'))
    const of = async () => (await world.db.select().from(disputes).where(eq(disputes.orderId, orderId)))[0]
    await eventually(async () => (await of())?.state === 'open')
    expect(await kinds(orderId)).toEqual(['payment'])
    const answer = { accept: true, access: 'close', note: 'theirs' } as const
    await answerDispute(world.services, 'practice', (await of())?.id as string, answer)
    expect(await accounts(orderId)).toEqual({
      'assets:gateway:thistle': -(fee ?? 0),
      'expenses:disputes': 12_477,
      'expenses:fees:thistle': fee,
      'income:sales:club': -1727,
      'income:sales:marbling': -10_750,
    })
    expect(await kinds(orderId)).toEqual(['payment', 'dispute'])
  })
})

describe('a transfer', () => {
  it('that comes whole is one movement, on the day on which it came', async () => {
    const { orderId } = await both('whole', byTransfer())
    world.clock.offsetMs += 3 * 86_400_000
    await came(orderId, 14_800)
    expect(await kinds(orderId)).toEqual(['transfer'])
    expect(await accounts(orderId)).toEqual({
      'assets:bank': 14_800,
      'income:sales:club': -1727,
      'income:sales:marbling': -10_750,
      'liabilities:vat': -2323,
    })
    const rows = await world.db.select().from(ledger).where(eq(ledger.orderId, orderId))
    expect(new Set(rows.map(({ day }) => day))).toEqual(new Set([today]))
  })

  it('in parts is the buyer’s until all is there; what is too much stays theirs, until it is given back', async () => {
    const { orderId } = await both('parts', byTransfer())
    await came(orderId, 4801)
    expect(await accounts(orderId)).toEqual({ 'assets:bank': 4801, 'liabilities:prepaid': -4801 })
    const board = () => sumSpan(world.services, 'practice', { ...ALWAYS, search: 'parts@ledger.example' })
    // A part that came is received, and its order is still awaited.
    expect((await board()).total).toMatchObject({ received: 4801, receivedTax: 0, awaited: 14_800, paid: 0 })
    await came(orderId, 11_000)
    expect(await accounts(orderId)).toMatchObject({
      'assets:bank': 15_801,
      'liabilities:overpaid': -1001,
      'liabilities:vat': -2323,
    })
    expect(await accounts(orderId)).not.toHaveProperty('liabilities:prepaid')
    const marks = await world.db.select().from(transfers).where(eq(transfers.orderId, orderId))
    const surplus = marks.find(({ isSurplus }) => isSurplus)?.id as string
    await giveSurplusBack(world.services, 'practice', orderId, surplus, 'sent back')
    expect(await accounts(orderId)).toEqual({
      'assets:bank': 14_800,
      'income:sales:club': -1727,
      'income:sales:marbling': -10_750,
      'liabilities:vat': -2323,
    })
    expect(await kinds(orderId)).toEqual(['transfer', 'transfer', 'surplus', 'completion', 'refund'])
    expect((await board()).total).toMatchObject({ received: 15_801, receivedTax: 2323, givenBack: 1001 })
    // What was given back was none of its sale: all of that can still be.
    const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, orderId))
    await give(orderId, line?.id as string, 12_900)
    expect(await accounts(orderId)).toMatchObject({ 'assets:bank': 1900, 'liabilities:vat': -173 })
  })

  it('marked by mistake is corrected on the day of the correction, and can come after all', async () => {
    const { orderId } = await both('mistake', byTransfer())
    const mark = async () => {
      const rows = await world.db.select().from(transfers).where(eq(transfers.orderId, orderId))
      return rows.filter(({ takenBackAt }) => takenBackAt === null)
    }
    const back = async (id: string) => takeMarkBack(world.services, 'practice', orderId, id, 'wrong order')
    await came(orderId, 14_800)
    await back((await mark())[0]?.id as string)
    expect(await accounts(orderId)).toEqual({})
    await came(orderId, 5000)
    await came(orderId, 9800)
    const [first] = await mark()
    await back(first?.id as string)
    expect(await accounts(orderId)).toEqual({ 'assets:bank': 9800, 'liabilities:prepaid': -9800 })
    await came(orderId, 5000)
    expect(await accounts(orderId)).toMatchObject({ 'assets:bank': 14_800, 'liabilities:vat': -2323 })
    expect((await kinds(orderId)).filter((kind) => kind === 'correction')).toHaveLength(2)
  })
})

describe('money that nobody waited for', () => {
  it('paid twice is the buyer’s: no sale, no tax, and it goes back as such', async () => {
    const waiting = await both('twice', byTransfer(), 'one')
    expect((await waiting.ask({}, 'two')).state).toBe('paid')
    await came(waiting.orderId, 14_800)
    expect(await accounts(waiting.orderId)).toEqual({ 'assets:bank': 14_800, 'liabilities:overpaid': -14_800 })
    for (const [index, amount] of [12_900, 1900].entries()) {
      await give(waiting.orderId, waiting.lines[index] as string, amount)
    }
    expect(await accounts(waiting.orderId)).toEqual({})
  })

  it('that a gateway took for an attempt it had closed is booked once, as the buyer’s', async () => {
    const course = await world.sell(12_900, 'Closed')
    const ask = (card: string) =>
      world.buy(course.slug, world.request(course.offerId, 12_900, { email: 'closed@ledger.example' }, card), 'closed')
    const { orderId } = await ask('confirms')
    const closed = await attemptOf(orderId)
    expect((await ask('pays')).state).toBe('paid')
    const before = await accounts(orderId)
    const outcome = {
      state: 'collected',
      reference: 'late',
      amount: 12_900,
      currency: 'EUR',
      fee: 300,
      method: 'a card',
    } as const
    for (const source of ['event', 'lookup'] as const) {
      await settleAttempt(world.services, closed.id, { ...outcome, savedMethod: null, expires: null }, source)
    }
    expect(await accounts(orderId)).toEqual({
      ...before,
      'assets:gateway:thistle': (before['assets:gateway:thistle'] ?? 0) + 12_600,
      'expenses:fees:thistle': (before['expenses:fees:thistle'] ?? 0) + 300,
      'liabilities:overpaid': -12_900,
    })
  })
})

describe('over time', () => {
  it('each payment counts on the day on which it came, not on the one it was due', async () => {
    const { orderId, email } = await agree(world, THREE_PARTS)
    await advance(world, 40)
    const paidOn = await schoolDay(world.services)
    const { total } = await sumSpan(world.services, 'practice', { from: paidOn, until: paidOn, search: email })
    expect(total).toMatchObject({ received: 4300, expected: 0, paid: 0 })
    expect(await kinds(orderId)).toEqual(['payment', 'payment'])
  })
})

describe('a payout', () => {
  it('moves money from its gateway to the bank; at most what is there, not ahead; taken back it is undone', async () => {
    const held = async (account: string) =>
      (await balancesOf(world.db, 'practice')).find((row) => row.account === account)?.amount ?? 0
    const [there, bank] = [await held('assets:gateway:thistle'), await held('assets:bank')]
    const enter = (amount: number, day = today) =>
      enterPayout(world.services, 'practice', { paymentMethod: 'thistle', amount, day, note: 'statement 7' })
    await expect(enter(there + 1)).rejects.toMatchObject({ errors: [{ at: '/amount' }] })
    await expect(enter(100, '2999-01-01')).rejects.toMatchObject({ errors: [{ at: '/day' }] })
    const before = (await sumSpan(world.services, 'practice', { ...ALWAYS, search: '' })).total
    await enter(there)
    expect([await held('assets:gateway:thistle'), await held('assets:bank')]).toEqual([0, bank + there])
    // Nothing was received by it, and nothing given back.
    expect((await sumSpan(world.services, 'practice', { ...ALWAYS, search: '' })).total).toEqual(before)
    const { payouts } = await accountsOf(world.services, 'practice')
    expect(payouts).toMatchObject([{ paymentMethod: 'thistle', amount: there, note: 'statement 7', day: today }])
    await expect(takePayoutBack(world.services, 'live', payouts[0]?.id as string)).rejects.toMatchObject({
      status: 404,
    })
    await takePayoutBack(world.services, 'practice', payouts[0]?.id as string)
    await expect(takePayoutBack(world.services, 'practice', payouts[0]?.id as string)).rejects.toMatchObject({
      status: 404,
    })
    expect([await held('assets:gateway:thistle'), await held('assets:bank')]).toEqual([there, bank])
    expect((await accountsOf(world.services, 'practice')).payouts).toEqual([])
    await enter(1000)
  })
})

describe('what stands', () => {
  const row = (
    transaction: number,
    amount: number,
  ) => sql`(${transaction}, 'live', '2026-01-01', now(), 'payout', 'EUR',
    'assets:bank', ${amount}, 'thistle')`
  const insert = (...rows: ReturnType<typeof row>[]) =>
    world.db.execute(sql`insert into ledger (transaction, mode, day, at, kind, currency, account, amount, method)
      values ${sql.join(rows, sql`, `)}`)
  const said = (why: string) => ({ cause: expect.objectContaining({ message: expect.stringContaining(why) }) })

  it('adds up to nothing, or is refused by the database', async () => {
    await expect(insert(row(9001, 100), row(9001, -99))).rejects.toMatchObject(said('does not balance'))
    await expect(insert(row(9001, 100), row(9002, -100))).rejects.toMatchObject(said('does not balance'))
    await insert(row(9003, 100), row(9003, -100))
    await expect(insert(row(9003, 5), row(9003, -5))).rejects.toMatchObject(said('never added to'))
  })

  it('is never changed nor deleted, in live not even by clearing', async () => {
    for (const change of [
      sql`update ledger set amount = amount * 2`,
      sql`update ledger set day = '2020-01-01' where mode = 'live'`,
      sql`delete from ledger where mode = 'live'`,
      sql`delete from ledger where mode = 'practice'`,
      sql`truncate ledger`,
    ]) {
      await expect(world.db.execute(change)).rejects.toMatchObject(said('never changed'))
    }
    const clearing = transaction(world.db, async (tx) => {
      await tx.execute(sql`select set_config('ledger.clears', 'practice', true)`)
      await tx.delete(ledger).where(eq(ledger.mode, 'live'))
    })
    await expect(clearing).rejects.toMatchObject(said('never changed'))
  })
})

/** The whole journal of a mode, or of some days of it. */
async function journal(mode: 'practice' | 'live', days: { from?: string; to?: string } = {}) {
  let text = ''
  for await (const line of journalOf(world.db, mode, days)) text += `${line}\n`
  return text
}

describe('as a plain-text journal', () => {
  it('is accepted and added up by another program to the cent: board, gateways’ books and it agree', async () => {
    const balances = balancesByHledger(await journal('practice'))
    expect(balances).toEqual(await balancesOf(world.db, 'practice'))
    const held = (account: string) => balances.find((row) => row.account === account)?.amount ?? 0
    const { total } = await sumSpan(world.services, 'practice', { ...ALWAYS, search: '' })
    expect(held('expenses:fees:thistle')).toBe(total.fees)
    expect(held('assets:gateway:thistle') + held('assets:bank')).toBe(total.received - total.fees - total.givenBack)
    expect(-held('liabilities:vat')).toBe(total.receivedTax - total.givenBackTax)
    const theirs = [...world.standins.books.payments.values()].filter(({ state }) => state === 'captured')
    const net = theirs.reduce((sum, { amount, fee, refunded }) => sum + amount - fee - refunded, 0)
    // One attempt was told to be collected by the test alone; 10.00 were paid out.
    expect(held('assets:gateway:thistle')).toBe(net + 12_600 - 1000)
  })

  it('holds the days asked for, both included, and sums of days make the whole', async () => {
    const [first, last] = [
      today,
      await schoolDay({ ...world.services, now: () => new Date(world.services.now().getTime() + 50 * 86_400_000) }),
    ]
    const whole = balancesByHledger(await journal('practice', { from: first, to: last }))
    const day = balancesByHledger(await journal('practice', { from: today, to: today }))
    const later = balancesByHledger(await journal('practice', { from: '2026-01-01' }))
    expect(later).toEqual(await balancesOf(world.db, 'practice'))
    expect(whole).toEqual(later)
    expect(day).not.toEqual(whole)
    expect(await journal('practice', { to: '2020-01-01' })).not.toContain('Payment')
  })

  it('names a product for ever by its first address, and orders by number; titles cannot break it', async () => {
    const title = 'A title; with: tags, “quotes”\nand lines'
    const course = await world.sell(5000, title)
    await world.buy(course.slug, world.request(course.offerId, 5000, { email: 'title@ledger.example' }))
    const [order] = await world.db.select().from(orders).orderBy(sql`${orders.number} desc`).limit(1)
    const text = await journal('practice')
    expect(text).toContain(`Payment, order ${order?.number}`)
    expect(text).toMatch(/ {4}income:sales:a-title-with-tags-quotes-and-lines {2}-41\.67 EUR/)
    expect(balancesByHledger(text)).toEqual(await balancesOf(world.db, 'practice'))
  })
})

it('no title and no note is anything but text to another program: every day, account and amount is as it was', async () => {
  const hostile = [
    ...[
      '[2026-07]',
      '[1.]',
      '[7/1]',
      '[=2026-01-01]',
      '[2026-01-01=2026-02-02]',
      'A [2026-07-01] retreat',
      ']2026-01-01[',
      '[[1]]',
    ],
    ...[
      '[2026-99-99]',
      '[date:2026-01-01]',
      'date:2026-01-01',
      'date: 1/1',
      'date2:2026-01-01',
      'a:b, c:d',
      'type:A',
      '; date:1/1',
    ],
    ...[
      '; ; ;',
      '* pending',
      '! (code) x',
      '{3 EUR} @ 4 EUR',
      '= 5 EUR',
      '== 0',
      '~ monthly',
      '= expr',
      'include /dev/null',
    ],
    ...[
      'comment',
      'end comment',
      'P 2026-01-01 EUR 2.00 USD',
      'account x',
      'Y2020',
      'D 1,000.00 USD',
      '# % | \\',
      '“quotes” \'"`',
    ],
    ...[
      'a\nb',
      'a\r\n2026-01-01 x\n    assets:bank  1 EUR',
      'a\u2028b',
      '\u202Eright to left',
      '🪡 [1.]',
      'x'.repeat(120),
    ],
  ]
  for (const [n, title] of hostile.entries()) {
    const course = await world.sell(5000 + n, title.trim() || 'x')
    await world.buy(course.slug, world.request(course.offerId, 5000 + n, { email: `hostile${n}@ledger.example` }))
    await enterPayout(world.services, 'practice', {
      paymentMethod: 'thistle',
      amount: 10 + n,
      day: await schoolDay(world.services),
      note: title,
    })
  }
  const text = await journal('practice')
  const { rows } = await world.db.execute<{ day: string; account: string; amount: string }>(
    sql`select day::text, account, (amount / 100.0)::numeric(20, 2)::text as amount from ledger where mode = 'practice'`,
  )
  expect(registerByHledger(text)).toEqual(
    rows.map(({ day, account, amount }) => `${day} ${account} ${amount} EUR`).sort(),
  )
  expect(text).toContain('A (2026-07-01) retreat')
})

it('a database from before the ledger is booked as it would have been', async () => {
  const net = async () => {
    const { rows } = await world.db.execute(sql`
      select order_id, account, day::text, sum(amount)::float8 as amount from ledger
      where order_id is not null and kind <> 'correction' and order_id not in (select order_id from transfers where taken_back_at is not null)
        and order_id not in (select order_id from journal where what = 'attempt-surplus')
      group by 1, 2, 3 having sum(amount) <> 0 order by 1, 2, 3`)
    return rows
  }
  const before = await net()
  await transaction(world.db, async (tx) => {
    await tx.execute(sql`select set_config('ledger.clears', 'practice', true)`)
    await tx.delete(ledger).where(eq(ledger.mode, 'practice'))
    const file = new URL('../db/migrations/0018_ledger.sql', import.meta.url)
    const [, filling] = readFileSync(file, 'utf8').split('-- What moved before there was a ledger')
    // What was paid twice was the order's then, and is the line's now.
    const now = `--${filling}`.replaceAll('o.duplicate_of', 'l.duplicate_of')
    for (const statement of now.split('--> statement-breakpoint')) await tx.execute(sql.raw(statement))
  })
  expect(await net()).toEqual(before)
  expect(before.length).toBeGreaterThan(30)
})
