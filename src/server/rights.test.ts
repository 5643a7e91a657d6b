import { and, eq } from 'drizzle-orm'
import { afterEach, beforeAll, describe, expect, it, vi } from 'vitest'
import { ownWorld } from '../testing/ownWorld.ts'
import { NOTHING_RENDERED } from '../testing/school.ts'
import { apiRoutes } from './app.ts'
import { makePayLink } from './collecting/payLinks.ts'
import { agreements, attempts, connections, orders, people } from './db/schema/index.ts'
import { openSession } from './session/sessions.ts'

/** Who may do what: every address of the API, by whoever has no right to it. */
const world = ownWorld()
/** Two buyers, each with a plan of their own; the first is the one whose things are asked for. */
let ada: Awaited<ReturnType<typeof buyPlan>>
let ben: Awaited<ReturnType<typeof buyPlan>>
let creator: Record<string, string>

const every = { count: 1, unit: 'month' } as const
const parts = { kind: 'installments', count: 3, every, amount: 4300, total: null, deposit: null, trial: null } as const
const monthly = { kind: 'subscription', amount: 1900, every, payments: null, setupFee: null, trial: null } as const

async function buyPlan(who: string, terms: typeof parts | typeof monthly, pay: number, card = 'pays') {
  const { slug, offerId } = await world.sell(terms, `Course of ${who}`)
  const request = world.request(offerId, pay, { name: who, email: `${who}@rights.example` }, card)
  const { orderId } = await world.buy(slug, request, who)
  const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
  const [person] = await world.db
    .select()
    .from(people)
    .where(eq(people.email, `${who}@rights.example`))
  const token = await openSession(world.services, { personId: person?.id as string })
  return { slug, offerId, orderId, plan: agreement?.id as string, cookie: { cookie: `acorn_shop=${token}` } }
}

beforeAll(async () => {
  ada = await buyPlan('ada', monthly, 1900)
  ben = await buyPlan('ben', parts, 4300)
  creator = { cookie: `acorn_studio=${world.creatorToken}; acorn_mode=practice` }
})
afterEach(() => {
  vi.restoreAllMocks()
})

/** What anyone may ask for: to sign in, and what the shop is made of. */
const OPEN = ['/session', '/shop']
const routes = () => {
  const seen = new Set<string>()
  return apiRoutes(world.services, NOTHING_RENDERED)
    .routes.filter(({ method, path }) => method !== 'ALL' && !path.endsWith('*'))
    .filter(({ method, path }) => !seen.has(`${method} ${path}`) && seen.add(`${method} ${path}`))
}
const isOpen = (path: string) => OPEN.some((open) => path === open || path.startsWith(`${open}/`))
const ofStudio = () => routes().filter(({ path }) => !isOpen(path))
const withIds = (path: string, id: string) => `/api${path.replace(/:[a-zA-Z]+(\{[^}]*\})?\??/g, id)}`
const SOME_ID = '6f1e2f4e-2e2c-4f0e-9a59-0a5d3b8f7c11'
const bodyOf = (method: string) => (method === 'GET' || method === 'DELETE' ? undefined : {})

describe('the studio’s addresses', () => {
  it('are many, and none is open to a stranger or a buyer', async () => {
    const all = ofStudio()
    expect(all.length).toBeGreaterThan(50)
    for (const { method, path } of all) {
      for (const who of [{}, ada.cookie, { cookie: 'acorn_studio=made-up' }]) {
        const answer = await world.call(method, withIds(path, SOME_ID), bodyOf(method), who)
        expect([method, path, answer.status]).toEqual([method, path, 401])
      }
    }
  })

  it('change nothing for a page of somebody else, though the creator is signed in', async () => {
    const changing = routes().filter(({ method }) => method !== 'GET')
    expect(changing.length).toBeGreaterThan(30)
    for (const { method, path } of changing) {
      const foreign = { ...creator, origin: 'https://elsewhere.example' }
      const answer = await world.call(method, withIds(path, SOME_ID), bodyOf(method), foreign)
      expect([method, path, answer.status]).toEqual([method, path, 403])
    }
  })

  it('answer nonsense with a problem, never with a broken server', async () => {
    const noise = vi.spyOn(console, 'error').mockImplementation(() => {})
    // What would set practice back or sign out is tried elsewhere.
    const harmless = ofStudio().filter(({ method, path }) => !(method === 'DELETE' && path.startsWith('/school')))
    for (const { method, path } of harmless) {
      for (const id of [SOME_ID, 'nonsense', '%00', "'; drop table orders; --"]) {
        const answer = await world.call(method, withIds(path, encodeURIComponent(id)), bodyOf(method), creator)
        expect([method, path, id, answer.status >= 500]).toEqual([method, path, id, false])
      }
    }
    // Connections of a test before this one, whose database has ended, may still be said.
    const said = noise.mock.calls.filter(([line]) => !String(line).includes('due to administrator command'))
    expect(said).toEqual([])
    expect(await world.db.$count(orders)).toBe(2)
  })

  it('search for whatever is typed', async () => {
    for (const path of ['/orders', '/people', '/money/months', '/orders/sum']) {
      for (const typed of ["'", '%', '_', '\\', '"; --', '<script>', '🜚', 'a'.repeat(100)]) {
        const answer = await world.call('GET', `/api${path}?search=${encodeURIComponent(typed)}`, undefined, creator)
        expect([path, typed, answer.status]).toEqual([path, typed, 200])
      }
    }
  })
})

describe('a buyer’s plan', () => {
  const payment = () => ({
    connectionId: world.connectionId,
    token: world.standins.tokenOf('pays'),
    agreed: 1900,
    from: 2,
    to: 2,
  })
  const begun = () => world.db.$count(attempts, eq(attempts.agreementId, ada.plan))

  it('is not paid, changed, looked up or cancelled by another buyer or a stranger who knows its id', async () => {
    for (const who of [ben.cookie, {}, creator]) {
      for (const [method, what] of [
        ['POST', 'pay'],
        ['POST', 'check'],
        ['PUT', 'method'],
        ['POST', 'cancel'],
      ] as const) {
        const answer = await world.call(method, `/api/shop/plan/${ada.plan}/${what}`, payment(), who)
        expect([what, answer.status]).toEqual([what, 410])
      }
    }
    expect(await begun()).toBe(0)
    const [row] = await world.db.select().from(agreements).where(eq(agreements.id, ada.plan))
    expect(row).toMatchObject({ state: 'active', collected: 1 })
  })

  it('by its link is paid, and nothing else: not cancelled, and no other plan', async () => {
    const token = (await makePayLink(world.services, ada.plan)).split('/').at(-1) as string
    const cancel = await world.call('POST', `/api/shop/plan/${token}/cancel`, {})
    expect(cancel.status).toBe(403)
    const other = await world.call('POST', `/api/shop/plan/${token}x/pay`, payment())
    expect(other.status).toBe(410)
    const paid = await world.call('POST', `/api/shop/plan/${token}/pay`, payment())
    expect(await paid.json()).toEqual({ state: 'paid' })
    // Used once, it is over: pressed again it says that this is paid, and pays nothing else.
    const again = await world.call('POST', `/api/shop/plan/${token}/pay`, payment())
    expect(await again.json()).toEqual({ state: 'paid' })
    const next = await world.call('POST', `/api/shop/plan/${token}/pay`, { ...payment(), from: 3, to: 3 })
    expect(next.status).toBe(410)
    expect(await begun()).toBe(1)
  })

  it('by a link that has ended is not paid; by one that holds, in its own mode, whatever is looked at', async () => {
    const token = (await makePayLink(world.services, ada.plan)).split('/').at(-1) as string
    world.clock.offsetMs += 31 * 86_400_000
    expect((await world.call('POST', `/api/shop/plan/${token}/pay`, payment())).status).toBe(410)
    world.clock.offsetMs -= 31 * 86_400_000
    const live = { cookie: `acorn_studio=${world.creatorToken}; acorn_mode=live` }
    expect((await world.call('POST', `/api/shop/plan/${token}/pay`, payment(), live)).status).toBe(200)
    const [paid] = await world.db.select().from(agreements).where(eq(agreements.id, ada.plan))
    expect(paid).toMatchObject({ mode: 'practice', collected: 2 })
  })

  it('is the creator’s to stop only in its own mode', async () => {
    const live = { cookie: `acorn_studio=${world.creatorToken}; acorn_mode=live` }
    for (const what of ['stop', 'resume-retrying', 'uncancel', 'move']) {
      const body = { note: 'why', day: '2030-01-01' }
      const answer = await world.call('POST', `/api/agreements/${ben.plan}/${what}`, body, live)
      expect([what, answer.status]).toEqual([what, 404])
    }
  })
})

describe('secrets', () => {
  it('stand in no answer of the studio, and in nothing that is printed, whatever a gateway says', async () => {
    const printed: string[] = []
    for (const how of ['log', 'warn', 'error', 'info'] as const)
      vi.spyOn(console, how).mockImplementation((...args) => void printed.push(args.map(String).join(' ')))
    const { id, keys } = world.standins.account
    const [connection] = await world.db.select().from(connections).where(eq(connections.adapter, 'thistle'))
    const secrets = [keys.practice, keys.live, connection?.secret ?? 'none', connection?.signingSecret ?? 'none']
    expect(new Set(secrets).size).toBe(4)

    const answers: string[] = []
    const connect = async (secret: string) => {
      const body = { adapter: 'thistle', account: id, secret }
      answers.push(await (await world.call('POST', '/api/gateways', body, creator)).text())
    }
    await connect(keys.live)
    world.standins.world.down = true
    await connect(keys.practice)
    world.standins.world.down = false
    await connect(keys.practice)
    for (const { method, path } of ofStudio().filter(({ method: how }) => how === 'GET'))
      for (const of of [SOME_ID, ada.orderId, ada.offerId, 'thistle'])
        answers.push(await (await world.call(method, withIds(path, of), undefined, creator)).text())
    for (const page of [
      '/',
      `/course/${ada.slug}`,
      `/learn/${ada.slug}`,
      `/buy/${ada.slug}`,
      '/my',
      '/terms',
      '/studio',
    ])
      answers.push(await (await world.call('GET', page, undefined, creator)).text())

    const [now] = await world.db
      .select()
      .from(connections)
      .where(and(eq(connections.adapter, 'thistle'), eq(connections.mode, 'practice')))
    for (const secret of [...secrets, now?.secret ?? 'none', now?.signingSecret ?? 'none']) {
      expect(answers.filter((text) => text.includes(secret))).toEqual([])
      expect(printed.filter((text) => text.includes(secret))).toEqual([])
    }
    expect(answers.length).toBeGreaterThan(80)
  })
})
