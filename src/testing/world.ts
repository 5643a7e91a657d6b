import { randomBytes } from 'node:crypto'
import { asc, eq } from 'drizzle-orm'
import { copyDatabase, dropDatabase } from '../../scripts/databases.ts'
import { type DraftTerms, newOffer, type OfferContent } from '../core/content/offer.ts'
import { allGateways } from '../gateways/registry.ts'
import { linesOf } from '../server/checkout/asked.ts'
import { placeBasket, placeOrder } from '../server/checkout/place.ts'
import type { PlaceRequest, Shopper } from '../server/checkout/placing.ts'
import { connect, SERVICE_LIMITS } from '../server/db/client.ts'
import type { Mode } from '../server/db/schema/columns.ts'
import { attempts, connections, creators, grants, journal, orderLines, orders } from '../server/db/schema/index.ts'
import { connectGateway } from '../server/gateways/service.ts'
import { setTransfer } from '../server/gateways/transferSettings.ts'
import { publishOffer, saveOfferDraft } from '../server/offers/service.ts'
import type { Services } from '../server/platform/context.ts'
import { type JobData, type JobName, type Jobs, NO_JOBS } from '../server/platform/jobs.ts'
import { Limits } from '../server/platform/limits.ts'
import { hashToken, Secrets } from '../server/platform/secrets.ts'
import { openSession } from '../server/session/sessions.ts'
import { TEMPLATE, testUrl } from './globalSetup.ts'
import { bundleUp, listenAsProduct, offerMore, putOnSale, setUpSchool } from './school.ts'
import { startStandins } from './standins.ts'

/** Tests ask for everything more often than people; those of the limits themselves take the real ones. */
const UNLIMITED = 10_000

/** A gateway that is only slow, as on a busy machine, is waited for; one that is to be silent breaks the connection off. */
const GATEWAY_MS = 60_000

/** A one-time price, null for free, or any other terms. */
type Price = number | DraftTerms | null

/** Somebody who is not signed in, with a browser of their own. */
export function shopper(browser: string, mode: Mode = 'practice'): Shopper {
  return { mode, browserHash: hashToken(browser), person: null }
}

/** A whole school for one test file: its own database, stand-ins and listening product; time is moved by hand. */
export async function openWorld() {
  const url = testUrl(`acorn_${randomBytes(6).toString('hex')}`)
  await copyDatabase(url, TEMPLATE)
  const { db, pool } = connect(url, 12, SERVICE_LIMITS)
  const standins = await startStandins()
  const clock = { offsetMs: 0 }
  const queue: { name: JobName; data: JobData[JobName] }[] = []
  const jobs: Jobs = {
    send: async (_tx, name, data) => void queue.push({ name, data }),
    rows: (name, all) => {
      queue.push(...all.map((data) => ({ name, data })))
      return NO_JOBS
    },
  }
  const { services, origin, server } = await listenAsProduct(
    (at): Services => ({
      config: {
        port: 0,
        origin: at,
        standinsOrigin: standins.origin,
        mailPort: 0,
        databaseUrl: url,
        databaseConnections: 12,
        host: '127.0.0.1',
        trustedProxies: [],
        limits: {},
        retentionDays: 90,
        clockTolerance: Number.POSITIVE_INFINITY,
        dataDir: '',
        distDir: '',
      },
      db,
      jobs,
      now: () => new Date(Date.now() + clock.offsetMs),
      gateways: allGateways(standins.origin, at, GATEWAY_MS),
      secrets: new Secrets(randomBytes(32)),
      limits: new Limits(db, UNLIMITED),
    }),
  )
  await setUpSchool(services, 'Test school', 'owner@school.example')
  await connectGateway(services, 'practice', {
    adapter: 'thistle',
    account: standins.account.id,
    secret: standins.account.keys.practice,
  })
  const [connection] = await db.select().from(connections)
  const [creator] = await db.select().from(creators)
  const close = async () => {
    standins.close()
    // Events that are still being taken finish before the database goes.
    await new Promise((done) => server.close(done))
    await pool.end()
    await dropDatabase(url)
  }
  const world = {
    services,
    db,
    origin,
    standins,
    clock,
    queue,
    close,
    connectionId: connection?.id as string,
    creatorToken: await openSession(services, { creatorId: creator?.id as string }),
    sell: (price: Price, title = 'Coptic binding', more: Partial<OfferContent> = {}) =>
      putOnSale(services, title, { ...more, terms: termsOf(price) }),
    /** Sells several courses as one; `null`: all courses. */
    bundle: (courseIds: readonly string[] | null, price: Price, title: string, more: Partial<OfferContent> = {}) =>
      bundleUp(services, title, courseIds, { ...more, terms: termsOf(price) }),
    offer: (courseId: string, price: Price, more: Partial<OfferContent> = {}) =>
      offerMore(services, courseId, { ...more, terms: termsOf(price) }),
    reprice: (offerId: string, price: number) => reprice(services, offerId, price),
    buy: (slug: string, request: PlaceRequest, browser = 'browser', mode: Mode = 'practice') =>
      placeOrder(services, slug, request, shopper(browser, mode)),
    /** Orders several things at once, each by one of its offers. */
    buyTogether: async (request: PlaceRequest, browser = 'browser', mode: Mode = 'practice') => {
      const who = shopper(browser, mode)
      return placeBasket(services, await linesOf(services, request, who), request, who)
    },
    /** Connects the other payment methods beside the card, in practice. */
    connectOthers: () => connectOthers(services, standins),
    /** Presses a button of a page to which a buyer was sent. */
    press: (url: string, answer: string) =>
      fetch(url, { method: 'POST', body: new URLSearchParams({ answer }), redirect: 'manual' }),
    request: (
      offerId: string,
      pay: number,
      { chosen = null, ...more }: Partial<PlaceRequest> & { chosen?: number | null } = {},
      behaviour = 'pays',
    ): PlaceRequest => ({
      lines: [{ offerId, chosen }],
      name: 'Ada',
      email: 'ada@post.example',
      agreed: { pay, currency: 'EUR' },
      payment: pay > 0 ? { connectionId: connection?.id as string, token: standins.tokenOf(behaviour) } : null,
      ...more,
    }),
    attemptsOf: (orderId: string) =>
      db.select().from(attempts).where(eq(attempts.orderId, orderId)).orderBy(asc(attempts.startedAt)),
    grantsOf: (orderId: string) => db.select().from(grants).where(eq(grants.orderId, orderId)),
    orderOf: async (orderId: string) => (await db.select().from(orders).where(eq(orders.id, orderId)))[0],
    /** By line: the order that had opened it before the money of this one came, or null. */
    duplicatesOf: async (orderId: string) =>
      (await db.select().from(orderLines).where(eq(orderLines.orderId, orderId)).orderBy(asc(orderLines.position))).map(
        ({ duplicateOf }) => duplicateOf,
      ),
    journalOf: async (orderId: string) =>
      (await db.select().from(journal).where(eq(journal.orderId, orderId)).orderBy(asc(journal.id))).map(
        ({ what }) => what,
      ),
    /** Calls the API as a browser would. */
    call: (method: string, path: string, body?: unknown, headers: Record<string, string> = {}) =>
      fetch(origin + path, {
        method,
        headers: {
          origin,
          // Each call is an act of its own, where nothing else is said.
          'idempotency-key': crypto.randomUUID(),
          ...(body === undefined ? {} : { 'content-type': 'application/json' }),
          ...headers,
        },
        body: body === undefined ? null : JSON.stringify(body),
        redirect: 'manual',
      }),
  }
  return world
}

export type World = Awaited<ReturnType<typeof openWorld>>

/** The ids of the connections that were made, by their gateways. */
async function connectOthers(services: Services, standins: Awaited<ReturnType<typeof startStandins>>) {
  const wallet = standins.wallets.openAccount('Test school')
  const transfers = standins.transfers.openAccount('Test school')
  for (const [adapter, { id, keys }] of [
    ['moor', wallet],
    ['brook', transfers],
  ] as const) {
    await connectGateway(services, 'practice', { adapter, account: id, secret: keys.practice })
  }
  await setTransfer(services, 'practice', {
    title: 'Bank transfer',
    description: '',
    instructions: 'Write the reference.',
    holder: 'Test school',
    iban: 'AT340000000012345678',
    bic: '',
    displace: false,
  })
  const rows = await services.db.select().from(connections)
  const idOf = (adapter: string) => rows.find((row) => row.adapter === adapter)?.id as string
  return { moor: idOf('moor'), brook: idOf('brook'), transfer: idOf('transfer') }
}

function termsOf(price: Price): DraftTerms {
  if (price === null) return { kind: 'free' }
  return typeof price === 'number' ? { kind: 'single', amount: price } : price
}

async function reprice(services: Services, offerId: string, price: number) {
  const offer = await services.db.query.offers.findFirst({ where: (row, { eq: is }) => is(row.id, offerId) })
  const { draftRev } = await saveOfferDraft(services, offerId, offer?.draftRev ?? 0, {
    ...newOffer('One payment'),
    terms: { kind: 'single', amount: price },
  })
  await publishOffer(services, offerId, draftRev, null)
}

/** Waits until something holds; fails only long after that, as machines may be slow. */
export async function eventually(holds: () => Promise<boolean>): Promise<void> {
  for (let wait = 0; wait < 2400; wait++) {
    if (await holds()) return
    await new Promise((resolve) => setTimeout(resolve, 25))
  }
  throw new Error('It did not come to hold within a minute.')
}
