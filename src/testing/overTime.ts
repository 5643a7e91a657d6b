import { eq } from 'drizzle-orm'
import type { DraftTerms, OfferContent } from '../core/content/offer.ts'
import { accessDecisionOn } from '../server/access/decision.ts'
import { grantsOf } from '../server/access/service.ts'
import { agreementsDue, collectAgreements } from '../server/collecting/collect.ts'
import { agreements, orders, people } from '../server/db/schema/index.ts'
import { schoolDay } from '../server/school/service.ts'
import type { World } from './world.ts'

const DAY_MS = 86_400_000
let agreed = 0

/** An order over time of a course and a buyer of its own, placed now; its first payment is collected. */
export async function agree(
  world: World,
  terms: DraftTerms,
  { card = 'pays', ...more }: { card?: string } & Partial<Pick<OfferContent, 'access'>> = {},
) {
  const title = `Over time ${++agreed}`
  const { offerId, slug, courseId } = await world.sell(terms, title, more)
  const pay = payTodayOf(terms)
  const email = `over${agreed}@post.example`
  const { orderId } = await world.buy(slug, world.request(offerId, pay, { email }, card), email)
  const [row] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
  const [order] = await world.db.select().from(orders).where(eq(orders.id, orderId))
  const [person] = await world.db.select().from(people).where(eq(people.email, email))
  if (!row || !order || !person) throw new Error('Nothing was agreed.')
  return { id: row.id, lineId: row.lineId, orderId, order, courseId, title, slug, offerId, person, email }
}

/** What is charged when it is ordered: the first payment, or where there are any the set-up fee and the trial. */
function payTodayOf(terms: DraftTerms): number {
  if (terms.kind === 'installments') return terms.amount ?? 0
  if (terms.kind !== 'subscription') return 0
  return (terms.setupFee ?? 0) + ((terms.trial ? terms.trial.amount : terms.amount) ?? 0)
}

export type Agreed = Awaited<ReturnType<typeof agree>>

/** Lets the worker do what is due now, as often as there is something. */
export async function work(world: World): Promise<void> {
  const [error] = (await collectAgreements(world.services, await agreementsDue(world.services, 'practice'))).values()
  if (error !== undefined) throw error
}

/** Moves so many days on, and lets the worker do what is due. */
export async function advance(world: World, days: number): Promise<void> {
  world.clock.offsetMs += days * DAY_MS
  await work(world)
}

/** How a course stands today for its buyer, when signed in. */
export async function entryOf(world: World, { courseId, person }: Pick<Agreed, 'courseId' | 'person'>) {
  const held = await grantsOf(world.services, { mode: 'practice', person, browserHash: null }, courseId)
  return accessDecisionOn(await schoolDay(world.services), held)
}
