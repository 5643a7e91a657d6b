import { toCollect, whyNot } from '../../core/paymentMethods/collects.ts'
import { hasLater } from '../../core/quote/later.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import type { LivePage } from '../catalogue/pages.ts'
import { openPaymentMethod, saveMethod } from '../charging/paymentMethods.ts'
import { enterCodes, giveEnteredBack } from '../coupons/entered.ts'
import { connectionBy } from '../gateways/service.ts'
import { Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import type { Counted } from '../platform/limits.ts'
import { requireCompared } from '../platform/restored.ts'
import { getSchool } from '../school/service.ts'
import { requireAgreed } from './agreed.ts'
import { basketOn } from './asked.ts'
import { storeAndCharge } from './chargeOrder.ts'
import { countingFor, quoteFollowing, quoteWithCodes } from './codedQuote.ts'
import type { Following, Placed, PlaceRequest, Placing, PlacingLine, Shopper } from './placing.ts'
import { orderStatus } from './status.ts'

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

/** What is known before an order's basket is: the school, the codes that exist, and the payment connection. @throws Problem while nothing is sold. */
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
  await requireAgreed(services, { school, lines, coded, quoted, request, shopper, follows })
  const { pay } = quoted.quote.today
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
    ...{ school, page, lines, request, payment, shopper, quoted, found, savedMethod, charged, savesForUpsells },
    ...{ keyed: services.request, hasLater: isPaidLater, fromBasketId, follows },
  }
  const countingCodes = quoted.quote.codes.filter(({ counts }) => counts).length
  // What is paid was no try of a card. What costs nothing still sends a message to whatever address was typed.
  let isGivenBack = false
  const giveBack = () => {
    isGivenBack = true
    return services.limits.giveBack(counted)
  }
  const placed = await storeAndCharge(services, paymentMethod, placing, giveBack)
  if (placed.state === 'paid' && paymentMethod && !isGivenBack) await giveBack()
  await giveEnteredBack(services, countingCodes, shopper)
  return placed
}

/** By whom an order is counted, while it is not paid. Who is signed in is counted by browser and address alone. */
function countedBy(email: string, { mode, address, browserHash, person }: Shopper, what: 'order' | 'free'): Counted {
  const places = { [`${what}:ip`]: address?.ip ?? null, [`${what}:range`]: address?.range ?? null }
  const who = person?.email === email ? null : `${mode} ${email}`
  return { ...places, ...(what === 'order' ? { 'order:browser': browserHash } : {}), [`${what}:email`]: who }
}
