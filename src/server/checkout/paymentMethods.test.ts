import { eq } from 'drizzle-orm'
import { beforeAll, describe, expect, it } from 'vitest'
import { isCreditorReference } from '../../core/bank/reference.ts'
import { allGateways } from '../../gateways/registry.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY } from '../../testing/terms.ts'
import { eventually, shopper } from '../../testing/world.ts'
import { collectAgreement } from '../collecting/collect.ts'
import { agreements, attempts, connections, grants, messages, orders, payments, transfers } from '../db/schema/index.ts'
import { orderGateways } from '../gateways/service.ts'
import { setTransfer } from '../gateways/transferSettings.ts'
import { lookUpAwaited, lookUpUntilSettled } from '../lookup/lookup.ts'
import { sendMessage } from '../messages/send.ts'
import { awaitedOf } from '../orders/awaited.ts'
import { checkoutView } from '../pages/checkout.ts'
import { thanksView } from '../pages/service.ts'
import type { Services } from '../platform/context.ts'
import { hashToken } from '../platform/secrets.ts'
import { getSchool } from '../school/service.ts'
import { needsAttention } from '../support/attention.ts'
import { giveSurplusBack, recordTransferReceived, takeMarkBack } from '../transfers/marks.ts'
import { giveTransferUp } from '../transfers/waiting.ts'
import { checkOrder } from './status.ts'

const world = ownWorld()
let paymentMethods: { moor: string; brook: string; transfer: string }
beforeAll(async () => {
  paymentMethods = await world.connectOthers()
})

let buyers = 0
const HOUR = 3_600_000
const visitor = { mode: 'practice' as const, person: null, browserHash: hashToken('browser') }

/** An order by a payment method, with a buyer of its own. */
function ask(course: { offerId: string }, pay: number, connectionId: string, email = `buyer${++buyers}@ways.example`) {
  return world.request(course.offerId, pay, { email, payment: { connectionId, token: '' } })
}
const attemptOf = async (orderId: string) => (await world.attemptsOf(orderId)).at(-1)
const stateOf = async (orderId: string) => (await world.orderOf(orderId))?.state

describe('a wallet, by its own page', () => {
  it('approved there, it is paid once and the course opens, whoever tells first', async () => {
    const course = await world.sell(12_900, 'Wallet')
    const placed = await world.buy(course.slug, ask(course, 12_900, paymentMethods.moor))
    if (placed.state !== 'confirming') throw new Error(placed.state)
    expect(placed.isElsewhere).toBe(true)
    const back = await world.press(placed.url, 'pays')
    expect(back.headers.get('location')).toBe(
      `${world.origin}/buy/${course.slug}?offer=${course.offerId}&back=${placed.orderId}`,
    )
    expect((await checkOrder(world.services, placed.orderId, shopper('browser'))).state).toBe('paid')
    // Paid before the buyer is back: the page leads them on to the receipt; opened anew later, it says what they have.
    const school = await getSchool(world.db)
    const seen = async (from?: string) => {
      const view = await checkoutView(world.services, school, course.slug, visitor, { cameBackFrom: from })
      return view.name === 'checkout' && { pending: view.pending, isOwned: view.isOwned }
    }
    expect(await seen(placed.orderId)).toEqual({ pending: placed.orderId, isOwned: false })
    expect(await seen()).toEqual({ pending: null, isOwned: true })
    // The event comes too, and changes nothing.
    await new Promise((resolve) => setTimeout(resolve, 100))
    expect(await world.grantsOf(placed.orderId)).toHaveLength(1)
    expect(await attemptOf(placed.orderId)).toMatchObject({ state: 'collected', method: 'wallet of Ada', fee: 320 })
  })

  it('gone back without, nothing is charged; left lying, the look-up closes it', async () => {
    const course = await world.sell(12_900, 'Wallet refused')
    const placed = await world.buy(course.slug, ask(course, 12_900, paymentMethods.moor))
    if (placed.state !== 'confirming') throw new Error(placed.state)
    await world.press(placed.url, 'back')
    expect(await checkOrder(world.services, placed.orderId, shopper('browser'))).toMatchObject({
      state: 'declined',
      reason: 'refused-by-buyer',
    })
    // The event of it may be faster than the buyer: they are told all the same, and nobody else is.
    const school = await getSchool(world.db)
    const seen = async (from: string | undefined, by = visitor) => {
      const view = await checkoutView(world.services, school, course.slug, by, { cameBackFrom: from })
      return view.name === 'checkout' && view.pending
    }
    expect(await seen(undefined)).toBeNull()
    expect(await seen(placed.orderId)).toBe(placed.orderId)
    expect(await seen(placed.orderId, { ...visitor, browserHash: hashToken('another') })).toBeNull()
    expect(await seen('nonsense')).toBeNull()
    const left = await world.buy(course.slug, ask(course, 12_900, paymentMethods.moor))
    world.clock.offsetMs += HOUR
    const attempt = await attemptOf(left.orderId)
    await lookUpUntilSettled(world.services, attempt?.id as string)
    expect((await attemptOf(left.orderId))?.state).toBe('abandoned')
    const late = await world.press(left.state === 'confirming' ? left.url : '', 'pays')
    expect(late.status).toBe(303)
    expect(world.standins.wallets.byIdempotencyKey(walletAccount(), 'practice', attempt?.key ?? '')?.state).toBe(
      'abandoned',
    )
  })

  it('an approval that is kept is charged later, and not any more once its owner ends it', async () => {
    const course = await world.sell(MONTHLY, 'Wallet MONTHLY')
    const placed = await world.buy(course.slug, ask(course, 1900, paymentMethods.moor))
    if (placed.state !== 'confirming') throw new Error(placed.state)
    await world.press(placed.url, 'pays')
    await checkOrder(world.services, placed.orderId, shopper('browser'))
    const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, placed.orderId))
    expect(agreement).toMatchObject({ state: 'active', method: 'wallet of Ada', connectionId: paymentMethods.moor })
    world.clock.offsetMs += 32 * 24 * HOUR
    await collectAgreement(world.services, agreement?.id as string)
    const [after] = await world.db.select().from(agreements).where(eq(agreements.orderId, placed.orderId))
    expect(after?.collected).toBe(2)
    world.standins.wallets.endApproval(agreement?.savedMethod ?? '')
    world.clock.offsetMs += 31 * 24 * HOUR
    await collectAgreement(world.services, agreement?.id as string)
    expect(await attemptOf(placed.orderId)).toMatchObject({ state: 'declined', reason: 'approval-ended' })
  })

  it('is not taken for what it cannot collect: a free trial, or later payments above its limit', async () => {
    const trial = { ...MONTHLY, trial: { length: { count: 7, unit: 'day' }, amount: 0 } } as const
    const dear = { ...MONTHLY, amount: 60_000 }
    for (const [terms, pay] of [
      [trial, 0],
      [dear, 60_000],
    ] as const) {
      const course = await world.sell(terms, `Not by wallet ${pay}`)
      const request = {
        ...ask(course, pay, paymentMethods.moor),
        payment: { connectionId: paymentMethods.moor, token: '' },
      }
      await expect(world.buy(course.slug, request)).rejects.toMatchObject({ code: 'method-not-offered' })
    }
  })
})

function walletAccount(): string {
  return [...world.standins.wallets.accounts.keys()][0] as string
}

it('are put into an order that names each of them once', async () => {
  const named = ['brook', 'moor', 'thistle', 'transfer']
  await orderGateways(world.services, 'practice', named)
  const inOrder = async () => {
    const rows = await world.db.select().from(connections).where(eq(connections.mode, 'practice'))
    return rows.sort((a, b) => a.position - b.position).map(({ adapter }) => adapter)
  }
  expect(await inOrder()).toEqual(named)
  for (const wrong of [named.slice(1), [...named.slice(1), 'other'], [...named, 'other']]) {
    await expect(orderGateways(world.services, 'practice', wrong)).rejects.toMatchObject({ errors: [{ at: '/order' }] })
  }
  await orderGateways(world.services, 'practice', ['thistle', 'moor', 'brook', 'transfer'])
})

describe('money that comes hours later', () => {
  const send = async (title: string, answer: 'arrives' | 'lost') => {
    const course = await world.sell(12_900, title)
    const placed = await world.buy(course.slug, ask(course, 12_900, paymentMethods.brook))
    if (placed.state !== 'confirming') throw new Error(placed.state)
    await world.press(placed.url, answer)
    expect((await checkOrder(world.services, placed.orderId, shopper('browser'))).state).toBe('awaiting')
    return { course, ...placed }
  }

  it('nothing is open before it is there; then the course opens by itself', async () => {
    const { course, orderId } = await send('Later', 'arrives')
    expect(await world.grantsOf(orderId)).toHaveLength(0)
    expect(await stateOf(orderId)).toBe('paying')
    // Meanwhile nothing else can be charged for it.
    const again = ask(course, 12_900, world.connectionId, `buyer${buyers}@ways.example`)
    const card = { connectionId: world.connectionId, token: world.standins.tokenOf('pays') }
    await expect(world.buy(course.slug, { ...again, payment: card })).rejects.toMatchObject({ code: 'on-its-way' })
    world.clock.offsetMs += 4 * HOUR
    expect(await lookUpAwaited(world.services, 'practice')).toBeGreaterThan(0)
    expect(await stateOf(orderId)).toBe('paid')
    expect(await world.grantsOf(orderId)).toHaveLength(1)
  })

  it('told by an event alone, it opens too', async () => {
    const { orderId } = await send('By event', 'arrives')
    const attempt = await attemptOf(orderId)
    const [account] = [...world.standins.transfers.accounts.keys()]
    const sent = world.standins.transfers.byIdempotencyKey(account as string, 'practice', attempt?.key ?? '')
    if (sent) world.standins.arrive(sent, 'at-once')
    await eventually(async () => (await stateOf(orderId)) === 'paid')
  })

  it('that never arrives is declined, opens nothing, and its buyer is told', async () => {
    const { orderId } = await send('Lost', 'lost')
    world.clock.offsetMs += 4 * HOUR
    await lookUpAwaited(world.services, 'practice')
    expect(await stateOf(orderId)).toBe('open')
    expect(await world.grantsOf(orderId)).toHaveLength(0)
    const notified = await world.db.select().from(messages).where(eq(messages.orderId, orderId))
    expect(notified.map(({ kind }) => kind)).toEqual(['awaiting', 'not-arrived'])
  })

  it('waits on where its gateway cannot be reached, and keeps no other waiting', async () => {
    const { orderId } = await send('Silent', 'arrives')
    world.clock.offsetMs += 4 * HOUR
    const unreachable: Services = { ...world.services, gateways: allGateways('http://127.0.0.1:9', world.origin, 250) }
    expect(await lookUpAwaited(unreachable, 'practice')).toBeGreaterThan(0)
    expect(await stateOf(orderId)).toBe('paying')
    await lookUpAwaited(world.services, 'practice')
    expect(await stateOf(orderId)).toBe('paid')
  })

  it('is not taken for installments', async () => {
    const course = await world.sell(MONTHLY, 'Not later')
    await expect(world.buy(course.slug, ask(course, 1900, paymentMethods.brook))).rejects.toMatchObject({
      code: 'method-not-offered',
    })
  })
})

/** The receipt of an order, as it is sent now. */
async function receiptText(orderId: string): Promise<string> {
  const rows = await world.db.select().from(messages).where(eq(messages.orderId, orderId))
  let email = ''
  await sendMessage(world.services, rows.find(({ kind }) => kind === 'receipt')?.id as string, async ({ text }) => {
    email = text
  })
  return email
}

describe('bank transfer', () => {
  const order = async (title: string) => {
    const course = await world.sell(12_900, title)
    const placed = await world.buy(course.slug, ask(course, 12_900, paymentMethods.transfer))
    expect(placed.state).toBe('awaiting')
    return { course, ...placed }
  }
  const day = () => new Date(world.services.now()).toISOString().slice(0, 10)

  it('the order waits with a reference and a code; the whole sum opens the course', async () => {
    const { orderId } = await order('Transfer')
    const attempt = await attemptOf(orderId)
    expect(isCreditorReference(attempt?.reference ?? '')).toBe(true)
    const view = await thanksView(world.services, orderId, visitor)
    if (view.name !== 'thanks') throw new Error(view.name)
    expect(view.awaited).toMatchObject({ amount: 12_900, came: 0, transfer: { iban: 'AT34 0000 0000 1234 5678' } })
    expect(view.awaited?.transfer?.code?.path).toMatch(/^M\d/)
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 12_900, day: day(), note: '' })
    expect(await stateOf(orderId)).toBe('paid')
    expect(await world.grantsOf(orderId)).toHaveLength(1)
    expect(await attemptOf(orderId)).toMatchObject({ state: 'collected', fee: 0, method: 'bank transfer' })
  })

  it('of an account without an IBAN its number and code are told, the order’s number is the reference, and there is no QR code', async () => {
    const before = (await world.db.select().from(connections).where(eq(connections.adapter, 'transfer')))[0]
    const settings = before?.transfer as NonNullable<typeof before>['transfer'] & object
    const { iban: _iban, ...others } = settings
    await setTransfer(world.services, 'practice', {
      ...others,
      ...{ iban: '', accountNumber: '40 5211 7739', bankCode: '632005', bankCodeName: 'Branch code' },
      ...{ bic: 'TESTZAJJ', lines: 'Test Bank\nCape Town', displace: false },
    })
    const { orderId } = await order('Without an IBAN')
    const [placed] = await world.db.select().from(orders).where(eq(orders.id, orderId))
    const view = await thanksView(world.services, orderId, visitor)
    if (view.name !== 'thanks') throw new Error(view.name)
    expect(view.awaited?.transfer).toMatchObject({
      ...{ iban: '', accountNumber: '40 5211 7739', reference: String(placed?.number), code: null },
    })
    const rows = await world.db.select().from(messages).where(eq(messages.orderId, orderId))
    let text = ''
    await sendMessage(world.services, rows.find(({ kind }) => kind === 'awaiting')?.id as string, async (email) => {
      text = email.text
    })
    for (const part of [
      'Account number: 40 5211 7739',
      'Branch code: 632005',
      'BIC or other code: TESTZAJJ',
      'Bank: Test Bank, Cape Town',
    ]) {
      expect(text).toContain(part)
    }
    expect(text).not.toContain('IBAN:')
    await setTransfer(world.services, 'practice', { ...settings, displace: false })
  })

  it('a part opens nothing, the rest does; more than was asked for opens once', async () => {
    const { orderId } = await order('In two')
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 9000, day: day(), note: 'first' })
    expect(await stateOf(orderId)).toBe('paying')
    const waiting = await world.orderOf(orderId)
    expect(waiting && (await awaitedOf(world.db, waiting))).toMatchObject({ came: 9000 })
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 4000, day: day(), note: 'too much' })
    expect(await stateOf(orderId)).toBe('paid')
    const more = { amount: 100, day: day(), note: '' }
    // Pressed twice it is no second transfer; said to be one, it is noted, and counts for nothing.
    await expect(recordTransferReceived(world.services, 'practice', orderId, more)).rejects.toMatchObject({
      code: 'not-awaiting',
    })
    await recordTransferReceived(world.services, 'practice', orderId, { ...more, isSurplus: true })
    const marks = await world.db.select().from(transfers).where(eq(transfers.orderId, orderId))
    const surplus = marks.filter(({ isSurplus }) => isSurplus)
    expect(surplus.map(({ amount }) => amount)).toEqual([100, 100])
    const kinds = async () =>
      (await needsAttention(world.services, 'practice'))
        .filter((item) => item.orderId === orderId)
        .map(({ kind }) => kind)
    expect(await kinds()).toEqual(['surplus-transfer'])
    for (const { id } of surplus) await giveSurplusBack(world.services, 'practice', orderId, id, 'sent back')
    await expect(
      giveSurplusBack(world.services, 'practice', orderId, surplus[0]?.id as string, 'twice'),
    ).rejects.toMatchObject({ code: 'given-back' })
    expect(await kinds()).toEqual([])
    expect((await world.journalOf(orderId)).filter((what) => what === 'transfer-given-back')).toHaveLength(2)
    expect((await world.attemptsOf(orderId)).map(({ amount, state }) => [amount, state])).toEqual([
      [12_900, 'collected'],
    ])
  })

  it('came on the day that is marked, whenever it is marked; not ahead, nor before the order', async () => {
    const { orderId } = await order('Found later')
    const placedOn = day()
    const on = (days: number) => new Date(Date.parse(placedOn) + days * 24 * HOUR).toISOString().slice(0, 10)
    world.clock.offsetMs += 5 * 24 * HOUR
    const mark = (amount: number, came: string) =>
      recordTransferReceived(world.services, 'practice', orderId, { amount, day: came, note: '' })
    await expect(mark(12_900, on(-1))).rejects.toMatchObject({ errors: [{ at: '/day' }] })
    await expect(mark(12_900, on(7))).rejects.toMatchObject({ errors: [{ at: '/day' }] })
    await mark(5000, on(3))
    await mark(7900, on(2))
    const [paid] = await world.db.select().from(payments).where(eq(payments.orderId, orderId))
    expect(paid?.collectedAt?.toISOString().slice(0, 10)).toBe(on(3))
  })

  it('that arrives after the length of the access opens it for its whole length from then on', async () => {
    const access = { from: null, lasts: { count: 7, unit: 'day' as const }, graceDays: 0 }
    const course = await world.sell(12_900, 'A week', { access })
    const payment = { connectionId: paymentMethods.transfer, token: '' }
    const { orderId } = await world.buy(
      course.slug,
      world.request(course.offerId, 12_900, { payment, email: 'week@post.example' }),
      'week',
    )
    world.clock.offsetMs += 20 * 24 * HOUR
    const today = world.services.now().toISOString().slice(0, 10)
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 12_900, day: today, note: '' })
    const [grant] = await world.grantsOf(orderId)
    const weekOn = new Date(Date.parse(today) + 7 * 24 * HOUR).toISOString().slice(0, 10)
    expect(grant).toMatchObject({ opens: today, closes: weekOn })
    const visitor = { mode: 'practice' as const, person: null, browserHash: hashToken('week') }
    expect(await thanksView(world.services, orderId, visitor)).toMatchObject({
      bought: [{ isOpen: true, closes: weekOn, hasEnded: false }],
    })
    expect(await receiptText(orderId)).toContain('It stays open until')
  })

  it('that arrives after an access that ends on a date: paid, ended, under attention, and said so', async () => {
    const begun = world.services.now().getTime()
    const on = (days: number) => new Date(begun + days * 24 * HOUR).toISOString().slice(0, 10)
    const access = { from: null, lasts: { until: on(5) }, graceDays: 0 }
    const course = await world.sell(12_900, 'Until a day', { access })
    const payment = { connectionId: paymentMethods.transfer, token: '' }
    const { orderId } = await world.buy(
      course.slug,
      world.request(course.offerId, 12_900, { payment, email: 'late@week.example' }),
      'late',
    )
    world.clock.offsetMs += 9 * 24 * HOUR
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 12_900, day: on(9), note: '' })
    expect(await stateOf(orderId)).toBe('paid')
    const kinds = (await needsAttention(world.services, 'practice')).filter((item) => item.orderId === orderId)
    expect(kinds).toMatchObject([{ kind: 'paid-too-late', amount: 12_900 }])
    const text = await receiptText(orderId)
    expect(text).toContain('before your money was received')
    expect(text).not.toContain('Open Until a day')
  })

  it('marked at the same moment by two, the course opens once', async () => {
    const { orderId } = await order('Twice')
    const mark = () =>
      recordTransferReceived(world.services, 'practice', orderId, { amount: 12_900, day: day(), note: '' })
    const marked = await Promise.allSettled([mark(), mark()])
    expect(marked.filter(({ status }) => status === 'fulfilled')).toHaveLength(1)
    expect(await world.grantsOf(orderId)).toHaveLength(1)
  })

  it('taken back, the course shuts and the order waits; come after all, it opens again', async () => {
    const { orderId } = await order('Back')
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 12_900, day: day(), note: '' })
    const transfer = await world.db.query.transfers.findFirst({ where: (row, { eq: is }) => is(row.orderId, orderId) })
    await takeMarkBack(world.services, 'practice', orderId, transfer?.id as string, 'It was another order')
    expect(await stateOf(orderId)).toBe('paying')
    expect(await world.db.select().from(grants).where(eq(grants.orderId, orderId))).toHaveLength(0)
    const due = await world.db.select().from(payments).where(eq(payments.orderId, orderId))
    expect(due).toMatchObject([{ state: 'due', attemptId: null }])
    await expect(
      takeMarkBack(world.services, 'practice', orderId, transfer?.id as string, 'again'),
    ).rejects.toMatchObject({ code: 'taken-back' })
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 12_900, day: day(), note: '' })
    expect(await world.grantsOf(orderId)).toHaveLength(1)
  })

  it('of which nothing came gives way to a card; of which a part came does not', async () => {
    const { course, orderId } = await order('Changed mind')
    const email = `buyer${buyers}@ways.example`
    const byCard = { ...ask(course, 12_900, world.connectionId, email) }
    const card = () => ({ connectionId: world.connectionId, token: world.standins.tokenOf('pays') })
    const view = await checkoutView(world.services, await getSchool(world.db), course.slug, visitor)
    expect(view.name === 'checkout' && view.pending).toBeNull()
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 100, day: day(), note: '' })
    await expect(world.buy(course.slug, { ...byCard, payment: card() })).rejects.toMatchObject({ code: 'on-its-way' })
    await expect(giveTransferUp(world.services, 'practice', orderId)).rejects.toMatchObject({ code: 'came' })
    const transfer = await world.db.query.transfers.findFirst({ where: (row, { eq: is }) => is(row.orderId, orderId) })
    await takeMarkBack(world.services, 'practice', orderId, transfer?.id as string, 'mistake')
    expect((await world.buy(course.slug, { ...byCard, payment: card() })).state).toBe('paid')
    expect(await world.grantsOf(orderId)).toHaveLength(1)
  })

  it('a day that lies ahead is said at its field, and nothing is kept', async () => {
    const { orderId } = await order('Ahead')
    const bad = recordTransferReceived(world.services, 'practice', orderId, {
      amount: 12_900,
      day: '2099-01-01',
      note: '',
    })
    await expect(bad).rejects.toMatchObject({ errors: [{ at: '/day' }] })
    expect(await world.db.query.transfers.findFirst({ where: (row, { eq: is }) => is(row.orderId, orderId) })).toBe(
      undefined,
    )
  })
})

describe('a gateway that is down', () => {
  it('is noticed, said before anything begins, and over once it answers', async () => {
    const course = await world.sell(12_900, 'Down')
    world.standins.world.downAt = 'Thistle Card'
    const card = () => ({ connectionId: world.connectionId, token: world.standins.tokenOf('pays') })
    const first = { ...ask(course, 12_900, world.connectionId), payment: card() }
    expect((await world.buy(course.slug, first)).state).toBe('checking')
    const view = await checkoutView(world.services, await getSchool(world.db), course.slug, visitor)
    if (view.name !== 'checkout') throw new Error(view.name)
    expect(view.paymentMethods.map(({ gateway, isDown }) => [gateway, isDown])).toEqual([
      ['Thistle Card', true],
      ['Moor Wallet', false],
      ['Brook Transfer', false],
      ['Bank transfer', false],
    ])
    // Another buyer is told before anything is begun that would have to be waited for.
    const other = { ...ask(course, 12_900, world.connectionId), payment: card() }
    await expect(world.buy(course.slug, other)).rejects.toMatchObject({ code: 'gateway-down' })
    const tried = await world.db.select().from(attempts).where(eq(attempts.state, 'started'))
    expect(tried).toHaveLength(0)
    expect(
      (await world.buy(course.slug, { ...other, payment: { connectionId: paymentMethods.transfer, token: '' } })).state,
    ).toBe('awaiting')
    world.standins.world.downAt = ''
    expect((await world.buy(course.slug, { ...other, payment: card() })).state).toBe('paid')
    const [row] = await world.db.select().from(connections).where(eq(connections.id, world.connectionId))
    expect(row?.downSince).toBeNull()
  })
})
