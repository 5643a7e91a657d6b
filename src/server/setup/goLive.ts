import { and, desc, eq, exists, isNotNull, isNull, sql } from 'drizzle-orm'
import { newOffer } from '../../core/content/offer.ts'
import { formatMoney } from '../../core/money/format.ts'
import { takesCurrency } from '../../core/paymentMethods/collects.ts'
import { beginSentence, formatList } from '../../core/sentence/words.ts'
import type { TermsKind } from '../../core/terms/terms.ts'
import { sellableProducts } from '../catalogue/sellable.ts'
import { transaction } from '../db/client.ts'
import { attempts, courses, grants, type MessageKind, offers, orderLines, orders, refunds } from '../db/schema/index.ts'
import { makeLive } from '../drafts/drafts.ts'
import { offeredMethods } from '../gateways/service.ts'
import { Problem } from '../http/problem.ts'
import { notificationOf } from '../outbox/notifications.ts'
import type { Services } from '../platform/context.ts'
import { isCommitted } from '../platform/keyedRequest.ts'
import { type Refunded, refundLine } from '../refunds/service.ts'
import { getSchool } from '../school/service.ts'
import { listGateways } from './overview.ts'

/** One line of what must hold before strangers pay real money, and where it is put right. */
export interface LiveCheck {
  code: 'connected' | 'practised' | 'messages' | 'page' | 'terms' | 'tried'
  isDone: boolean
  title: string
  detail: string
  /** A page of the studio. */
  fix: { label: string; to: string } | null
}

/** The creator's own real purchase, as far as it has come. */
export interface Trial {
  /** What it costs, in minor units; null where nothing connected in Live takes money at once. */
  amount: number | null
  /** The newest one that was paid. */
  paid: { orderId: string; number: number; amount: number; method: string | null; isGivenBack: boolean } | null
}

const KIND_NAMES: Record<TermsKind, string> = {
  free: 'free',
  single: 'one-time',
  openPrice: 'name your price',
  installments: 'installments',
  subscription: 'subscription',
}
/** Messages without which a buyer would be left in the dark. */
const NEEDED: MessageKind[] = ['receipt', 'declined', 'stopped', 'awaiting']

/** What stands between the school and its first real sale, and how far the creator's own purchase has come. */
export async function goLiveList(services: Services) {
  const { db } = services
  const [school, live, onSale, practised, trial] = await Promise.all([
    getSchool(db),
    listGateways(services, 'live'),
    sellableProducts(db),
    kindsPractised(services),
    trialOf(services),
  ])
  const offered = live.gateways.filter(({ connection }) => connection && !connection.pausedAt)
  const kinds = [...new Set(onSale.flatMap((course) => course.offers.map((offer) => offer.live.terms.kind)))]
  const missing = kinds.filter((kind) => !practised.has(kind))
  const silent = NEEDED.filter((kind) => !notificationOf(school, kind).isOn)
  const pages = onSale.filter((course) => course.offers.length > 0)
  const names = formatList(offered.map(({ capabilities }) => capabilities.name))
  const isConnected = offered.length > 0 && live.uncollected.length === 0
  const checks: LiveCheck[] = [
    {
      code: 'connected',
      isDone: isConnected,
      title: 'Payments can be collected in Live',
      detail: isConnected
        ? `${names}, each checked with its key.`
        : offered.length === 0
          ? 'Nothing is connected in Live. Switch to Live at the top and connect a gateway there.'
          : `${names} cannot collect ${formatList(live.uncollected.map(({ name }) => name))}.`,
      fix: { label: 'Gateways', to: '/studio/setup/gateways' },
    },
    {
      code: 'practised',
      isDone: missing.length === 0 && kinds.length > 0,
      title: 'Every kind of offer was bought once in Practice',
      detail:
        kinds.length === 0
          ? 'Nothing is on sale yet.'
          : missing.length === 0
            ? `${beginSentence(formatList(kinds.map((kind) => KIND_NAMES[kind])))}.`
            : `Not yet: ${formatList(missing.map((kind) => KIND_NAMES[kind]))}. Buy one of your own courses with a sample card.`,
      fix: missing.length > 0 ? { label: 'Open the shop', to: '/' } : null,
    },
    {
      code: 'messages',
      isDone: silent.length === 0,
      title: 'Buyers get the messages they need',
      detail:
        silent.length === 0
          ? 'Receipts, and what to do when a payment fails.'
          : 'Some messages that they need are switched off.',
      fix: { label: 'Messages', to: '/studio/setup/messages' },
    },
    {
      code: 'page',
      isDone: pages.length > 0,
      title: 'A course is published and on sale',
      detail: pages.length > 0 ? `${pages.length} of them.` : 'Publish a course with an offer.',
      fix: pages.length > 0 ? null : { label: 'Sell', to: '/studio/sell' },
    },
    {
      code: 'terms',
      isDone: school.terms.trim() !== '',
      title: 'Your terms of sale are written',
      detail:
        school.terms.trim() !== ''
          ? 'Buyers find them on every page.'
          : 'Who sells, the right of withdrawal, late payments.',
      fix: { label: 'School', to: '/studio/setup/school#terms' },
    },
    {
      code: 'tried',
      isDone: trial.paid?.isGivenBack === true,
      title: 'Make one real purchase yourself',
      detail: formatTrial(trial, (amount) => formatMoney(amount, school)),
      fix: null,
    },
  ]
  return { shopMode: school.shopMode, checks, trial }
}

function formatTrial({ amount, paid }: Trial, money: (amount: number) => string): string {
  if (paid?.isGivenBack) return `${money(paid.amount)} by ${paid.method ?? 'your method'}, refunded.`
  if (paid)
    return `${money(paid.amount)} paid by ${paid.method ?? 'your method'}. Refund it when you have looked at it.`
  if (amount === null) return 'Connect a gateway in Live that takes money at once; try bank transfers yourself.'
  return `Pay the smallest possible amount, ${money(amount)}, with your own card. Only you see this offer.`
}

/** The kinds of price by which someone has a course in Practice. */
async function kindsPractised({ db }: Services): Promise<Set<TermsKind>> {
  const bought = db
    .select({ id: grants.id })
    .from(grants)
    .where(and(eq(grants.offerId, offers.id), eq(grants.mode, 'practice'), isNull(grants.endedAt)))
  const rows = await db
    .selectDistinct({ kind: sql<TermsKind>`${offers.live} -> 'terms' ->> 'kind'` })
    .from(offers)
    .where(and(isNotNull(offers.live), exists(bought)))
  return new Set(rows.map(({ kind }) => kind))
}

/** What the creator's own purchase costs: the least that the first payment method takes which takes money at once. */
async function trialAmount(services: Services): Promise<number | null> {
  const { currency } = await getSchool(services.db)
  const paymentMethods = await offeredMethods(services, 'live')
  const paymentMethod = paymentMethods.find(
    ({ capabilities: can }) => can.style !== 'offline' && takesCurrency(can, currency),
  )
  return paymentMethod ? (paymentMethod.capabilities.smallest[currency] ?? 1) : null
}

async function trialOf(services: Services): Promise<Trial> {
  const { db } = services
  const [row] = await db
    .select({
      orderId: orders.id,
      number: orders.number,
      amount: attempts.amount,
      method: attempts.method,
      isGivenBack: sql<boolean>`exists (select from ${refunds} r where r.order_id = ${orders.id} and r.state = 'refunded')`,
    })
    .from(orders)
    .innerJoin(orderLines, eq(orderLines.orderId, orders.id))
    .innerJoin(offers, and(eq(offers.id, orderLines.offerId), offers.isTestPurchase))
    .innerJoin(attempts, and(eq(attempts.orderId, orders.id), eq(attempts.state, 'collected')))
    .where(and(eq(orders.mode, 'live'), eq(orders.state, 'paid')))
    .orderBy(desc(orders.number))
    .limit(1)
  return { amount: await trialAmount(services), paid: row ?? null }
}

/**
 * Puts the creator's own real purchase on sale, for nobody but them, at the least that is taken.
 * @returns the path of its checkout.
 * @throws Problem 409 where no course is on sale, or nothing in Live takes money at once.
 */
export async function openTrial(services: Services): Promise<{ path: string }> {
  const { db, now } = services
  const amount = await trialAmount(services)
  if (amount === null) throw new Problem(409, 'no-gateway', 'No gateway connected in Live takes money at once.')
  const [course] = (await sellableProducts(db, { kind: 'course' })).filter(({ offers: listed }) => listed.length > 0)
  if (!course) throw new Problem(409, 'no-course', 'Publish a course with an offer first.')
  const live = { ...newOffer('A real purchase, to try it'), terms: { kind: 'single' as const, amount } }
  return transaction(db, async (tx) => {
    // One course at a time holds it, and the lock makes two clicks one.
    await tx.select({ id: courses.id }).from(courses).where(eq(courses.id, course.id)).for('update')
    const [known] = await tx
      .select()
      .from(offers)
      .where(and(eq(offers.productId, course.id), offers.isTestPurchase))
    const fresh = {
      productId: course.id,
      position: 10_000,
      isTestPurchase: true,
      draft: live,
      draftAt: now(),
      createdAt: now(),
    }
    const row = known ?? (await tx.insert(offers).values(fresh).returning())[0]
    if (!row) throw new Error('The offer was not stored.')
    await makeLive(tx, 'offer', row, { live, at: now(), by: null, also: { draft: live, onSale: true } })
    return { path: `/buy/${course.slug}?offer=${row.id}` }
  })
}

/** Gives the creator's own purchase back, closes what it opened, and takes it off sale. */
export async function giveTrialBack(services: Services): Promise<Refunded> {
  const { db } = services
  const { paid } = await trialOf(services)
  if (!paid || (paid.isGivenBack && !isCommitted(services)))
    throw new Problem(409, 'no-trial', 'There is no purchase to refund.')
  const [line] = await db.select({ id: orderLines.id }).from(orderLines).where(eq(orderLines.orderId, paid.orderId))
  const given = await refundLine(services, 'live', paid.orderId, {
    lineId: line?.id as string,
    amount: paid.amount,
    access: 'close',
    note: 'My own purchase, to try it',
  })
  await db.update(offers).set({ onSale: false }).where(eq(offers.isTestPurchase, true))
  return given
}
