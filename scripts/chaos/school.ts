import { randomBytes } from 'node:crypto'
import { type CouponContent, newCoupon } from '../../src/core/content/coupon.ts'
import { type DraftTerms, newOffer, type OfferContent } from '../../src/core/content/offer.ts'
import { quoteBasket } from '../../src/server/checkout/quoteBasket.ts'
import { listPages, openPage, publishPage, savePageDraft } from '../../src/server/checkoutPages/bench.ts'
import { createCoupon, publishCoupon, saveCouponDraft } from '../../src/server/coupons/service.ts'
import { connect, migrateDatabase } from '../../src/server/db/client.ts'
import { connections } from '../../src/server/db/schema/index.ts'
import { connectGateway } from '../../src/server/gateways/service.ts'
import { setTransfer } from '../../src/server/gateways/transferSettings.ts'
import type { Services } from '../../src/server/platform/context.ts'
import { getSchool } from '../../src/server/school/service.ts'
import { bundleUp, listenAsProduct, offerMore, putOnSale, setUpSchool } from '../../src/testing/school.ts'
import { startStandins } from '../../src/testing/standins.ts'
import { dropDatabase } from '../databases.ts'
import { ensureDatabase, startCluster } from '../postgres.ts'
import { chaosServices } from './services.ts'

export type OfferedMethod = 'card' | 'wallet' | 'transfer' | 'bank'

/** An offer on sale, and by which payment methods its payments can be collected. */
export interface OnSale {
  id: string
  productId: string
  slug: string
  pay: number
  paymentMethods: OfferedMethod[]
}

/** Long for a gateway, so that people are answered where the machine is busy; workers wait less, and look up. */
const PATIENCE_MS = 4000

export type ChaosSchool = Awaited<ReturnType<typeof openSchool>>

/**
 * A school of its own with offers of many kinds, bundles, an order bump and coupons, and every payment method; its product
 * and stand-ins listen. @param orders how many are to be placed: some codes are used up on the way.
 */
export async function openSchool(orders: number) {
  const cluster = await startCluster({
    dir: '.data/chaos-postgres',
    port: Number(process.env.CHAOS_DATABASE_PORT ?? 7440),
    fsync: false,
  })
  const url = cluster.url(`chaos_${randomBytes(4).toString('hex')}`)
  await ensureDatabase(url)
  const { db, pool } = connect(url, 12)
  await migrateDatabase(db)
  const standins = await startStandins()
  const { services, server } = await listenAsProduct((origin) =>
    chaosServices(db, { databaseUrl: url, standinsOrigin: standins.origin, origin, patienceMs: PATIENCE_MS }),
  )
  await setUpSchool(services, 'Chaos', 'owner@chaos.example')
  const accounts = {
    thistle: standins.account,
    moor: standins.wallets.openAccount('Chaos'),
    brook: standins.transfers.openAccount('Chaos'),
  }
  for (const [adapter, { id, keys }] of Object.entries(accounts))
    await connectGateway(services, 'practice', { adapter, account: id, secret: keys.practice })
  await setTransfer(services, 'practice', {
    title: 'Bank transfer',
    description: '',
    instructions: '',
    holder: 'Chaos',
    iban: 'AT340000000012345678',
    bic: '',
    displace: false,
  })
  const rows = await db.select().from(connections)
  const idOf = (adapter: string) => rows.find((row) => row.adapter === adapter)?.id as string
  const paymentMethods: Record<OfferedMethod, string> = {
    card: idOf('thistle'),
    wallet: idOf('moor'),
    transfer: idOf('brook'),
    bank: idOf('transfer'),
  }

  const offers: OnSale[] = []
  for (const [index, content] of contents().entries()) offers.push(await sell(services, `Course ${index}`, content))
  const [first, second, third, fourth] = offers.map(({ productId }) => productId)
  const grows = [first, second] as string[]
  for (const content of bundled()) offers.push(await bundle(services, 'Bundle that grows', grows, content))
  offers.push(await bundle(services, 'Everything', null, { terms: { kind: 'single', amount: 49_900 } }))
  const after = [offers[1], offers[7]].map((offer) => (offer as OnSale).id)
  const bump = await shapePage(services, offers[0] as OnSale, third as string, after)
  const codes = await makeCoupons(services, orders)

  const close = async () => {
    standins.close()
    server.close()
    await pool.end()
    await dropDatabase(url)
    cluster.stop()
  }
  return { url, db, services, standins, paymentMethods, offers, bump, codes, joins: fourth as string, close }
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

/** What a bundle is sold by, at whatever price. */
function bundled(): Partial<OfferContent>[] {
  const every = { count: 1, unit: 'month' } as const
  const access = { from: null, lasts: 'whilePaying', graceDays: 2 } as const
  return [
    { terms: { kind: 'single', amount: 13_901 } },
    { terms: { kind: 'subscription', amount: 2900, every, payments: null, setupFee: null, trial: null }, access },
  ]
}

async function bundle(
  services: Services,
  title: string,
  courseIds: string[] | null,
  content: Partial<OfferContent>,
): Promise<OnSale> {
  const { bundleId, offerId: id, slug } = await bundleUp(services, title, courseIds, content)
  return onSale(services, { id, productId: bundleId, slug }, content)
}

/** The page of an offer: with one that is only added, and with two that follow the payment; a no leads on to the second. */
async function shapePage(
  services: Services,
  { slug }: OnSale,
  productId: string,
  [one, two]: readonly string[],
): Promise<OnSale> {
  const content: Partial<OfferContent> = { terms: { kind: 'single', amount: 1500 }, audience: { who: 'added' } }
  const id = await offerMore(services, productId, content)
  const page = (await listPages(services)).find((other) => other.slug === slug)
  const { draft, draftRev } = await openPage(services, page?.id as string)
  const here = { title: '', text: '', coverId: null }
  const bump = { id: 'bump', offerId: id, tick: '', ...here }
  const upsells = [
    { id: 'one', offerId: one ?? null, onYes: null, onNo: 'two', ...here },
    { id: 'two', offerId: two ?? null, onYes: null, onNo: null, ...here },
  ]
  const saved = await savePageDraft(services, page?.id as string, draftRev, { ...draft, bumps: [bump], upsells })
  await publishPage(services, page?.id as string, saved.draftRev, null)
  return onSale(services, { id, productId, slug }, content)
}

/** Codes of everybody, some of which are used up before the orders are over. */
async function makeCoupons(services: Services, orders: number): Promise<string[]> {
  const all: Partial<CouponContent>[] = [
    { code: 'TENTH', rate: 1000, payments: null, limitPerBuyer: null, bumps: true, upsells: true, combines: true },
    { code: 'FEW', rate: 2500, limit: Math.max(3, Math.floor(orders / 20)) },
    {
      code: 'FIVE',
      kind: 'fixed',
      rate: null,
      amount: 500,
      combines: true,
      limit: Math.max(3, Math.floor(orders / 10)),
    },
  ]
  for (const content of all) {
    const { id } = await createCoupon(services)
    const { draftRev } = await saveCouponDraft(services, id, 1, { ...newCoupon(), ...content })
    await publishCoupon(services, id, draftRev, null)
  }
  return all.map(({ code }) => code as string)
}

async function sell(services: Services, title: string, content: Partial<OfferContent>): Promise<OnSale> {
  const { courseId, offerId: id, slug } = await putOnSale(services, title, content)
  return onSale(services, { id, productId: courseId, slug }, content)
}

async function onSale(
  services: Services,
  { id, productId, slug }: Pick<OnSale, 'id' | 'productId' | 'slug'>,
  content: Partial<OfferContent>,
): Promise<OnSale> {
  const live = { ...newOffer('One payment'), ...content }
  const line = {
    role: 'main' as const,
    chosen: null,
    offer: { id, productId, live },
    courses: [{ id: productId, weight: 1 }],
  }
  const { quote } = quoteBasket(await getSchool(services.db), [line], new Date())
  const { pay } = quote.today
  // What goes on is charged to a card or a wallet, and a wallet keeps nothing where nothing is due today.
  const paymentMethods: OfferedMethod[] =
    live.terms.kind === 'single' ? ['card', 'wallet', 'transfer', 'bank'] : pay > 0 ? ['card', 'wallet'] : ['card']
  return { id, productId, slug, pay, paymentMethods }
}
