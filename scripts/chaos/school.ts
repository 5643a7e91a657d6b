import { randomBytes } from 'node:crypto'
import { type DraftTerms, newOffer, type OfferContent } from '../../src/core/content/offer.ts'
import { quoteBasket } from '../../src/server/checkout/quoteBasket.ts'
import { connect, migrateDatabase } from '../../src/server/db/client.ts'
import { connections } from '../../src/server/db/schema/index.ts'
import { connectGateway } from '../../src/server/gateways/service.ts'
import { setTransfer } from '../../src/server/gateways/transferSettings.ts'
import type { Services } from '../../src/server/platform/context.ts'
import { getSchool } from '../../src/server/school/service.ts'
import { listenAsProduct, putOnSale, setUpSchool } from '../../src/testing/school.ts'
import { startStandins } from '../../src/testing/standins.ts'
import { dropDatabase } from '../databases.ts'
import { ensureDatabase, startCluster } from '../postgres.ts'
import { chaosServices } from './services.ts'

export type OfferedMethod = 'card' | 'wallet' | 'transfer' | 'bank'

/** An offer on sale, and by which payment methods its payments can be collected. */
export interface OnSale {
  id: string
  slug: string
  pay: number
  paymentMethods: OfferedMethod[]
}

export type ChaosSchool = Awaited<ReturnType<typeof openSchool>>

/** A school of its own with offers of many kinds and every payment method, its product and stand-ins listening. */
export async function openSchool() {
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
  const { services, server } = await listenAsProduct((origin) => chaosServices(db, url, standins.origin, origin))
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

  const close = async () => {
    standins.close()
    server.close()
    await pool.end()
    await dropDatabase(url)
    cluster.stop()
  }
  return { url, db, services, standins, paymentMethods, offers, close }
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

async function sell(services: Services, title: string, content: Partial<OfferContent>): Promise<OnSale> {
  const { courseId, offerId: id, slug } = await putOnSale(services, title, content)
  const live = { ...newOffer('One payment'), ...content }
  const line = {
    role: 'main' as const,
    chosen: null,
    offer: { id, productId: courseId, live },
    courses: [{ id: courseId, weight: 1 }],
  }
  const { quote } = quoteBasket(await getSchool(services.db), [line], new Date())
  const { pay } = quote.today
  // What goes on is charged to a card or a wallet, and a wallet keeps nothing where nothing is due today.
  const paymentMethods: OfferedMethod[] =
    live.terms.kind === 'single' ? ['card', 'wallet', 'transfer', 'bank'] : pay > 0 ? ['card', 'wallet'] : ['card']
  return { id, slug, pay, paymentMethods }
}
