import { readFileSync } from 'node:fs'
import { and, eq, sql } from 'drizzle-orm'
import { beforeAll, describe, expect, it } from 'vitest'
import { addDays } from '../core/calendar/day.ts'
import { newCoupon } from '../core/content/coupon.ts'
import type { DraftTerms } from '../core/content/offer.ts'
import { agree, work } from '../testing/overTime.ts'
import { ownWorld } from '../testing/ownWorld.ts'
import { NOTHING_RENDERED } from '../testing/school.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../testing/terms.ts'
import { eventually } from '../testing/world.ts'
import { giveAccess } from './access/give.ts'
import { apiRoutes } from './app.ts'
import { createBundle, getBundle, saveBundleDraft } from './bundles/service.ts'
import { createCourse } from './catalogue/service.ts'
import { openPage, publishPage, savePageDraft } from './checkoutPages/bench.ts'
import { moveDue, stopRetrying } from './collecting/actions.ts'
import { createCoupon, publishCoupon, saveCouponDraft } from './coupons/service.ts'
import {
  checkoutPages,
  connections,
  disputes,
  grants,
  keyedRequests,
  transfers,
  unknownPayments,
} from './db/schema/index.ts'
import { connectGateway } from './gateways/service.ts'
import { schemaOf } from './http/validate.ts'
import { accountsOf } from './ledger/payouts.ts'
import { addPerson } from './people/service.ts'
import { stopMove } from './practice/practiceTime.ts'
import { answerDispute } from './refunds/disputes.ts'
import { refundLine } from './refunds/service.ts'
import { openSession } from './session/sessions.ts'
import { openTrial } from './setup/goLive.ts'

/**
 * Every act that moves money, books it or grants something, pressed twice, fifty times at once, and again after its
 * answer was lost: it happens once.
 */
const world = ownWorld()
const PRESSES = 50
const note = 'why'
let transfer = ''
let made = 0

/** What is pressed, ready to be pressed once. */
interface Act {
  path: string
  body?: unknown
  cookie: string
}

const creator = () => `acorn_studio=${world.creatorToken}; acorn_mode=practice`
const today = () => world.services.now().toISOString().slice(0, 10)
const inStudio = (path: string, body?: unknown): Act => ({ path, body, cookie: creator() })

beforeAll(async () => {
  transfer = (await world.connectOthers()).transfer
  const { id, keys } = world.standins.account
  await connectGateway(world.services, 'live', { adapter: 'thistle', account: id, secret: keys.live })
})

/** A course that was bought and paid, by a buyer of its own. */
async function bought(paymentMethod: string | null = null, codes: string[] = []) {
  const n = ++made
  const { offerId, slug, courseId } = await world.sell(5000, `Pressed ${n}`)
  const email = `pressed${n}@post.example`
  const payment = paymentMethod ? { payment: { connectionId: paymentMethod, token: '' } } : {}
  const pay = codes.length > 0 ? 4500 : 5000
  const request = world.request(offerId, pay, { email, codes, ...payment })
  const { orderId } = await world.buy(slug, request, email)
  const order = await world.orderOf(orderId)
  const [attempt] = await world.attemptsOf(orderId)
  const { rows } = await world.db.execute<{ id: string }>(sql`select id from order_lines where order_id = ${orderId}`)
  return {
    ...{ n, offerId, slug, courseId, email, orderId, request },
    personId: order?.personId as string,
    lineId: rows[0]?.id as string,
    attemptId: attempt?.id as string,
    reference: attempt?.reference as string,
  }
}
const agreed = (terms: DraftTerms, card = 'pays') => agree(world, terms, { access: WHILE_PAYING, card })
const buyerOf = async (personId: string) => `acorn_shop=${await openSession(world.services, { personId })}`

/** An order by transfer of which a part was marked as received. */
async function partReceived(amount: number, more: object = {}) {
  const order = await bought(transfer)
  const mark = { amount, day: today(), note: '', ...more }
  const answer = await world.call('POST', `/api/settling/orders/${order.orderId}/transfers`, mark, {
    cookie: creator(),
  })
  expect(answer.status).toBe(200)
  const rows = await world.db.select().from(transfers).where(eq(transfers.orderId, order.orderId))
  const surplus = rows.find(({ isSurplus }) => isSurplus)
  return { ...order, markId: (surplus ?? rows[0])?.id as string }
}

async function disputed() {
  const order = await bought()
  world.standins.announceDispute(world.standins.books.dispute(order.reference, 'Not theirs'))
  const find = async () => (await world.db.select().from(disputes).where(eq(disputes.orderId, order.orderId)))[0]
  await eventually(async () => (await find()) !== undefined)
  return { ...order, disputeId: (await find())?.id as string }
}

async function coupon(more: object) {
  const { id } = await createCoupon(world.services)
  const { draftRev } = await saveCouponDraft(world.services, id, 1, { ...newCoupon(), ...more })
  await publishCoupon(world.services, id, draftRev, null)
  return id
}
const aSet = () => coupon({ isSet: true, code: `Set ${++made}`, prefix: `S${made}-`, limitPerBuyer: null })

async function unknownPayment() {
  const { reference } = await bought()
  const [connection] = await world.db
    .select()
    .from(connections)
    .where(and(eq(connections.adapter, 'thistle'), eq(connections.mode, 'practice')))
  const [row] = await world.db
    .insert(unknownPayments)
    .values({
      connectionId: connection?.id as string,
      key: reference,
      ...{ reference, amount: 5000, currency: 'EUR', method: 'card', about: '', state: 'open' },
      collectedAt: new Date(),
      foundAt: new Date(),
    })
    .returning()
  return row?.id as string
}

/** By its address, as in the table of acts (`docs/architecture.md`): how it comes to be pressed. */
const ACTS: Record<string, () => Promise<Act>> = {
  'POST /shop/checkout/:slug': async () => {
    const n = ++made
    const { offerId, slug } = await world.sell(5000, `Placed ${n}`)
    const body = world.request(offerId, 5000, { email: `placed${n}@post.example` })
    return { path: `/shop/checkout/${slug}`, body, cookie: `acorn_browser=placed-${n}` }
  },
  'POST /shop/upsells/:order/:step': async () => {
    const order = await bought()
    const more = await world.sell(1800, `Upsell ${order.n}`)
    const sold = await world.sell(5000, `With upsell ${order.n}`)
    const [page] = await world.db.select().from(checkoutPages).where(eq(checkoutPages.productId, sold.courseId))
    const { id, draft, draftRev } = await openPage(world.services, page?.id as string)
    const step = { id: 'one', offerId: more.offerId, title: '', text: '', coverId: null, onYes: null, onNo: null }
    const saved = await savePageDraft(world.services, id, draftRev, { ...draft, upsells: [step] })
    await publishPage(world.services, id, saved.draftRev, null)
    const email = `upsold${order.n}@post.example`
    const { orderId } = await world.buy(sold.slug, world.request(sold.offerId, 5000, { email }), email)
    const body = { agreed: { pay: 1800, currency: 'EUR' }, payment: null }
    return { path: `/shop/upsells/${orderId}/one`, body, cookie: `acorn_browser=${email}` }
  },
  'POST /shop/plan/:key/pay': async () => {
    const { id, person } = await agreed(THREE_PARTS)
    const body = { connectionId: null, token: '', agreed: 4300, from: 2, to: 2 }
    return { path: `/shop/plan/${id}/pay`, body, cookie: await buyerOf(person.id) }
  },
  'PUT /shop/plan/:key/method': async () => {
    const { id, person } = await agreed(THREE_PARTS)
    const body = { connectionId: world.connectionId, token: world.standins.tokenOf('pays') }
    return { path: `/shop/plan/${id}/method`, body, cookie: await buyerOf(person.id) }
  },
  'POST /shop/plan/:key/cancel': async () => {
    const { id, person } = await agreed(MONTHLY)
    return { path: `/shop/plan/${id}/cancel`, cookie: await buyerOf(person.id) }
  },
  'POST /shop/plan/:key/uncancel': async () => {
    const { id, person } = await agreed(MONTHLY)
    const cookie = await buyerOf(person.id)
    await world.call('POST', `/api/shop/plan/${id}/cancel`, undefined, { cookie })
    return { path: `/shop/plan/${id}/uncancel`, cookie }
  },
  'POST /agreements/:id/cancel': async () => {
    const { id } = await agreed(MONTHLY)
    return inStudio(`/agreements/${id}/cancel`, { when: 'period-end' })
  },
  'POST /agreements/:id/uncancel': async () => {
    const { id } = await agreed(MONTHLY)
    await world.call('POST', `/api/agreements/${id}/cancel`, { when: 'period-end' }, { cookie: creator() })
    return inStudio(`/agreements/${id}/uncancel`)
  },
  'POST /agreements/:id/stop': async () => inStudio(`/agreements/${(await agreed(THREE_PARTS)).id}/stop`, { note }),
  'POST /agreements/:id/write-off': async () => {
    const { id } = await agreed(THREE_PARTS)
    await stopRetrying(world.services, id, note)
    return inStudio(`/agreements/${id}/write-off`, { note })
  },
  'POST /agreements/:id/try': async () => {
    const { id } = await agreed(THREE_PARTS)
    return inStudio(`/agreements/${id}/try`, { agreed: 4300, from: 2, to: 2 })
  },
  'POST /agreements/:id/pay-link': async () => inStudio(`/agreements/${(await agreed(THREE_PARTS)).id}/pay-link`),
  'POST /agreements/:id/resume-retrying': async () => {
    const { id } = await agreed(THREE_PARTS)
    await stopRetrying(world.services, id, note)
    return inStudio(`/agreements/${id}/resume-retrying`)
  },
  'POST /agreements/:id/move': async () =>
    inStudio(`/agreements/${(await agreed(THREE_PARTS)).id}/move`, { day: today(), note }),
  'POST /settling/orders/:order/refunds': async () => {
    const { orderId, lineId } = await bought()
    return inStudio(`/settling/orders/${orderId}/refunds`, { lineId, amount: 500, access: 'keep', note })
  },
  'POST /settling/orders/:order/refunds/whole': async () => {
    const { orderId, attemptId } = await bought()
    return inStudio(`/settling/orders/${orderId}/refunds/whole`, { attemptId, access: 'close', note })
  },
  'POST /settling/orders/:order/refunds/outside': async () => {
    const { orderId, lineId } = await bought()
    const body = { lineId, amount: 500, reference: 'cheque 7', access: 'keep', note }
    return inStudio(`/settling/orders/${orderId}/refunds/outside`, body)
  },
  'POST /settling/orders/:order/transfers': async () => {
    const { orderId } = await bought(transfer)
    return inStudio(`/settling/orders/${orderId}/transfers`, { amount: 2500, day: today(), note })
  },
  'POST /settling/orders/:order/transfers/:id/take-back': async () => {
    const { orderId, markId } = await partReceived(2500)
    return inStudio(`/settling/orders/${orderId}/transfers/${markId}/take-back`, { note })
  },
  'POST /settling/orders/:order/transfers/:id/given-back': async () => {
    const { orderId, markId } = await partReceived(6000)
    return inStudio(`/settling/orders/${orderId}/transfers/${markId}/given-back`, { note })
  },
  'POST /settling/orders/:order/transfers/give-up': async () =>
    inStudio(`/settling/orders/${(await bought(transfer)).orderId}/transfers/give-up`),
  'POST /settling/orders/:order/transfers/wait-again': async () => {
    const { orderId } = await bought(transfer)
    const path = `/settling/orders/${orderId}/transfers`
    await world.call('POST', `/api${path}/give-up`, undefined, { cookie: creator() })
    return inStudio(`${path}/wait-again`)
  },
  'POST /settling/orders/:order/codes/give-back': async () => {
    const code = `BACK-${++made}`
    await coupon({ code })
    const { orderId, lineId } = await bought(null, [code])
    await refundLine(world.services, 'practice', orderId, { lineId, amount: 4500, access: 'close', note })
    return inStudio(`/settling/orders/${orderId}/codes/give-back`)
  },
  'POST /settling/disputes/:id/answer': async () => {
    const { disputeId } = await disputed()
    return inStudio(`/settling/disputes/${disputeId}/answer`, { accept: true, access: 'close', note })
  },
  'POST /settling/disputes/:id/access': async () => {
    const { disputeId, reference } = await disputed()
    await answerDispute(world.services, 'practice', disputeId, { accept: false, access: 'keep', note })
    const booked = [...world.standins.books.disputes.values()].find(({ payment }) => payment === reference)
    world.standins.announceDispute(world.standins.books.decideDispute(booked?.id ?? '', false))
    const find = async () => (await world.db.select().from(disputes).where(eq(disputes.id, disputeId)))[0]
    await eventually(async () => (await find())?.state === 'lost')
    return inStudio(`/settling/disputes/${disputeId}/access`, { access: 'close', note })
  },
  'POST /money/payouts': async () => {
    await bought()
    return inStudio('/money/payouts', { paymentMethod: 'thistle', amount: 100, day: today(), note })
  },
  'DELETE /money/payouts/:id': async () => {
    await bought()
    const payout = { paymentMethod: 'thistle', amount: 100 + ++made, day: today(), note }
    await world.call('POST', '/api/money/payouts', payout, { cookie: creator() })
    const { payouts } = await accountsOf(world.services, 'practice')
    return inStudio(`/money/payouts/${payouts.find(({ amount }) => amount === 100 + made)?.id}`)
  },
  'POST /people/:id/join': async () => {
    const [one, other] = [await bought(), await bought()]
    return inStudio(`/people/${one.personId}/join`, { other: other.personId, note })
  },
  'POST /people/:id/grants': async () => {
    const { courseId } = await world.sell(5000, `Given ${++made}`)
    const { id } = await addPerson(world.services, 'practice', 'Given', `given${made}@post.example`)
    return inStudio(`/people/${id}/grants`, { courseIds: [courseId], note })
  },
  'PUT /people/grants/:id/until': async () => {
    const { courseId } = await world.sell(5000, `Extended ${++made}`)
    const { id } = await addPerson(world.services, 'practice', 'Given', `until${made}@post.example`)
    await giveAccess(world.services, id, { courseIds: [courseId] })
    const [grant] = await world.db.select().from(grants).where(eq(grants.personId, id))
    return inStudio(`/people/grants/${grant?.id}/until`, { until: addDays(today(), 30), note })
  },
  'POST /people/grants/:id/take-back': async () => {
    const { orderId } = await bought()
    const [grant] = await world.db.select().from(grants).where(eq(grants.orderId, orderId))
    return inStudio(`/people/grants/${grant?.id}/take-back`, { note })
  },
  'POST /gateways/unknown/:id/refund': async () => inStudio(`/gateways/unknown/${await unknownPayment()}/refund`),
  'POST /gateways/unknown/:id/settle': async () =>
    inStudio(`/gateways/unknown/${await unknownPayment()}/settle`, { note }),
  'POST /school/live/trial/give-back': async () => {
    await bought()
    const { path } = await openTrial(world.services)
    const [, slug = '', offerId = ''] = /buy\/(.*)\?offer=(.*)/.exec(path) ?? []
    const [live] = await world.db.select().from(connections).where(eq(connections.mode, 'live'))
    const { token } = world.standins.books.tokenise(world.standins.account.id, 'live', '9710223044004821')
    const email = `own${++made}@post.example`
    const request = world.request(offerId, 50, { email, payment: { connectionId: live?.id as string, token } })
    const cookie = `acorn_studio=${world.creatorToken}; acorn_mode=live; acorn_browser=own-${made}`
    const placed = await world.call('POST', `/api/shop/checkout/${slug}`, request, { cookie })
    expect(await placed.json()).toMatchObject({ state: 'paid' })
    return { path: '/school/live/trial/give-back', cookie }
  },
  'POST /school/practice/move': async () => {
    await stopMove(world.services)
    return inStudio('/school/practice/move', { to: { days: 3 } })
  },
  'POST /coupons/:id/codes': async () => inStudio(`/coupons/${await aSet()}/codes`, { count: 5 }),
  'POST /coupons/:id/codes/import': async () =>
    inStudio(`/coupons/${await aSet()}/codes/import`, { csv: `IMPORTED-${++made}\n`, rest: 'nothing' }),
  'POST /catalogue/courses/:id/publish': async () => {
    const { id } = await createCourse(world.services, `Published ${++made}`)
    return inStudio(`/catalogue/courses/${id}/publish`, { rev: 1 })
  },
  'POST /bundles/:id/publish': async () => {
    const courses = [await world.sell(5000, `In a bundle ${++made}`), await world.sell(5000, `Beside it ${made}`)]
    const { id } = await createBundle(world.services, `Bundle ${made}`)
    const { draft } = await getBundle(world.db, id)
    const content = { ...draft, courses: courses.map(({ courseId: id }) => ({ id, figure: 5000 })) }
    const { draftRev } = await saveBundleDraft(world.services, id, 1, content)
    return inStudio(`/bundles/${id}/publish`, { rev: draftRev })
  },
}

/** What changes something, but moves no money, books none and grants nothing: by itself it is the same twice, or shows. */
const WITHOUT_KEY: Record<string, RegExp> = {
  'what is written, arranged, published or retired, guarded by its revision or its own state':
    /^\w+ \/(catalogue|bundles|pages|offers|coupons)\b/,
  'pictures and videos': /^\w+ \/media\b/,
  'settings, and clearing Practice': /^\w+ \/school\b|^\w+ \/gateways(?!\/unknown)/,
  'signing in and accounts': /^\w+ \/(session|account)\b|^\w+ \/shop\/(sign-in|password|account|email)\b/,
  'persons and messages: nothing is granted by them':
    /^POST \/people$|^PUT \/people\/:id$|^POST \/people\/:id\/(erase|password-link)$|^POST \/messages\b/,
  'asking, and saying no':
    /^POST \/shop\/(checkout\/:slug\/quote|orders\/:id\/(check|leave)|plan\/:key\/(check|leave)|upsells\/:order\/:step\/no)$/,
}

const methodOf = (address: string) => address.split(' ')[0] as string
const press = ({ path, body, cookie }: Act, method: string, key: string) =>
  world.call(method, `/api${path}`, body, { cookie, 'idempotency-key': key })
const newKey = () => crypto.randomUUID()

const COUNTED = [
  ...['orders', 'order_lines', 'payments', 'attempts', 'agreements', 'grants', 'refunds', 'transfers', 'disputes'],
  ...['messages', 'ledger', 'journal', 'codes', 'versions', 'bundle_growths', 'people', 'connections'],
]
/** How much there is of everything, here and in the gateway's books. */
async function counts(): Promise<Record<string, number>> {
  const all = sql.join(
    COUNTED.map((table) => sql`select ${table} as name, count(*)::int as n from ${sql.identifier(table)}`),
    sql` union all `,
  )
  const { rows } = await world.db.execute<{ name: string; n: number }>(all)
  const booked = [...world.standins.books.payments.values()]
  return {
    ...Object.fromEntries(rows.map(({ name, n }) => [name, n])),
    charged: booked.length,
    refunded: booked.reduce((sum, { refunded }) => sum + refunded, 0),
    toMake: Number(
      (await world.db.execute<{ n: string }>(sql`select sum(codes_to_make) as n from coupons`)).rows[0]?.n,
    ),
    moves: world.queue.filter(({ name }) => name === 'practice-move').length,
    settled: await world.db.$count(unknownPayments, eq(unknownPayments.state, 'settled')),
  }
}
const changes = (before: Record<string, number>, after: Record<string, number>) =>
  Object.fromEntries(
    Object.entries(after).flatMap(([name, n]) => (n === before[name] ? [] : [[name, n - (before[name] ?? 0)]])),
  )

const answerOf = async (response: Response) => ({ status: response.status, body: await response.text() })

describe('every act that moves money, books it or grants something', () => {
  it('takes a key, and is pressed here', () => {
    const routes = apiRoutes(world.services, NOTHING_RENDERED).routes
    const changing = routes.filter(({ method, path }) => !['ALL', 'GET'].includes(method) && !path.endsWith('*'))
    const takesKey = new Set(
      changing
        .filter(({ handler }) => schemaOf.get(handler)?.target === 'header')
        .map(({ method, path }) => `${method} ${path}`),
    )
    expect([...takesKey].sort()).toEqual(Object.keys(ACTS).sort())
    const table = readFileSync('docs/architecture.md', 'utf8')
    expect(Object.keys(ACTS).filter((address) => !table.includes(`| \`${address}\` `))).toEqual([])
    const unsaid = [...new Set(changing.map(({ method, path }) => `${method} ${path}`))].filter(
      (address) => !takesKey.has(address) && !Object.values(WITHOUT_KEY).some((free) => free.test(address)),
    )
    expect(unsaid).toEqual([])
  })

  describe.each(Object.keys(ACTS))('%s', (address) => {
    const make = ACTS[address] as () => Promise<Act>
    const method = methodOf(address)

    it('is refused without a key, and does nothing', async () => {
      const act = await make()
      const before = await counts()
      const refused = await press(act, method, '')
      expect([refused.status, ((await refused.json()) as { code: string }).code]).toEqual([400, 'no-key'])
      expect(changes(before, await counts())).toEqual({})
    })

    it('happens once, pressed twice, fifty times at once, or again after its process ended', async () => {
      const single = await make()
      const first = await counts()
      const key = newKey()
      const answer = await answerOf(await press(single, method, key))
      expect([answer.status < 300, answer]).toEqual([true, answer])
      const once = changes(first, await counts())
      expect(once).not.toEqual({})
      // A second time, after the answer.
      expect(await answerOf(await press(single, method, key))).toEqual(answer)
      expect(changes(first, await counts())).toEqual(once)
      // The answer was never kept, since its process ended; what was committed is not done again.
      await world.db
        .update(keyedRequests)
        .set({ status: null, body: null, busyUntil: sql`now() - interval '1 second'` })
        .where(eq(keyedRequests.key, key))
      const again = await answerOf(await press(single, method, key))
      expect(again).toEqual(answer)
      expect(changes(first, await counts())).toEqual(once)
      // With another content it is another act, which the key does not name.
      const other = await press({ ...single, body: { ...(single.body ?? {}), other: 1 } }, method, key)
      expect(other.status).toBe(422)

      const many = await make()
      const before = await counts()
      const shared = newKey()
      const answers = await Promise.all(
        Array.from({ length: PRESSES }, async () => answerOf(await press(many, method, shared))),
      )
      expect(new Set(answers.map(({ status, body }) => `${status} ${body}`)).size).toBe(1)
      expect(answers[0]?.status).toBe(answer.status)
      expect(changes(before, await counts())).toEqual(once)
    })
  })
})

describe('a key', () => {
  it('is its person’s: another may use the same', async () => {
    const key = newKey()
    for (const n of [1, 2]) {
      const { offerId, slug } = await world.sell(5000, `Own key ${n}`)
      const body = world.request(offerId, 5000, { email: `own-key${n}@post.example` })
      const placed = await press(
        { path: `/shop/checkout/${slug}`, body, cookie: `acorn_browser=own-key-${n}` },
        'POST',
        key,
      )
      expect([placed.status, await placed.json()]).toMatchObject([200, { state: 'paid' }])
    }
  })

  it('gives a browser without a cookie one and the same, twice at once', async () => {
    const { offerId, slug } = await world.sell(5000, 'No cookie')
    const act = { path: `/shop/checkout/${slug}`, body: world.request(offerId, 5000), cookie: '' }
    const key = newKey()
    const [one, two] = await Promise.all([press(act, 'POST', key), press(act, 'POST', key)])
    expect(one.headers.get('set-cookie')).toBe(two.headers.get('set-cookie'))
    expect(await one.json()).toEqual(await two.json())
  })

  it('of what was refused gives the same refusal, and a new one asks again', async () => {
    const { orderId, lineId } = await bought()
    const act = inStudio(`/settling/orders/${orderId}/refunds`, { lineId, amount: 9000, access: 'keep', note })
    const key = newKey()
    const refused = await answerOf(await press(act, 'POST', key))
    expect(refused.status).toBe(422)
    expect(await answerOf(await press(act, 'POST', key))).toEqual(refused)
    expect(
      (await press({ ...act, body: { lineId, amount: 500, access: 'keep', note } }, 'POST', newKey())).status,
    ).toBe(200)
    // Another five euros are possible, by another key.
    expect(
      (await press({ ...act, body: { lineId, amount: 500, access: 'keep', note } }, 'POST', newKey())).status,
    ).toBe(200)
  })

  it('of what failed is not kept: the same request is tried again', async () => {
    const { disputeId } = await disputed()
    const act = inStudio(`/settling/disputes/${disputeId}/answer`, { accept: true, access: 'close', note })
    const key = newKey()
    world.standins.world.down = true
    expect((await press(act, 'POST', key)).status).toBe(502)
    world.standins.world.down = false
    expect((await press(act, 'POST', key)).status).toBe(200)
  })

  it('leaves later payments to the worker', async () => {
    const { id } = await agreed(THREE_PARTS)
    await moveDue(world.services, id, today(), note)
    const act = inStudio(`/agreements/${id}/try`, { agreed: 4300, from: 2, to: 2 })
    await Promise.all([press(act, 'POST', newKey()), press(act, 'POST', newKey()), work(world)])
    const { rows } = await world.db.execute<{ n: number }>(
      sql`select count(*)::int as n from attempts where agreement_id = ${id} and state = 'collected'`,
    )
    expect(rows).toEqual([{ n: 1 }])
  })
})
