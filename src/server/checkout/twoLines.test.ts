import { asc, eq } from 'drizzle-orm'
import Papa from 'papaparse'
import { beforeEach, describe, expect, it } from 'vitest'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { advance } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import { cancelAgreement } from '../collecting/actions.ts'
import { agreements, disputes, orderLines, orders, payments, refunds } from '../db/schema/index.ts'
import { movedBetween } from '../ledger/sums.ts'
import { sendMessage } from '../messages/send.ts'
import { movementsCsv } from '../money/files.ts'
import { movementsBetween } from '../money/movements.ts'
import { receiptOf } from '../orders/receipt.ts'
import { thanksView } from '../pages/service.ts'
import { findPerson } from '../people/service.ts'
import { hashToken } from '../platform/secrets.ts'
import { answerDispute, noteDispute } from '../refunds/disputes.ts'
import { refundLine, refundOutside, refundWhole } from '../refunds/service.ts'
import { schoolDay } from '../school/service.ts'
import { needsAttention } from '../support/attention.ts'
import { ordersCsv } from '../support/files.ts'
import { listOrders, openOrder, ordersFor } from '../support/orders.ts'
import { recordTransferReceived } from '../transfers/marks.ts'
import type { BasketAnswer } from './pageQuote.ts'
import { checkOrder } from './status.ts'

/** Orders of two lines with different offers: everything is true by line. */
const world = ownWorld()
let n = 0
let once: Awaited<ReturnType<typeof world.sell>>
let club: Awaited<ReturnType<typeof world.sell>>
beforeEach(async () => {
  n++
  once = await world.sell(12_900, `Marbling ${n}`)
  club = await world.sell(MONTHLY, `Club ${n}`, { access: WHILE_PAYING, taxRate: 1000 })
})

describe('what a basket comes to', () => {
  const quote = (slug: string, lines: { offerId: string; chosen: number | null }[]) =>
    world.call('POST', `/api/shop/checkout/${slug}/quote`, { lines })

  it('is said before anything is placed, and is what is then charged', async () => {
    const answer = await quote(once.slug, both().lines)
    expect(answer.status).toBe(200)
    const { quote: said } = (await answer.json()) as BasketAnswer
    const { orderId } = await world.buy(once.slug, both({ agreed: { pay: said.today.pay, currency: 'EUR' } }))
    const [order] = await world.db.select().from(orders).where(eq(orders.id, orderId))
    expect(order?.quote.lines.map(({ payments }) => payments)).toEqual(said.lines.map(({ payments }) => payments))
    expect((await world.attemptsOf(orderId)).map(({ amount }) => amount)).toEqual([said.today.pay])
  })

  it('holds one offer of a product, quoted and placed', async () => {
    const other = await world.offer(once.courseId, 9900)
    const lines = [...both().lines, { offerId: other, chosen: null }]
    const refusal = [
      { at: '/lines/2/offerId', why: `“Marbling ${n}” is in this order twice. Choose one of its offers.` },
    ]
    const quoted = await quote(once.slug, lines)
    expect([quoted.status, await quoted.json()]).toEqual([422, expect.objectContaining({ errors: refusal })])
    await expect(world.buy(once.slug, { ...both(), lines })).rejects.toMatchObject({ errors: refusal })
  })

  it('is refused at the line whose price does not fit, and where something is not sold here', async () => {
    const own = await world.sell({ kind: 'openPrice', minimum: 500, suggested: 900 }, `Own price ${n}`)
    const of = (chosen: number) => [...both().lines, { offerId: own.offerId, chosen }]
    const low = await quote(once.slug, of(499))
    expect([low.status, await low.json()]).toEqual([
      422,
      expect.objectContaining({ errors: [{ at: '/lines/2/chosen', why: 'The minimum is €5.00.' }] }),
    ])
    const { quote: fits } = (await (await quote(once.slug, of(500))).json()) as BasketAnswer
    expect(fits.today.pay).toBe(14_800 + 500)
    expect((await quote(club.slug, both().lines)).status).toBe(410)
    expect((await quote(once.slug, [...both().lines, { offerId: crypto.randomUUID(), chosen: null }])).status).toBe(410)
    expect(await findPerson(world.db, 'practice', email())).toBeNull()
  })
})

const email = () => `two${n}@lines.example`
const both = (more: Parameters<typeof world.request>[2] = {}, card = 'pays') => ({
  ...world.request(once.offerId, 14_800, { email: email(), ...more }, card),
  lines: [
    { offerId: once.offerId, chosen: null },
    { offerId: club.offerId, chosen: null },
  ],
})
const lineOf = async (orderId: string, at: number) => {
  const rows = await world.db
    .select()
    .from(orderLines)
    .where(eq(orderLines.orderId, orderId))
    .orderBy(asc(orderLines.position))
  return rows[at] as (typeof rows)[number]
}
const openCourses = async (orderId: string) =>
  (await world.grantsOf(orderId)).filter(({ endedAt }) => endedAt === null).map(({ courseId }) => courseId)
const agreementOf = async (orderId: string) =>
  (await world.db.select().from(agreements).where(eq(agreements.orderId, orderId)))[0] as typeof agreements.$inferSelect
const give = (orderId: string, lineId: string, amount: number, access: 'keep' | 'close' = 'keep') =>
  refundLine(world.services, 'practice', orderId, { lineId, amount, access, note: 'Asked' })
const refundedOf = (orderId: string) =>
  world.db
    .select({ lineId: refunds.lineId, amount: refunds.amount, state: refunds.state })
    .from(refunds)
    .where(eq(refunds.orderId, orderId))
    .orderBy(asc(refunds.amount))

/** The text of the latest message of a kind about an order, as it is sent now. */
async function emailOf(orderId: string, kind: string) {
  const { messages } = await openOrder(world.services, 'practice', orderId)
  let email = ''
  await sendMessage(world.services, messages.filter((row) => row.kind === kind).at(-1)?.id as string, async (sent) => {
    email = sent.text
  })
  return email
}

describe('placed', () => {
  it('each line has its own offer, product, title, courses and dates; one charge pays both, and both open', async () => {
    const { orderId, state } = await world.buyTogether(both())
    expect(state).toBe('paid')
    const [first, second] = [await lineOf(orderId, 0), await lineOf(orderId, 1)]
    expect([first.offerId, first.productId, first.title]).toEqual([once.offerId, once.courseId, `Marbling ${n}`])
    expect([second.offerId, second.productId, second.title]).toEqual([club.offerId, club.courseId, `Club ${n}`])
    expect((await world.attemptsOf(orderId)).map(({ amount, state: is }) => [amount, is])).toEqual([
      [14_800, 'collected'],
    ])
    expect((await openCourses(orderId)).sort()).toEqual([once.courseId, club.courseId].sort())
    const grants = await world.grantsOf(orderId)
    const of = (courseId: string) => grants.find((grant) => grant.courseId === courseId)
    expect(of(once.courseId)).toMatchObject({ closes: null, lineId: first.id, offerId: once.offerId })
    expect(of(club.courseId)?.closes).not.toBeNull()
    expect(await agreementOf(orderId)).toMatchObject({ lineId: second.id, kind: 'subscription', collected: 1 })
    // The card is kept for the line that goes on, though it is not the first.
    expect((await agreementOf(orderId)).savedMethod).not.toBeNull()
  })

  it('the fee is split over both by what each paid, to the cent', async () => {
    const { orderId } = await world.buyTogether(both())
    const [attempt] = await world.attemptsOf(orderId)
    const rows = await world.db.select().from(payments).where(eq(payments.orderId, orderId))
    const feeOf = async (at: number) => {
      const { id } = await lineOf(orderId, at)
      return rows.filter(({ lineId }) => lineId === id).reduce((sum, { fee }) => sum + fee, 0)
    }
    const [a, b] = [await feeOf(0), await feeOf(1)]
    expect(a + b).toBe(attempt?.fee)
    expect(a).toBe(Math.round(((attempt?.fee ?? 0) * 12_900) / 14_800))
    const today = await schoolDay(world.services)
    const sums = await Promise.all(
      [once, club].map(({ offerId }) => movedBetween(world.db, 'practice', today, today, { offer: offerId })),
    )
    expect(sums.map(([sum]) => [sum?.received, sum?.fees])).toEqual([
      [12_900, a],
      [1900, b],
    ])
  })

  it('declined, nothing opens; another card pays the same order', async () => {
    const first = await world.buyTogether(both({}, 'not-enough-money'))
    expect(first.state).toBe('declined')
    expect(await world.grantsOf(first.orderId)).toEqual([])
    expect(await world.buyTogether(both())).toEqual({ state: 'paid', orderId: first.orderId })
  })

  it('is one order whichever way round; with less in it, it is another', async () => {
    const first = await world.buyTogether(both({}, 'not-enough-money'))
    const turned = both({}, 'not-enough-money')
    const again = await world.buyTogether({ ...turned, lines: [...turned.lines].reverse() })
    expect(again.orderId).toBe(first.orderId)
    expect((await lineOf(first.orderId, 0)).offerId).toBe(club.offerId)
    const less = await world.buy(once.slug, world.request(once.offerId, 12_900, { email: email() }))
    expect(less.state).toBe('paid')
    expect(less.orderId).not.toBe(first.orderId)
  })

  it('what the buyer has already is named, and nothing is charged', async () => {
    await world.buy(once.slug, world.request(once.offerId, 12_900, { email: email() }))
    await expect(world.buyTogether(both())).rejects.toMatchObject({
      code: 'already-yours',
      message: expect.stringContaining(`Marbling ${n}`),
    })
    await expect(world.buyTogether(both(), 'a stranger')).rejects.toMatchObject({ code: 'not-with-this-email' })
  })

  it('the same offer twice, or a member’s price beside the membership, is refused with the reason', async () => {
    const request = both()
    await expect(
      world.buyTogether({ ...request, lines: [request.lines[0] as never, request.lines[0] as never] }),
    ).rejects.toMatchObject({ errors: [{ at: '/lines/1/offerId' }] })
    const audience = { who: 'holders' as const, of: [club.courseId] }
    const members = await world.sell(5000, `Members ${n}`, { audience })
    await expect(
      world.buyTogether({ ...request, lines: [{ offerId: members.offerId, chosen: null }, request.lines[1] as never] }),
    ).rejects.toMatchObject({ code: 'needs-it-before' })
  })

  it('a payment method that cannot charge again cannot collect it, though one of the two does not need that', async () => {
    const { brook } = await world.connectOthers()
    const payment = { connectionId: brook, token: '' }
    await expect(world.buyTogether(both({ payment }))).rejects.toMatchObject({ code: 'method-not-offered' })
  })
})

describe('by bank transfer', () => {
  it('both wait, a free one too, and both open once all of it came', async () => {
    const { transfer } = await world.connectOthers()
    const free = await world.sell(null, `Gift ${n}`)
    const request = {
      ...world.request(once.offerId, 12_900, { email: email(), payment: { connectionId: transfer, token: '' } }),
      lines: [once, free].map(({ offerId }) => ({ offerId, chosen: null })),
    }
    const { orderId } = await world.buyTogether(request)
    expect(await openCourses(orderId)).toEqual([])
    const came = (amount: number) => schoolDay(world.services).then((day) => ({ amount, day, note: '' }))
    expect(await emailOf(orderId, 'awaiting')).toContain(`“Marbling ${n}” and “Gift ${n}”`)
    await recordTransferReceived(world.services, 'practice', orderId, await came(5000))
    expect(await openCourses(orderId)).toEqual([])
    await recordTransferReceived(world.services, 'practice', orderId, await came(7900))
    expect((await openCourses(orderId)).sort()).toEqual([once.courseId, free.courseId].sort())
  })
})

describe('paid later', () => {
  it('two plans are charged each by itself, and cancelled each by itself', async () => {
    const parts = await world.sell(THREE_PARTS, `Parts ${n}`)
    const { orderId } = await world.buyTogether({
      ...world.request(parts.offerId, 6200, { email: email() }),
      lines: [parts, club].map(({ offerId }) => ({ offerId, chosen: null })),
    })
    await advance(world, 32)
    const later = (await world.attemptsOf(orderId)).slice(1).map(({ amount }) => amount)
    expect(later.sort()).toEqual([1900, 4300])
    const all = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    const monthly = all.find(({ kind }) => kind === 'subscription')
    await cancelAgreement(world.services, monthly?.id as string, 'now', 'buyer')
    expect(await openCourses(orderId)).toContain(parts.courseId)
    await advance(world, 31)
    expect((await world.attemptsOf(orderId)).slice(3).map(({ amount }) => amount)).toEqual([4300])
  })
})

describe('refunded', () => {
  it('of one line keeps the other; at most what that line paid', async () => {
    const { orderId } = await world.buyTogether(both())
    const [first, second] = [await lineOf(orderId, 0), await lineOf(orderId, 1)]
    await expect(give(orderId, second.id, 1901)).rejects.toMatchObject({ errors: [{ at: '/amount' }] })
    expect(await give(orderId, second.id, 1900, 'close')).toMatchObject({ refunded: 1900 })
    expect(await openCourses(orderId)).toEqual([once.courseId])
    expect(await agreementOf(orderId)).toMatchObject({ state: 'cancelled' })
    await give(orderId, first.id, 12_900, 'close')
    expect(await openCourses(orderId)).toEqual([])
    expect((await refundedOf(orderId)).map(({ amount }) => amount)).toEqual([1900, 12_900])
  })

  it('its message says what goes on and what does not, and no more', async () => {
    const { orderId } = await world.buyTogether(both())
    await give(orderId, (await lineOf(orderId, 0)).id, 12_900, 'close')
    const ofFirst = await emailOf(orderId, 'refunded')
    const [next] = (
      await world.db
        .select()
        .from(payments)
        .where(eq(payments.lineId, (await lineOf(orderId, 1)).id))
    )
      .filter(({ state }) => state === 'due')
      .map(({ due }) => due)
      .sort()
    expect(ofFirst).toContain('Access to the course has ended.')
    expect(ofFirst).not.toContain('no further payments')
    const day = formatDay(next as string, 'en')
    expect(ofFirst).toContain(`The payments for “Club ${n}” go on: the next one is €19.00 on ${day}.`)
    await give(orderId, (await lineOf(orderId, 1)).id, 1900, 'close')
    const ofSecond = await emailOf(orderId, 'refunded')
    expect(ofSecond).toContain('Access to the course has ended, and no further payments are charged for it.')
    expect(ofSecond).not.toContain('go on')
  })

  it('its message says when what is overdue is charged again', async () => {
    const card = { connectionId: world.connectionId, token: world.standins.tokenOf('pays-once') }
    const { orderId } = await world.buyTogether(both({ payment: card }))
    const before = world.clock.offsetMs
    await advance(world, 32)
    const { nextTry, tries } = await agreementOf(orderId)
    expect(tries).toBe(1)
    await give(orderId, (await lineOf(orderId, 0)).id, 12_900, 'close')
    const day = formatDay(nextTry as string, 'en')
    expect(await emailOf(orderId, 'refunded')).toContain(`the next one is €19.00 on ${day}.`)
    world.clock.offsetMs = before
  })

  it('by a gateway that refunds whole payments only: both in one call, or one of them by other means', async () => {
    const { moor } = await world.connectOthers()
    const buy = async () => {
      const placed = await world.buyTogether(both({ payment: { connectionId: moor, token: '' } }), email())
      await world.press(placed.state === 'confirming' ? placed.url : '', 'pays')
      await checkOrder(world.services, placed.orderId, shopper(email()))
      expect((await openCourses(placed.orderId)).length).toBe(2)
      return placed.orderId
    }
    const orderId = await buy()
    const { id: lineId } = await lineOf(orderId, 0)
    await expect(give(orderId, lineId, 12_900)).rejects.toMatchObject({
      errors: [{ why: expect.stringMatching(/refunds whole payments only, and this one of €148\.00/) }],
    })
    const [attempt] = await world.attemptsOf(orderId)
    const whole = { attemptId: attempt?.id as string, access: 'close' as const, note: 'Asked' }
    expect(await refundWhole(world.services, 'practice', orderId, whole)).toMatchObject({
      refunded: 14_800,
      waiting: 0,
    })
    expect((await refundedOf(orderId)).map(({ amount, state }) => [amount, state])).toEqual([
      [1900, 'refunded'],
      [12_900, 'refunded'],
    ])
    expect(await openCourses(orderId)).toEqual([])
    const emailText = await emailOf(orderId, 'refunded')
    expect(emailText).toContain(`€148.00 for “Marbling ${n}” and “Club ${n}” was refunded`)
    expect(emailText).toContain('Access to the courses has ended')
    await expect(refundWhole(world.services, 'practice', orderId, whole)).rejects.toMatchObject({ code: 'not-whole' })
    await expect(refundWhole(world.services, 'live', orderId, whole)).rejects.toMatchObject({ status: 404 })

    once = await world.sell(12_900, `Marbling again ${n}`)
    club = await world.sell(MONTHLY, `Club again ${n}`, { access: WHILE_PAYING })
    const other = await buy()
    const line = await lineOf(other, 1)
    const outside = {
      lineId: line.id,
      amount: 1900,
      reference: 'Transfer of 3 May',
      access: 'close' as const,
      note: 'Asked',
    }
    await refundOutside(world.services, 'practice', other, outside)
    expect(await openCourses(other)).toEqual([once.courseId])
    expect(await world.db.select().from(refunds).where(eq(refunds.orderId, other))).toMatchObject([
      { amount: 1900, state: 'refunded', isOutside: true, reference: 'Transfer of 3 May', lineId: line.id },
    ])
    const said = await emailOf(other, 'refunded')
    expect(said).toContain(`€19.00 for “Club again ${n}” was refunded (Transfer of 3 May)`)
    expect(said).not.toContain('wallet')
    await expect(refundOutside(world.services, 'practice', other, outside)).rejects.toMatchObject({
      errors: [{ at: '/amount', why: 'Nothing is left to refund.' }],
    })
  })

  it('by a lost dispute is shared over both lines, and closes both where that is decided', async () => {
    const { orderId } = await world.buyTogether(both())
    const [attempt] = await world.attemptsOf(orderId)
    const report = { key: attempt?.key as string, reference: 'd-two', amount: 14_800, reason: 'Not theirs' }
    await noteDispute(world.services, 'practice', attempt?.id as string, { ...report, state: 'open' })
    world.standins.books.dispute(attempt?.reference ?? '', 'Not theirs')
    await noteDispute(world.services, 'practice', attempt?.id as string, { ...report, state: 'lost' })
    const rows = await refundedOf(orderId)
    expect(rows.map(({ lineId, amount }) => [lineId, amount])).toEqual([
      [(await lineOf(orderId, 1)).id, 1900],
      [(await lineOf(orderId, 0)).id, 12_900],
    ])
    expect((await openCourses(orderId)).length).toBe(2)
    const [dispute] = await world.db.select().from(disputes).where(eq(disputes.orderId, orderId))
    await expect(
      answerDispute(world.services, 'practice', dispute?.id as string, { accept: true, access: 'close', note: 'x' }),
    ).rejects.toMatchObject({ code: 'answered' })
    expect((await needsAttention(world.services, 'practice')).some((row) => row.orderId === orderId)).toBe(true)
  })
})

describe('said of it', () => {
  it('the list, the order, the page and the receipt name both, with the tax of each', async () => {
    const { orderId } = await world.buyTogether(both())
    const { orders: listed } = await listOrders(world.services, 'practice', { search: email(), state: 'all' } as never)
    expect(listed[0]).toMatchObject({ course: `Marbling ${n}, Club ${n}`, received: 14_800 })
    for (const course of [once.courseId, club.courseId]) {
      const found = await listOrders(world.services, 'practice', { search: '', state: 'all', course } as never)
      expect(found.orders.map(({ id }) => id)).toEqual([orderId])
    }
    expect((await openOrder(world.services, 'practice', orderId)).lines).toHaveLength(2)
    const page = await thanksView(world.services, orderId, {
      mode: 'practice',
      person: null,
      browserHash: hashToken('browser'),
    })
    expect(page).toMatchObject({
      bought: [{ isOpen: true, closes: null }, { isOpen: true }],
      amounts: {
        taxes: [
          { rate: 2000, tax: 2150 },
          { rate: 1000, tax: 173 },
        ],
      },
    })
    const receipt = await receiptOf(world.services, orderId)
    expect(receipt.things.map(({ course }) => course)).toEqual([`Marbling ${n}`, `Club ${n}`])
    expect(receipt.payments.map(({ what, amount, taxRate }) => [what, amount, taxRate])).toEqual([
      [`Marbling ${n}: Payment`, 12_900, 2000],
      [`Club ${n}: Payment 1`, 1900, 1000],
    ])
    const { messages } = await openOrder(world.services, 'practice', orderId)
    let text = ''
    await sendMessage(world.services, messages.find(({ kind }) => kind === 'receipt')?.id as string, async (email) => {
      text = email.text
    })
    for (const said of [
      `“Marbling ${n}” is paid and open.`,
      `“Club ${n}” is paid and open.`,
      'VAT 20%, inside: €21.50',
      'VAT 10%, inside: €1.73',
      'Paid: €148.00',
      'and so on until you cancel',
    ]) {
      expect(text).toContain(said)
    }
  })

  it('what was free is not said to be paid', async () => {
    const trial = { length: { count: 7, unit: 'day' as const }, amount: 0 }
    const tried = await world.sell({ ...MONTHLY, trial }, `Tried ${n}`, { access: WHILE_PAYING })
    const { orderId } = await world.buyTogether({
      ...world.request(once.offerId, 12_900, { email: email() }),
      lines: [once, tried].map(({ offerId }) => ({ offerId, chosen: null })),
    })
    const { messages } = await openOrder(world.services, 'practice', orderId)
    let text = ''
    await sendMessage(world.services, messages.find(({ kind }) => kind === 'receipt')?.id as string, async (email) => {
      text = email.text
    })
    expect(text).toContain(`Thank you. “Marbling ${n}” is paid and open.`)
    expect(text).toContain(`“Tried ${n}” is yours and open.`)
    expect(text).toContain('You find them here:')
  })

  it('of payments that end and payments that do not, each is said; they keep their order', async () => {
    const parts = await world.sell(THREE_PARTS, `Parts ${n}`)
    const of = [club, parts, once]
    const { orderId } = await world.buyTogether({
      ...world.request(club.offerId, 1900 + 4300 + 12_900, { email: email() }),
      lines: of.map(({ offerId }) => ({ offerId, chosen: null })),
    })
    const receipt = await receiptOf(world.services, orderId)
    expect(receipt.payments.map(({ amount }) => amount)).toEqual([1900, 4300, 12_900])
    const shown = await openOrder(world.services, 'practice', orderId)
    expect(shown.payments.slice(0, 3).map(({ pay }) => pay)).toEqual([1900, 4300, 12_900])
    let text = ''
    const id = shown.messages.find(({ kind }) => kind === 'receipt')?.id as string
    await sendMessage(world.services, id, async (email) => {
      text = email.text
    })
    expect(text).toContain(`Club ${n}: €19.00 every month from `)
    expect(text).toMatch(new RegExp(`Parts ${n}: €43.00 on .+; €129.00 in all`))
    expect(text).not.toContain('and so on')
  })

  it('the file of what moved has a row for each line of each movement, the file of orders one for the order', async () => {
    const { orderId } = await world.buyTogether(both())
    await give(orderId, (await lineOf(orderId, 0)).id, 900)
    const [attempt] = await world.attemptsOf(orderId)
    const today = await schoolDay(world.services)
    const rows = await movementsBetween(world.services, 'practice', { from: today, until: today }, { search: email() })
    const of = (csv: string) => Papa.parse<Record<string, string>>(csv, { header: true }).data
    const moved = of(movementsCsv(rows)).sort((a, b) => Number(b.received) - Number(a.received))
    const cents = (row: Record<string, string> | undefined, field: string) => Math.round(Number(row?.[field]) * 100)
    expect(moved.map(({ course, received, tax, refunded: back }) => [course, received, tax, back])).toEqual([
      [`Marbling ${n}`, '129.00', '21.50', '0.00'],
      [`Club ${n}`, '19.00', '1.73', '0.00'],
      [`Marbling ${n}`, '0.00', '-1.50', '9.00'],
    ])
    expect(moved.reduce((sum, row) => sum + cents(row, 'fee'), 0)).toBe(attempt?.fee)
    for (const row of moved) {
      expect(cents(row, 'net')).toBe(cents(row, 'received') - cents(row, 'fee') - cents(row, 'refunded'))
    }
    const found = await ordersFor(world.services, 'practice', { search: email(), state: 'all' })
    expect(of(ordersCsv(found, 'Europe/Vienna'))).toMatchObject([
      {
        course: `Marbling ${n}, Club ${n}`,
        received: '148.00',
        refunded: '9.00',
        agreement: '',
        'payments in all': '',
      },
    ])
  })

  it('tax of what is given back is proportional, and the last part takes the rest', async () => {
    const { orderId } = await world.buyTogether(both())
    const { id: lineId } = await lineOf(orderId, 0)
    for (const amount of [3333, 3333, 6234]) await give(orderId, lineId, amount)
    const { payments: rows } = await receiptOf(world.services, orderId)
    const back = rows.filter(({ amount }) => amount < 0).map(({ tax }) => tax)
    expect(back).toEqual([-556, -556, -1038])
    expect(back.reduce((sum, tax) => sum + tax, 0)).toBe(-2150)
  })

  it('the order remembers what each line costs, and its state is one', async () => {
    const { orderId } = await world.buyTogether(both())
    const [order] = await world.db.select().from(orders).where(eq(orders.id, orderId))
    expect(order).toMatchObject({ state: 'paid', payToday: 14_800 })
    expect(order?.quote.lines).toHaveLength(2)
  })
})
