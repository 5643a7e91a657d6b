import { type ChildProcess, spawn } from 'node:child_process'
import { parseArgs } from 'node:util'
import { serve } from '@hono/node-server'
import { and, asc, count, eq, gt, inArray, lt, sql } from 'drizzle-orm'
import { addDays, type Day } from '../src/core/calendar/day.ts'
import { readRehearsal } from '../src/core/collecting/read.ts'
import { type Rehearsed, rehearse } from '../src/core/collecting/rehearse.ts'
import { type DraftTerms, newOffer, type OfferContent } from '../src/core/content/offer.ts'
import { makeApp } from '../src/server/app.ts'
import { createCourse, publishCourse } from '../src/server/catalogue/service.ts'
import { placeOrder } from '../src/server/checkout/place.ts'
import { inMode } from '../src/server/context.ts'
import { connect, migrateDatabase } from '../src/server/db/client.ts'
import {
  agreements,
  attempts,
  connections,
  courses,
  grants,
  OPEN_ATTEMPTS,
  orders,
  payments,
  school,
} from '../src/server/db/schema/index.ts'
import { connectGateway } from '../src/server/gateways/service.ts'
import { Problem } from '../src/server/http/problem.ts'
import { createOffer, publishOffer, saveOfferDraft } from '../src/server/offers/service.ts'
import { getSchool, schoolDay, setUp } from '../src/server/school/service.ts'
import { hashToken } from '../src/server/secrets.ts'
import { makeStandins } from '../src/standins/app.ts'
import { SAMPLE_CARDS } from '../src/standins/thistle/cards.ts'
import { GOOD_WEATHER } from '../src/standins/world.ts'
import { chaosServices } from './chaos/services.ts'
import { dropDatabase } from './databases.ts'
import { ensureDatabase, startCluster } from './postgres.ts'

/**
 * `npm run chaos -- --orders N --seed S`: orders of all kinds over a moved year, workers killed at random, the
 * gateway misbehaving. At the end our books, the gateway's books and a rehearsal of every order by the core must
 * agree, payment by payment.
 */
const { values } = parseArgs({
  options: { orders: { type: 'string', default: '150' }, seed: { type: 'string', default: '1' } },
})
const ORDERS = Number(values.orders)
const SEED = Number(values.seed)
const WORKERS = 3
const DAYS = 366
const DAY_MS = 86_400_000

let state = (SEED * 2_654_435_761) % 2_147_483_648
const random = () => {
  state = (state * 1_103_515_245 + 12_345) % 2_147_483_648
  return state / 2_147_483_648
}
const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T

const cluster = await startCluster({
  dir: '.data/chaos-postgres',
  port: Number(process.env.CHAOS_DATABASE_PORT ?? 7440),
  fsync: false,
})
const url = cluster.url(`chaos_${process.pid}`)
await ensureDatabase(url)
const { db, pool } = connect(url, 8)
await migrateDatabase(db)

let standinsFetch: (request: Request) => Response | Promise<Response> = () => new Response(null, { status: 503 })
const gateway = await listen((request) => standinsFetch(request))
const standins = makeStandins({ dataDir: null, origin: gateway.origin })
standinsFetch = standins.app.fetch
let productFetch: typeof standinsFetch = () => new Response(null, { status: 503 })
const product = await listen((request) => productFetch(request))
const services = chaosServices(db, url, gateway.origin, product.origin)
const nothing = () => ({ scripts: [], preloads: [], styles: [], inlineStyle: '', extraHead: '' })
productFetch = makeApp(services, { render: async () => '', shopFiles: nothing, studioFiles: nothing }).fetch

let killed = 0
let workers: ChildProcess[] = []
/** Those that have begun; to kill one that has not would prove nothing. */
const working = new Set<ChildProcess>()
let isOver = false
const startWorker = () => {
  const child = spawn(process.execPath, ['--import', 'tsx', 'scripts/chaos/worker.ts', url, gateway.origin], {
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  })
  child.once('message', () => working.add(child))
  child.once('exit', () => {
    workers = workers.filter((other) => other !== child)
    working.delete(child)
    if (!isOver) workers.push(startWorker())
  })
  return child
}

let differences: string[] = []
try {
  await open()
  const until = await liveThrough()
  differences = await compare(until)
} finally {
  isOver = true
  for (const child of workers) child.kill('SIGKILL')
  standins.events.stop()
  gateway.server.close()
  product.server.close()
  await pool.end()
  await dropDatabase(url)
  cluster.stop()
}
for (const difference of differences.slice(0, 20)) console.error(difference)
console.log(
  differences.length === 0
    ? `chaos: ${ORDERS} orders over ${DAYS} days, ${killed} workers killed: our books, the gateway’s and the rehearsals agree`
    : `chaos: ${differences.length} differences`,
)
process.exit(differences.length === 0 ? 0 : 1)

function listen(fetch: typeof standinsFetch): Promise<{ origin: string; server: ReturnType<typeof serve> }> {
  return new Promise((resolve) => {
    const server = serve({ fetch, port: 0, hostname: '127.0.0.1' }, ({ port }) =>
      resolve({ origin: `http://127.0.0.1:${port}`, server }),
    )
  })
}

/** A school with offers of many kinds. */
async function open() {
  await setUp(services, {
    school: {
      name: 'Chaos',
      currency: 'EUR',
      language: 'en',
      leaveOutZeros: false,
      timeZone: 'Europe/Vienna',
      country: 'AT',
      taxMode: 'inclusive',
      taxRate: 2000,
    },
    creator: { name: 'Owner', email: 'owner@chaos.example', password: 'a long enough password' },
  })
  const account = standins.books.openAccount('Chaos')
  await connectGateway(services, 'practice', { adapter: 'thistle', account: account.id, secret: account.keys.practice })
}

function contents(): Partial<OfferContent>[] {
  const span = (count: number, unit: 'day' | 'week' | 'month' | 'year') => ({ count, unit })
  const parts = (more: Partial<Extract<DraftTerms, { kind: 'installments' }>>): DraftTerms => ({
    kind: 'installments',
    count: 3,
    every: span(1, 'month'),
    amount: null,
    total: 12_901,
    deposit: null,
    trial: null,
    ...more,
  })
  const regular = (more: Partial<Extract<DraftTerms, { kind: 'subscription' }>>): DraftTerms => ({
    kind: 'subscription',
    amount: 1900,
    every: span(1, 'month'),
    payments: null,
    setupFee: null,
    trial: null,
    ...more,
  })
  const lasting = (lasts: OfferContent['access']['lasts'], graceDays: number) => ({
    access: { from: null, lasts, graceDays },
  })
  return [
    { terms: { kind: 'single', amount: 4900 } },
    { terms: parts({}), ...lasting('forever', 3) },
    {
      terms: parts({ total: null, amount: 6500, count: 8, deposit: 18_000 }),
      ...lasting({ count: 2, unit: 'year' }, 0),
    },
    {
      terms: parts({ count: 5, every: span(2, 'week'), trial: { length: span(10, 'day'), amount: 100 } }),
      ...lasting('forever', 1),
    },
    { terms: regular({}), ...lasting('whilePaying', 3) },
    {
      terms: regular({ every: span(2, 'week'), trial: { length: span(7, 'day'), amount: 0 } }),
      ...lasting('whilePaying', 0),
    },
    { terms: regular({ every: span(3, 'month'), payments: 4, setupFee: 2400 }), ...lasting('forever', 5) },
    { terms: regular({ every: span(10, 'day'), payments: 12 }), ...lasting('whilePaying', 2) },
  ]
}

/** Buyers over the first months, then the year to its end; on each day until nothing is left to do. */
async function liveThrough(): Promise<Day> {
  const start = await schoolDay(services)
  const [connection] = await db.select().from(connections)
  const [account] = [...standins.books.accounts.values()]
  const arrivals = Array.from({ length: ORDERS }, () => Math.floor(random() * 120)).sort((a, b) => a - b)
  const offers = await Promise.all(contents().map((content, index) => sellable(`Course ${index}`, content)))
  workers = Array.from({ length: WORKERS }, startWorker)
  let placed = 0
  const last = addDays(start, DAYS)
  for (let day = start; ; ) {
    while (placed < ORDERS && addDays(start, arrivals[placed] as number) <= day) await buy(placed++)
    await settleDay()
    if (day >= last) return day
    const due = await nextDay()
    const arrival = placed < ORDERS ? addDays(start, arrivals[placed] as number) : last
    day = [due ?? last, arrival, last].filter((other) => other > day).sort()[0] ?? last
    await moveTo(day)
  }

  async function buy(n: number) {
    const offer = pick(offers)
    const behaviour = random() < 0.3 ? 'pays-once' : random() < 0.08 ? 'not-enough-money' : 'pays'
    const card = SAMPLE_CARDS.find((sample) => sample.behaviour === behaviour)
    const practice = await inMode(services, 'practice')
    // The world behaves while an order is placed; what goes wrong there has tests of its own.
    Object.assign(standins.world, GOOD_WEATHER)
    for (let go = 0; ; go++) {
      const token = standins.books.tokenise(account?.id ?? '', 'practice', card?.number ?? '').token
      const request = {
        offerId: offer.id,
        chosen: null,
        name: `Buyer ${n}`,
        email: `buyer${n}@chaos.example`,
        agreed: { pay: offer.pay, currency: 'EUR' },
        payment: { connectionId: connection?.id as string, token },
      }
      const shopper = { mode: 'practice' as const, browserHash: hashToken(`browser ${n}`), person: null }
      try {
        await placeOrder(practice, offer.slug, request, shopper)
        return
      } catch (error) {
        // On a busy machine an answer may take too long; nothing was charged, and the buyer tries again.
        const isSlow = error instanceof Problem && ['gateway-unreachable', 'way-down'].includes(error.code)
        if (!isSlow || go === 5) throw error
      }
    }
  }
}

async function sellable(title: string, content: Partial<OfferContent>) {
  const { id: courseId } = await createCourse(services, title)
  await publishCourse(services, courseId, 1, null)
  const { id } = await createOffer(services, courseId)
  const full = { ...newOffer('Offer'), ...content }
  const { draftRev } = await saveOfferDraft(services, id, 1, full)
  await publishOffer(services, id, draftRev, null)
  const [course] = await db.select().from(courses).where(eq(courses.id, courseId))
  const { quoteOffer } = await import('../src/server/checkout/quoteOffer.ts')
  const { quote } = quoteOffer(await getSchool(db), { id, courseId, live: full }, new Date(), null)
  return { id, slug: course?.slug as string, pay: quote.today.pay }
}

async function nextDay(): Promise<Day | null> {
  const [row] = await db.select({ on: sql<string | null>`min(${agreements.nextTry})` }).from(agreements)
  return row?.on ?? null
}

/** Practice time to noon of a day. */
async function moveTo(day: Day) {
  const practice = await inMode(services, 'practice')
  const ms = Date.parse(`${day}T11:00:00Z`) - practice.now().getTime()
  await db.update(school).set({ practiceAheadMs: sql`${school.practiceAheadMs} + ${Math.max(0, ms)}` })
}

/** Lets the workers work in bad weather, killing one now and then, until nothing of the day is left. */
async function settleDay() {
  const day = await schoolDay(await inMode(services, 'practice'))
  for (let round = 0; ; round++) {
    const [due] = await db
      .select({ n: count() })
      .from(agreements)
      .where(lt(agreements.nextTry, addDays(day, 1)))
    const [open] = await db
      .select({ n: count() })
      .from(attempts)
      .where(inArray(attempts.state, [...OPEN_ATTEMPTS]))
    if ((due?.n ?? 0) === 0 && (open?.n ?? 0) === 0) return
    if (round > 2000) throw new Error(`The day ${day} does not come to an end.`)
    misbehave(round)
    if (random() < 0.012) kill()
    await new Promise((resolve) => setTimeout(resolve, 25))
    // An attempt that a killed worker left is closed once no call can still be on its way: time goes on a little.
    if (round % 8 === 7 && (open?.n ?? 0) > 0) {
      await db.update(school).set({ practiceAheadMs: sql`${school.practiceAheadMs} + 40000` })
    }
  }
}

function misbehave(round: number) {
  // Every bad spell ends, or no day would.
  const isCalm = round % 6 === 5
  Object.assign(
    standins.world,
    GOOD_WEATHER,
    isCalm
      ? {}
      : {
          answersLost: random() < 0.12,
          down: random() < 0.08,
          eventsLost: random() < 0.4,
          eventsDoubled: random() < 0.3,
          eventsReordered: random() < 0.3,
        },
  )
}

function kill() {
  const child = pick([...working])
  if (!child) return
  child.kill('SIGKILL')
  killed++
}

/** Every order against the gateway's books and against its rehearsal. */
async function compare(until: Day): Promise<string[]> {
  const found: string[] = []
  const [tooEarly] = await db
    .select({ n: count() })
    .from(orders)
    .where(gt(orders.createdAt, new Date(Date.now() + 400 * DAY_MS)))
  if ((tooEarly?.n ?? 0) > 0) found.push('an order lies outside the year')
  const booked = new Map(
    [...standins.books.payments.values()]
      .filter((payment) => payment.state === 'captured')
      .map((payment) => [payment.key, payment]),
  )
  const { retryAfterDays } = await getSchool(db)
  for (const order of await db.select().from(orders).orderBy(asc(orders.number))) {
    const tries = await db
      .select()
      .from(attempts)
      .where(eq(attempts.orderId, order.id))
      .orderBy(asc(attempts.startedAt))
    const collected = tries.filter(({ state: now }) => now === 'collected')
    for (const attempt of collected) {
      const theirs = booked.get(attempt.key)
      if (!theirs || theirs.amount !== attempt.amount)
        found.push(`order ${order.number}: ${attempt.key} is collected here, and not there`)
      booked.delete(attempt.key)
    }
    if (order.state !== 'paid') continue
    const settled = tries.filter(({ state: now }) => now === 'collected' || now === 'declined')
    const first =
      order.payToday > 0
        ? settled.slice(settled.findIndex(({ agreementId, state: now }) => agreementId === null && now === 'collected'))
        : settled
    const outcomes = first.map(({ state: now }) => (now === 'collected' ? 'ok' : 'declined'))
    const rehearsed = rehearse(
      readRehearsal({ quote: order.quoteInput, policy: { retryAfterDays }, attempts: outcomes, until }),
    )
    found.push(...(await differ(order.id, order.number, rehearsed, first)))
  }
  const { rows: sums } = await db.execute(sql`
    select coalesce(k.month, p.month) as month, coalesce(k.pay, 0)::text as kept, coalesce(p.pay, 0)::text as counted
    from (select month, sum(pay) as pay from (select month, pay from money_sums union all select month, pay from money_deltas) s group by month) k
    full join (select month, sum(pay) as pay from money_parts group by month) p using (month)
    where coalesce(k.pay, 0) <> coalesce(p.pay, 0)`)
  for (const { month, kept, counted } of sums as { month: string; kept: string; counted: string }[])
    found.push(`the sums of ${month} say ${kept}, its payments come to ${counted}`)
  for (const [key, { amount, reference }] of booked)
    found.push(`the gateway took ${amount} for “${reference}” (${key}), and we do not know it`)
  return found
}

async function differ(
  orderId: string,
  number: number,
  { lines, log }: Rehearsed,
  tries: (typeof attempts.$inferSelect)[],
): Promise<string[]> {
  const found: string[] = []
  const say = (what: string, ours: unknown, theirs: unknown) => {
    if (JSON.stringify(ours) !== JSON.stringify(theirs))
      found.push(`order ${number}: ${what} is ${JSON.stringify(ours)}, rehearsed ${JSON.stringify(theirs)}`)
  }
  const [line] = lines
  const [agreement] = await db.select().from(agreements).where(eq(agreements.orderId, orderId))
  const paid = await db
    .select()
    .from(payments)
    .where(and(eq(payments.orderId, orderId), eq(payments.state, 'collected')))
  const [grant] = await db.select().from(grants).where(eq(grants.orderId, orderId))
  const states: Record<string, string> = { overdue: 'active' }
  say('its state', agreement?.state ?? 'paid', states[line?.state ?? ''] ?? line?.state)
  say(
    'what was collected',
    paid.reduce((sum, { pay }) => sum + pay, 0),
    line?.collected,
  )
  say(
    'its tries',
    tries.filter(({ agreementId }) => agreementId !== null).map(({ day, fromN, state: now }) => [day, fromN, now]),
    log.filter(({ what }) => what === 'collected' || what === 'declined').map(({ on, n, what }) => [on, n, what]),
  )
  say('when it closes', grant?.closes ?? null, line?.closes ?? null)
  return found
}
