import { and, eq } from 'drizzle-orm'
import * as v from 'valibot'
import { DocumentError } from '../../core/document/reader.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { Role } from '../../core/quote/types.ts'
import { toCollect, whyNot } from '../../core/ways/collects.ts'
import {
  type Adapter,
  type Capabilities,
  type Credentials,
  type DeclineReason,
  GatewayRefused,
  GatewayUnreachable,
  type Outcome,
} from '../../gateways/contract.ts'
import { inTransaction, type Services } from '../context.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, connections } from '../db/schema/index.ts'
import { capabilitiesOf, isReadable, openConnection } from '../gateways/service.ts'
import type { ClientAddress } from '../http/clientAddress.ts'
import { amountSchema } from '../http/numbers.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import type { Counted } from '../limits.ts'
import { record } from '../orders/journal.ts'
import { emailSchema, getSchool, type School } from '../school/service.ts'
import type { Person } from '../school/sessions.ts'
import { requireCompared } from '../upkeep/restored.ts'
import { requireHolder } from './audience.ts'
import { awaitTransfer } from './bankTransfer.ts'
import { goesOn, type KeptFor } from './fulfil.ts'
import { prepare } from './prepare.ts'
import { quoteBasket } from './quoteBasket.ts'
import { type SellableLine, sellableLines } from './sellable.ts'
import { type Attempt, settleAttempt } from './settle.ts'
import { clearTheWay, standing } from './standing.ts'

/** A basket holds at most so many things. */
const MOST_LINES = 50

export const placeSchema = v.object({
  /** What is bought: offers, each with the buyer's own price where they name it. */
  lines: v.pipe(
    v.array(
      v.object({
        offerId: v.pipe(v.string(), v.uuid('Choose how you pay.')),
        chosen: v.nullable(amountSchema(0, 'Write a price.', 'A price cannot be below zero.')),
      }),
    ),
    v.minLength(1, 'Nothing is in the basket.'),
    v.maxLength(MOST_LINES, `At most ${MOST_LINES} things can be bought at once.`),
  ),
  name: v.pipe(v.string(), v.trim(), v.nonEmpty('Write your name.'), v.maxLength(100, 'Use at most 100 characters.')),
  email: emailSchema,
  /** The page said that the buyer has the course for a while already. */
  isTold: v.optional(v.boolean()),
  /** What the button said: the order is placed for exactly this, or not at all. */
  agreed: v.object({
    pay: v.pipe(v.number(), v.safeInteger(), v.minValue(0)),
    currency: v.pipe(v.string(), v.maxLength(3)),
  }),
  /** The gateway and its token for what the buyer entered there; null where nothing is due. */
  payment: v.nullable(
    v.object({
      connectionId: v.pipe(v.string(), v.uuid()),
      /** Of the gateway's own fields; empty where it has none. */
      token: v.pipe(v.string(), v.maxLength(200)),
    }),
  ),
})
export type PlaceRequest = v.InferOutput<typeof placeSchema>

/** How an order stands, as the checkout page needs it. */
export type Placed =
  | { state: 'paid'; orderId: string }
  | { state: 'declined'; orderId: string; reason: DeclineReason | 'abandoned' }
  /** The buyer is asked to approve: in a frame, or at the gateway's own page, from where they come back. */
  | { state: 'confirming'; orderId: string; url: string; isElsewhere: boolean }
  /** The buyer has done their part, or does it at their bank; the money comes later. */
  | { state: 'awaiting'; orderId: string }
  /** The outcome is not known yet; ask again. */
  | { state: 'checking'; orderId: string }

export interface Shopper {
  mode: Mode
  /** Hash of the browser's own cookie. */
  browserHash: string
  /** Who is signed in. */
  person: Person | null
  /** The signed-in creator, who may try a real purchase. */
  isCreator?: boolean
  /** Where they are; absent where nobody is, as when the demo is loaded. */
  address?: ClientAddress
}

/** One thing of an order that is being placed. */
export interface PlacingLine extends SellableLine {
  role: Role
  chosen: number | null
}

/** Everything that an order is placed by. */
export interface Placing {
  school: School
  lines: PlacingLine[]
  request: PlaceRequest
  shopper: Shopper
  /** The quote's input and answer. */
  quoted: ReturnType<typeof quoteBasket>
  /** Payments come after today, so the method is kept. */
  hasLater: boolean
  /** The method kept without a charge, where nothing is due today. */
  kept: KeptFor | null
}

/**
 * Places an order from the page of a product, and collects what is due today.
 * @param slug the page's address: the first thing in the basket is sold there.
 */
export async function placeOrder(
  services: Services,
  slug: string,
  request: PlaceRequest,
  shopper: Shopper,
): Promise<Placed> {
  const lines = await linesOf(services, request, shopper)
  if (lines[0]?.product.slug !== slug) throw notOnSale()
  return placeBasket(services, lines, request, shopper)
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
): Promise<Placed> {
  const [school] = await Promise.all([getSchool(services.db), requireCompared(services.db)])
  const quoted = quoteFor(school, lines, services.now())
  const { pay } = quoted.quote.today
  for (const { offer, product } of lines) {
    const { audience } = offer.live
    if (audience.who !== 'holders') continue
    requireNotInOneBasket(product.title, audience.of, lines)
    await requireHolder(services, audience.of, request.email, shopper)
  }
  if (request.agreed.pay !== pay || request.agreed.currency !== school.currency) {
    throw new Problem(409, 'price-changed', 'The price changed while this page was open. Nothing was charged.')
  }
  const hasLater = quoted.quote.lines.some((line) => goesOn(line, quoted.quote.purchaseDay))
  const way = pay > 0 || hasLater ? await openWay(services, request.payment, shopper.mode) : null
  if (way && whyNot(way.capabilities, toCollect(quoted.quote, school.currency))) {
    throw new Problem(409, 'way-gone', 'This way of paying cannot collect this. Choose another; nothing was charged.')
  }
  const counted = countedBy(request.email, shopper, pay > 0 || hasLater ? 'order' : 'free')
  await services.limits.count(counted, 'Too many orders that were not paid.')
  const kept = way && pay === 0 ? await keepMethod(way, request) : null
  const placing: Placing = { school, lines, request, shopper, quoted, hasLater, kept }
  const placed = await placeOnce(services, way, placing)
  // What is paid was no try of a card. What costs nothing still sends a message to whatever address was typed.
  if (placed.state === 'paid' && way) await services.limits.giveBack(counted)
  return placed
}

/** What a request asks for, in its order. @throws Problem 410 where something of it is not on sale, 422 where it is in it twice. */
export async function linesOf(
  { db }: Services,
  { lines }: Pick<PlaceRequest, 'lines'>,
  { isCreator }: Shopper,
): Promise<PlacingLine[]> {
  const ids = lines.map(({ offerId }) => offerId)
  const twice = ids.findIndex((id, index) => ids.indexOf(id) !== index)
  if (twice > 0) throw fieldProblem(`/lines/${twice}/offerId`, 'This is in the basket already.')
  const sellable = await sellableLines(db, ids, isCreator)
  return lines.map(({ offerId, chosen }) => {
    const line = sellable.get(offerId)
    if (!line) throw notOnSale()
    return { ...line, role: 'main' as const, chosen }
  })
}

function notOnSale(): Problem {
  return new Problem(410, 'not-on-sale', 'This is not on sale any more.')
}

/** A members' offer needs the membership before; it cannot be bought in one go with it (selling rules, section 2). */
function requireNotInOneBasket(title: string, needed: readonly string[], lines: readonly PlacingLine[]) {
  const brings = lines.find(({ courses }) => courses.some(({ id }) => needed.includes(id)))
  if (!brings) return
  throw new Problem(
    409,
    'needs-it-before',
    `“${title}” at this price is for who has “${brings.product.title}” already. Order that first, then this; nothing was charged.`,
  )
}

/** By whom an order is counted, while it is not paid. Who is signed in is counted by browser and address alone. */
function countedBy(email: string, { mode, address, browserHash, person }: Shopper, what: 'order' | 'free'): Counted {
  const places = { [`${what}:ip`]: address?.ip ?? null, [`${what}:range`]: address?.range ?? null }
  const who = person?.email === email ? null : `${mode} ${email}`
  return { ...places, ...(what === 'order' ? { 'order:browser': browserHash } : {}), [`${what}:email`]: who }
}

async function placeOnce(services: Services, way: OpenWay | null, placing: Placing): Promise<Placed> {
  // An attempt left open by this order is settled first; then there is nothing in the way.
  for (let round = 0; round < 3; round++) {
    const prepared = await inTransaction(services, (services) => prepare(services, placing))
    if (prepared.kind === 'paid') return { state: 'paid', orderId: prepared.orderId }
    if (prepared.kind === 'owned') {
      throw new Problem(
        409,
        'already-yours',
        placing.lines.length === 1
          ? 'You have this course already. You find it under My courses; nothing was charged.'
          : `You have “${prepared.title}” already. You find it under My courses. Take it out of the basket; nothing was charged.`,
      )
    }
    if (prepared.kind === 'same') {
      const how = prepared.mayComeBack
        ? 'You have cancelled this. You can take the cancelling back under My courses, without a charge.'
        : 'You pay for this already, and it goes on. You find it under My courses.'
      throw new Problem(409, 'already-yours', `${how} Nothing was charged.`)
    }
    if (prepared.kind === 'untold') {
      throw new Problem(
        409,
        'held',
        'You have this course for a while already. Nothing was charged. Reload the page to see until when, then order again if you want.',
      )
    }
    if (prepared.kind === 'refused') throw refusedForAddress()
    if (prepared.kind === 'ready' && way) return charge(services, way, prepared.attempt, placing)
    if (prepared.kind !== 'busy') break
    const stillBusy = await clearTheWay(services, prepared.attempt)
    if (stillBusy) return { state: 'checking', orderId: prepared.order.id }
  }
  throw new Problem(503, 'busy', 'This order could not be paid at the moment. Nothing was charged twice; try again.')
}

/** The one sentence for whatever an address that was only typed may not order; it tells nobody why. */
function refusedForAddress(): Problem {
  return new Problem(
    409,
    'not-with-this-email',
    'This cannot be ordered with this email. If it is yours, we have sent you a message with what to do. Nothing was charged.',
  )
}

/** A way that a buyer pays through, opened for use; `gateway` null where nobody is asked, as for bank transfer. */
export interface OpenWay {
  connection: typeof connections.$inferSelect
  capabilities: Capabilities
  gateway: Gateway | null
}
export interface Gateway {
  adapter: Adapter
  credentials: Credentials
}

/** The way that the buyer chose, opened for use. @throws Problem where it is not offered any more. */
export async function openWay(services: Services, payment: PlaceRequest['payment'], mode: Mode): Promise<OpenWay> {
  if (!payment) throw fieldProblem('/payment', 'Choose how you pay.')
  const [connection] = await services.db.select().from(connections).where(eq(connections.id, payment.connectionId))
  if (connection?.mode !== mode || connection.disconnectedAt !== null || connection.pausedAt !== null) {
    throw new Problem(409, 'way-gone', 'This way of paying is not offered any more. Reload the page.')
  }
  if (!isReadable(services, connection.secret)) {
    throw new Problem(409, 'way-gone', 'This payment method is not offered at the moment. Reload the page.')
  }
  const capabilities = capabilitiesOf(services.gateways, connection.adapter)
  const gateway = capabilities.style === 'offline' ? null : await openConnection(services, connection.id)
  return { connection, capabilities, gateway }
}

/**
 * Asks a gateway that did not answer lately whether it does now, before it is asked for money: a payment begun while
 * it is down would have to be waited for. Where it does not, the attempt is dropped; its key was never sent.
 * @throws Problem 503 `way-down`.
 */
export async function requireUp(
  services: Services,
  { connection, capabilities, gateway }: OpenWay,
  attempt: Attempt,
): Promise<void> {
  if (!gateway || connection.downSince === null) return
  try {
    await gateway.adapter.verify(gateway.credentials)
  } catch (error) {
    if (!(error instanceof GatewayUnreachable)) throw error
    await settleAttempt(services, attempt.id, { state: 'abandoned' }, 'answer')
    throw new Problem(
      503,
      'way-down',
      `${capabilities.name} does not answer at the moment. Nothing was charged; pay another way, or try again later.`,
    )
  }
}

/** What a gateway is asked to charge: the token of its fields, or what the buyer approves on its page. */
export function sourceOf({ capabilities }: OpenWay, token: string, keep: boolean, returnUrl: string) {
  return capabilities.style === 'redirect' ? { returnUrl, keep } : { token, keep }
}

/** Quotes the basket; a price of the buyer's own that does not fit is said at its field. */
function quoteFor(school: School, lines: readonly PlacingLine[], at: Date) {
  try {
    return quoteBasket(school, lines, at)
  } catch (error) {
    if (!(error instanceof DocumentError)) throw error
    const [, index] = /^\/lines\/(\d+)\/chosen$/.exec(error.at) ?? []
    const line = index === undefined ? undefined : lines[Number(index)]
    // Its access has ended, or it does not fit the rules any more: the shop does not list it.
    if (!line) throw notOnSale()
    const { terms } = line.offer.live
    const least = terms.kind === 'openPrice' ? (terms.minimum ?? 0) : 0
    throw fieldProblem(error.at, `The minimum is ${formatMoney(least, school)}.`)
  }
}

/** Keeps the buyer's method where nothing is due today but later payments come. */
async function keepMethod({ connection, gateway }: OpenWay, { payment }: PlaceRequest): Promise<KeptFor> {
  if (!gateway) throw new Error('Nothing can be kept without a gateway.')
  try {
    const kept = await gateway.adapter.keep(gateway.credentials, {
      key: crypto.randomUUID(),
      token: payment?.token ?? '',
    })
    return { connectionId: connection.id, ...kept }
  } catch (error) {
    if (error instanceof GatewayRefused)
      throw new Problem(
        422,
        'card-refused',
        'This card could not be kept for the later payments. Nothing was charged; use another card.',
      )
    if (error instanceof GatewayUnreachable)
      throw new Problem(
        502,
        'gateway-unreachable',
        'The card could not be checked at the moment. Nothing was charged; try again.',
      )
    throw error
  }
}

/** Calls the gateway and settles by its answer; no answer is kept as unknown, for the look-up. */
async function charge(services: Services, way: OpenWay, attempt: Attempt, placing: Placing): Promise<Placed> {
  const { school, lines, request, hasLater } = placing
  if (!way.gateway) {
    await awaitTransfer(services, attempt)
    return standing(services, attempt.orderId)
  }
  const { adapter, credentials } = way.gateway
  await requireUp(services, way, attempt)
  const [first] = lines
  const returnUrl = `${services.config.origin}/buy/${first?.product.slug}?offer=${first?.offer.id}&back=${attempt.orderId}`
  let outcome: Outcome
  try {
    outcome = await adapter.begin(credentials, {
      key: attempt.key,
      amount: attempt.amount,
      currency: attempt.currency,
      source: sourceOf(way, request.payment?.token ?? '', hasLater, returnUrl),
      reference: referenceText(
        school.name,
        lines.map(({ product }) => product.title),
      ),
      statement: (lines.length === 1 && first?.offer.live.statement.trim()) || statementOf(school.name),
    })
  } catch (error) {
    if (error instanceof GatewayUnreachable) {
      await leaveUnknown(services, attempt, error)
      return standing(services, attempt.orderId)
    }
    if (!(error instanceof GatewayRefused)) throw error
    const reason = error.code === 'bad-token' ? ('bad-token' as const) : ('refused' as const)
    outcome = { state: 'declined', reference: '', reason, method: null }
  }
  await settleAttempt(services, attempt.id, outcome, 'answer')
  // What was collected is paid, whoever settled it first; everything else is read from what is stored.
  if (outcome.state === 'collected') return { state: 'paid', orderId: attempt.orderId }
  return standing(services, attempt.orderId)
}

/** Notes that a call was left without an answer: whether money moved is looked up. */
export async function leaveUnknown(
  services: Services,
  attempt: Pick<Attempt, 'id' | 'orderId'>,
  error: GatewayUnreachable,
): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const [changed] = await tx
      .update(attempts)
      .set({ state: 'unknown', reason: error.message })
      .where(and(eq(attempts.id, attempt.id), eq(attempts.state, 'started')))
      .returning()
    if (changed)
      await record(tx, services.now(), { orderId: attempt.orderId }, 'attempt-unknown', { why: error.message })
  })
}

/** What a gateway shows of a payment: the school, and what is bought, as far as there is room. */
export function referenceText(school: string, titles: readonly string[]): string {
  return `${school}: ${titles.join(', ')}`.slice(0, 120)
}

/** A statement text of at most 22 plain letters. */
export function statementOf(school: string): string {
  const plain = school
    .normalize('NFKD')
    .replace(/[^A-Za-z0-9 .-]+/g, ' ')
    .replace(/\s+/g, ' ')
    .trim()
  return (plain || 'COURSE').toUpperCase().slice(0, 22)
}
