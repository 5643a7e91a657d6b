import { toCollect, whyNot } from '../../core/paymentMethods/collects.ts'
import { codeKey } from '../../core/quote/codes.ts'
import { hasLater } from '../../core/quote/later.ts'
import { CODES } from '../../core/words/en/codes.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import type { LivePage } from '../catalogue/pages.ts'
import { BASKET_SLUG } from '../catalogue/slug.ts'
import { callGateway } from '../charging/call.ts'
import {
  gatewayDown,
  isUp,
  type OpenPaymentMethod,
  openPaymentMethod,
  saveMethod,
  sourceOf,
} from '../charging/paymentMethods.ts'
import { enterCodes, giveEnteredBack } from '../coupons/entered.ts'
import { formatWhyNot } from '../coupons/sayings.ts'
import type { Attempt } from '../fulfilment/notes.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { connectionBy } from '../gateways/service.ts'
import { Problem } from '../http/problem.ts'
import { inTransaction, type Services } from '../platform/context.ts'
import type { Counted } from '../platform/limits.ts'
import { requireCompared } from '../platform/restored.ts'
import { getSchool, type School } from '../school/service.ts'
import { awaitTransfer } from '../transfers/transfers.ts'
import { basketOn } from './asked.ts'
import { requireHolder } from './audience.ts'
import { type Coded, countingFor, quoteFollowing, quoteWithCodes } from './codedQuote.ts'
import type { Following, Placed, PlaceRequest, Placing, PlacingLine, Shopper } from './placing.ts'
import { prepare } from './prepare.ts'
import type { Quoted } from './quoteBasket.ts'
import { orderStatus, resolveOpenAttempt } from './status.ts'

/**
 * Places an order from a checkout page, and collects what is due today.
 * @param slug the page's address. What it sells is the first thing in the basket; at the page of the basket all may be anything.
 * @param fromBasketId the buyer's own basket, of which it is out once it is paid.
 */
export async function placeOrder(
  services: Services,
  slug: string,
  request: PlaceRequest,
  shopper: Shopper,
  fromBasketId: string | null = null,
): Promise<Placed> {
  const before = placedBefore(services)
  if (before) return orderStatus(services, before)
  const [{ lines, page }, ready] = await Promise.all([
    basketOn(services, slug, request, shopper),
    readyFor(services, request, shopper),
  ])
  return place(services, lines, request, shopper, ready, { page, fromBasketId })
}

/**
 * Places an order for all that a basket holds and collects what is due today. Order, quote and payment are stored with
 * an idempotency key before the gateway is called; whatever happens then, the key tells what became of it. The prices
 * come from our own published offers, never from the browser.
 */
export async function placeBasket(
  services: Services,
  lines: PlacingLine[],
  request: PlaceRequest,
  shopper: Shopper,
  from: PlacedFrom = {},
): Promise<Placed> {
  const before = placedBefore(services)
  if (before) return orderStatus(services, before)
  return place(services, lines, request, shopper, await readyFor(services, request, shopper), from)
}

/** The order that the request which is being answered has placed before, where it could not be answered then. */
function placedBefore({ request }: Services): string | null {
  return (request?.result?.value as { orderId: string } | undefined)?.orderId ?? null
}

/** Where an order is placed: on a page, from a basket, or after another order. */
interface PlacedFrom {
  page?: LivePage | null
  fromBasketId?: string | null
  follows?: Following | null
}

/** What is known before an order's basket is: the school, the codes that exist, and what pays. @throws Problem while nothing is sold. */
async function readyFor(services: Services, request: Pick<PlaceRequest, 'codes' | 'payment'>, shopper: Shopper) {
  const { payment } = request
  const [school, { found }, [connection]] = await Promise.all([
    getSchool(services.db),
    enterCodes(services, request.codes ?? [], shopper),
    payment ? connectionBy(services.db, { id: payment.connectionId }) : [],
    requireCompared(services.db),
  ])
  return { school, found, connection }
}

async function place(
  services: Services,
  lines: PlacingLine[],
  request: PlaceRequest,
  shopper: Shopper,
  { school, found, connection }: Awaited<ReturnType<typeof readyFor>>,
  { page = null, fromBasketId = null, follows = null }: PlacedFrom,
): Promise<Placed> {
  const coded = { lines, codes: request.codes ?? [], found }
  const quoted = follows
    ? quoteFollowing(school, lines, follows.terms, services.now())
    : await quoteWithCodes(services.db, school, coded, countingFor(shopper), services.now())
  const { pay } = quoted.quote.today
  for (const { offer, product } of lines) {
    const { audience } = offer.live
    if (audience.who !== 'holders') continue
    requireNotInOneBasket(product.title, audience.of, lines)
    await requireHolder(services, audience.of, request.email, shopper)
  }
  if (request.agreed.pay !== pay || request.agreed.currency !== school.currency) {
    const ranOut = follows ? null : await codeThatRanOut(services, school, coded, quoted, request.agreed.pay)
    throw ranOut ?? new Problem(409, 'price-changed', REFUSED.priceChanged)
  }
  const isPaidLater = hasLater(quoted.quote)
  // What was saved is charged where nothing else was given.
  const charged = request.payment === null ? (follows?.method ?? null) : null
  const payment = charged ? { connectionId: charged.connectionId, token: '' } : request.payment
  const paymentMethod =
    pay > 0 || isPaidLater ? await openPaymentMethod(services, payment, shopper.mode, connection) : null
  if (paymentMethod && whyNot(paymentMethod.capabilities, toCollect(quoted.quote, school.currency))) {
    throw new Problem(409, 'method-not-offered', REFUSED.methodCannot)
  }
  const counted = countedBy(request.email, shopper, pay > 0 || isPaidLater ? 'order' : 'free')
  await services.limits.count(counted, REFUSED.tooManyOrders)
  const savedMethod =
    paymentMethod && pay === 0 ? (charged ?? (await saveMethod(paymentMethod, payment?.token ?? ''))) : null
  const hasUpsells = follows !== null || (page?.live.upsells.length ?? 0) > 0
  const savesForUpsells = hasUpsells && !charged && (paymentMethod?.capabilities.chargesAgain ?? false)
  const placing: Placing = {
    ...{
      school,
      page,
      lines,
      request,
      keyed: services.request,
      payment,
      shopper,
      quoted,
      found,
      hasLater: isPaidLater,
    },
    ...{ savedMethod, charged, savesForUpsells, fromBasketId, follows },
  }
  const countingCodes = quoted.quote.codes.filter(({ counts }) => counts).length
  // What is paid was no try of a card. What costs nothing still sends a message to whatever address was typed.
  let isGivenBack = false
  const giveBack = () => {
    isGivenBack = true
    return services.limits.giveBack(counted)
  }
  const placed = await placeOnce(services, paymentMethod, placing, giveBack)
  if (placed.state === 'paid' && paymentMethod && !isGivenBack) await giveBack()
  await giveEnteredBack(services, countingCodes, shopper)
  return placed
}

/**
 * The code that was used up between the page and the button, where the button's price was right with it; null where
 * another thing changed the price.
 */
async function codeThatRanOut(
  { db, now }: Services,
  school: School,
  coded: Coded,
  { quote }: Quoted,
  agreed: number,
): Promise<Problem | null> {
  const over = quote.codes.find((code) => !code.counts && (code.why === 'used-up' || code.why === 'used-by-buyer'))
  if (!over || over.counts) return null
  const before = await quoteWithCodes(db, school, coded, null, now())
  if (before.quote.today.pay !== agreed) return null
  const of = coded.found.find(({ code }) => codeKey(code) === codeKey(over.code))
  const why = await formatWhyNot(db, school, over.why, of, { quote, lines: coded.lines })
  return new Problem(409, 'code-changed', say(CODES.changed, { code: over.code, why }))
}

/** A members' offer needs the membership before; it cannot be bought in one go with it (selling rules, section 2). */
function requireNotInOneBasket(title: string, needed: readonly string[], lines: readonly PlacingLine[]) {
  const brings = lines.find(({ courses }) => courses.some(({ id }) => needed.includes(id)))
  if (!brings) return
  throw new Problem(409, 'needs-it-before', say(REFUSED.needsItBefore, { title, membership: brings.product.title }))
}

/** By whom an order is counted, while it is not paid. Who is signed in is counted by browser and address alone. */
function countedBy(email: string, { mode, address, browserHash, person }: Shopper, what: 'order' | 'free'): Counted {
  const places = { [`${what}:ip`]: address?.ip ?? null, [`${what}:range`]: address?.range ?? null }
  const who = person?.email === email ? null : `${mode} ${email}`
  return { ...places, ...(what === 'order' ? { 'order:browser': browserHash } : {}), [`${what}:email`]: who }
}

/** @param whenCollected is done beside the settling of what was collected at once. */
async function placeOnce(
  services: Services,
  paymentMethod: OpenPaymentMethod | null,
  placing: Placing,
  whenCollected: () => Promise<void>,
): Promise<Placed> {
  // An attempt left open by this order is settled first; then there is nothing in the way.
  for (let round = 0; round < 3; round++) {
    const prepared = await inTransaction(services, (services) => prepare(services, placing))
    if (prepared.kind === 'paid') return { state: 'paid', orderId: prepared.orderId }
    if (prepared.kind === 'owned') {
      throw new Problem(
        409,
        'already-yours',
        placing.lines.length === 1 ? REFUSED.owned : say(REFUSED.ownedOne, { course: prepared.title }),
      )
    }
    if (prepared.kind === 'same') {
      throw new Problem(409, 'already-yours', prepared.mayComeBack ? REFUSED.mayComeBack : REFUSED.payingAlready)
    }
    if (prepared.kind === 'untold') {
      throw new Problem(409, 'held', REFUSED.heldAlready)
    }
    if (prepared.kind === 'refused') throw refusedForAddress()
    if (prepared.kind === 'code') throw new Problem(409, 'code-changed', prepared.says)
    if (prepared.kind === 'ready' && paymentMethod) {
      return charge(services, paymentMethod, prepared.attempt, placing, whenCollected)
    }
    if (prepared.kind !== 'busy') break
    const stillBusy = await resolveOpenAttempt(services, prepared.attempt)
    if (stillBusy) return { state: 'checking', orderId: prepared.order.id }
  }
  throw new Problem(503, 'busy', REFUSED.busy)
}

/** The one sentence for whatever an address that was only typed may not order; it tells nobody why. */
function refusedForAddress(): Problem {
  return new Problem(409, 'not-with-this-email', REFUSED.address)
}

/** Calls the gateway and settles by its answer; no answer is kept as unknown, for the look-up. */
async function charge(
  services: Services,
  paymentMethod: OpenPaymentMethod,
  attempt: Attempt,
  placing: Placing,
  whenCollected: () => Promise<void>,
): Promise<Placed> {
  const { school, page, lines, payment, hasLater, charged, savesForUpsells, follows } = placing
  const { gateway } = paymentMethod
  if (!gateway) {
    await awaitTransfer(services, attempt)
    return orderStatus(services, attempt.orderId)
  }
  if (!(await isUp(paymentMethod))) {
    // Its key was never sent.
    await settleAttempt(services, attempt.id, { state: 'abandoned' }, 'answer')
    throw gatewayDown(paymentMethod)
  }
  const [first] = lines
  const back = follows
    ? `/next/${follows.order.id}`
    : page?.productId === null
      ? `/buy/${BASKET_SLUG}?back=${attempt.orderId}`
      : `/buy/${page?.slug ?? first?.product.slug}?offer=${first?.offer.id}&back=${attempt.orderId}`
  const outcome = await callGateway(services, {
    open: () => gateway,
    attempt,
    source: charged?.reference
      ? { savedMethod: charged.reference }
      : sourceOf(paymentMethod, payment?.token ?? '', hasLater || savesForUpsells, services.config.origin + back),
    schoolName: school.name,
    titles: lines.map(({ product }) => product.title),
    ...(lines.length === 1 && first ? { statement: first.offer.live.statement } : {}),
  })
  if (!outcome) return orderStatus(services, attempt.orderId)
  const settling = settleAttempt(services, attempt.id, outcome, 'answer')
  if (outcome.state === 'collected') {
    // It is paid, whoever settled it first; everything else is read from what is stored.
    await Promise.all([settling, whenCollected()])
    return { state: 'paid', orderId: attempt.orderId }
  }
  await settling
  return orderStatus(services, attempt.orderId)
}
