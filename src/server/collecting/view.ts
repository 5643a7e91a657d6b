import { and, eq, inArray, isNull } from 'drizzle-orm'
import { closesAsItStands } from '../../core/collecting/access.ts'
import { afterCancelled, afterTakenBack, nextPayment, nextTryOf, payableOn } from '../../core/collecting/agreement.ts'
import type { CoverColor } from '../../core/content/course.ts'
import { whyNot } from '../../core/paymentMethods/collects.ts'
import { renewsOn } from '../access/decision.ts'
import { hasRefund, type LoadedAgreement, readAgreement } from '../agreements/agreements.ts'
import { PAYMENTS_IN_ORDER } from '../agreements/inOrder.ts'
import type { Queryable } from '../db/client.ts'
import { attempts, catalogue, connections, grants, OPEN_ATTEMPTS, offers, payments } from '../db/schema/index.ts'
import { type PaymentMethod, shownPaymentMethods } from '../gateways/shownMethods.ts'
import { isId } from '../http/isId.ts'
import { Problem } from '../http/problem.ts'
import { type PlanPayment, type PlanShown, shownPayments } from '../orders/plans.ts'
import type { Services } from '../platform/context.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import { manualPaymentOn, restOn } from './manualPayment.ts'
import { readPayLink } from './payLinks.ts'

/** One agreement, where its buyer pays, gives another method or cancels. */
export interface PlanView {
  name: 'plan'
  /** Its id, or the link's token: what the page's requests name it by. */
  key: string
  byLink: boolean
  course: { title: string; slug: string; coverColor: CoverColor }
  offer: string
  currency: string
  state: PlanShown['state']
  method: string | null
  endless: boolean
  payments: PlanPayment[]
  /** What can be paid by hand, payments `from` to `to`; `since` null: the next payment, early. */
  toPay: { amount: number; since: string | null; from: number; to: number } | null
  /** All that is left of a plan, to be paid at once; null where that is no more than `toPay`. */
  rest: { amount: number; from: number; to: number } | null
  next: PlanShown['next']
  /** The first day on which the course is shut as things stand. */
  closedFrom: string | null
  /** Of a subscription that goes on: the day until which it is paid, and on which it renews. */
  renews: string | null
  isClosed: boolean
  mayCancel: boolean
  /** Its cancelling can be taken back, without a charge. */
  mayComeBack: boolean
  openUntilIfCancelled: string | null
  paymentMethods: PaymentMethod[]
  /** What is kept can be charged by hand too. */
  mayPayBySavedMethod: boolean
  /** A payment by hand is under way. */
  pending: boolean
}

/** An agreement that was asked for, and by what right. */
export interface PlanAccess {
  agreementId: string
  /** By a link in a message, which pays and gives another method, and does nothing else. */
  byLink: boolean
}

/** The agreement of a signed-in buyer by its id, or the one that a link is for; null where there is no right to it. */
export async function askFor(services: Services, key: string, { person, mode }: Visitor): Promise<PlanAccess | null> {
  if (!isId(key)) {
    const agreementId = await readPayLink(services, key)
    if (!agreementId) return null
    return { agreementId, byLink: true }
  }
  if (!person) return null
  const found = await readAgreement(services.db, key).catch((error: unknown) => {
    if (error instanceof Problem && error.status === 404) return null
    throw error
  })
  return found && found.row.personId === person.id && found.row.mode === mode
    ? { agreementId: key, byLink: false }
    : null
}

/** Ways of the checkout that can collect what an agreement still brings. */
async function paymentMethodsForLater(
  services: Services,
  { row, order, agreement }: LoadedAgreement,
  today: number,
): Promise<PaymentMethod[]> {
  const paymentMethods = await shownPaymentMethods(services, row.mode, order.currency)
  const later = agreement.payments.slice(agreement.collected + 1).map(({ pay }) => pay)
  // Another method may be given without a payment, where the payment method can save one so.
  return paymentMethods.filter(({ can }) => {
    const need = { currency: order.currency, today: Math.max(today, 1), later, hasLaterPayments: true }
    const why = whyNot(can, need)
    return why === null || (why === 'too-small' && today === 0)
  })
}

/** An agreement as its buyer sees it: what was paid, what is due, what comes, and what can be done. */
export async function planView(
  services: Services,
  { agreementId, byLink }: PlanAccess,
  key: string,
  cameBack = false,
): Promise<PlanView> {
  const { db } = services
  const held = await readAgreement(db, agreementId)
  const { agreement, row, line, order, phase } = held
  const [day, { retryAfterDays }] = await Promise.all([schoolDay(services), getSchool(db)])
  const [found] = await db
    .select({ grant: grants, slug: catalogue.slug, coverColor: catalogue.draft })
    .from(offers)
    .innerJoin(catalogue, eq(catalogue.id, offers.productId))
    .leftJoin(grants, and(eq(grants.lineId, line.id), isNull(grants.endedAt)))
    .where(eq(offers.id, line.offerId))
  const all = await db
    .select()
    .from(payments)
    .where(eq(payments.lineId, line.id))
    .orderBy(...PAYMENTS_IN_ORDER)
  const asked = manualPaymentOn(agreement, day)
  const amount = asked?.agreed ?? 0
  const rest = restOn(agreement, day)
  const since = payableOn(agreement, day)[0]?.due ?? null
  const next = nextPayment(agreement)
  const on = nextTryOf(agreement, retryAfterDays)
  const ends = [found?.grant?.closes, found?.grant?.suspendedFrom].filter((end) => end != null).sort()
  return {
    name: 'plan',
    key,
    byLink,
    course: { title: line.title, slug: found?.slug ?? '', coverColor: found?.coverColor.coverColor ?? 'spruce' },
    offer: line.offerName,
    currency: order.currency,
    state: agreement.state,
    method: row.method,
    endless: row.endless,
    // Set-up and trial too: what was paid is the same sum here as under My courses.
    payments: shownPayments(all, row, phase.terms),
    toPay: asked && { amount, since, from: asked.from, to: asked.to },
    rest: rest && { amount: rest.agreed, from: rest.from, to: rest.to },
    next: next && on ? { pay: next.pay, on, isAgain: agreement.tries > 0 } : null,
    closedFrom: ends[0] ?? null,
    renews: found?.grant ? renewsOn({ ...found.grant, agreement: row }) : null,
    isClosed: ends[0] !== undefined && ends[0] <= day,
    mayCancel: !byLink && agreement.kind === 'subscription' && agreement.state === 'active',
    mayComeBack: !byLink && afterTakenBack(agreement, day) !== null && !(await hasRefund(db, line.id)),
    openUntilIfCancelled: found?.grant
      ? closesAsItStands(phase, afterCancelled(agreement, day, 'period-end') ?? agreement, 0)
      : null,
    paymentMethods: await paymentMethodsForLater(services, held, amount),
    mayPayBySavedMethod: amount > 0 && row.savedMethod !== null && (await isConnected(db, row.connectionId)),
    // Whoever comes back from a gateway's page is told how it stands, also where its event was faster than they.
    pending: cameBack || (await isUnderWay(db, agreementId)),
  }
}

async function isConnected(db: Queryable, connectionId: string): Promise<boolean> {
  const connected = and(eq(connections.id, connectionId), isNull(connections.disconnectedAt))
  return (await db.$count(connections, connected)) > 0
}

/** Whether a payment by hand is under way: approved elsewhere, or without an answer. */
async function isUnderWay(db: Queryable, agreementId: string): Promise<boolean> {
  const open = and(
    eq(attempts.agreementId, agreementId),
    eq(attempts.madeBy, 'buyer'),
    inArray(attempts.state, [...OPEN_ATTEMPTS]),
  )
  return (await db.$count(attempts, open)) > 0
}
