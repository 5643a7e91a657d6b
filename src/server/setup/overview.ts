import { and, asc, count, desc, eq, inArray, isNull, sql } from 'drizzle-orm'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { formatWhyNot, takesCurrency, toCollect, type WhyNot, whyNot } from '../../core/paymentMethods/collects.ts'
import type { Capabilities } from '../../gateways/contract.ts'
import { allPaymentMethods } from '../../gateways/registry.ts'
import { sellableProducts } from '../catalogue/sellable.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, attempts, connections, eventRefusals, gatewayEvents } from '../db/schema/index.ts'
import { isReadable } from '../gateways/service.ts'
import { overdueOf, sumsBetween } from '../money/sums.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool, type School, schoolDay } from '../school/service.ts'

/** An offer on sale, and what it asks of whoever collects it. */
interface NeededCapability {
  id: string
  productId: string
  name: string
  need: ReturnType<typeof toCollect>
}

/** What a gateway cannot collect of what is on sale, by the reason. */
export interface CannotCollect {
  why: WhyNot
  /** In words that go on after its name. */
  says: string
  offers: { id: string; productId: string; name: string }[]
}

/**
 * Every payment method that can be set up: what it can do, how it stands against what is on sale, and its connection in the
 * mode; and the newest events. Never a secret.
 */
export async function listGateways(base: Services, mode: Mode) {
  const services = await inMode(base, mode)
  const { db, gateways, config } = services
  const [school, asking, rows, events, refusals] = await Promise.all([
    getSchool(db),
    askedFor(services),
    db
      .select({
        id: connections.id,
        adapter: connections.adapter,
        account: connections.account,
        accountName: connections.accountName,
        secret: connections.secret,
        secretEnds: connections.secretEnds,
        position: connections.position,
        standsAlone: connections.standsAlone,
        transfer: connections.transfer,
        verifiedAt: connections.verifiedAt,
        pausedAt: connections.pausedAt,
        downSince: connections.downSince,
      })
      .from(connections)
      .where(and(eq(connections.mode, mode), isNull(connections.disconnectedAt)))
      .orderBy(asc(connections.position), asc(connections.createdAt)),
    db
      .select({
        id: gatewayEvents.id,
        adapter: connections.adapter,
        type: gatewayEvents.type,
        state: gatewayEvents.state,
        note: gatewayEvents.note,
        receivedAt: gatewayEvents.receivedAt,
      })
      .from(gatewayEvents)
      .innerJoin(connections, eq(connections.id, gatewayEvents.connectionId))
      .where(eq(connections.mode, mode))
      .orderBy(desc(gatewayEvents.id))
      .limit(12),
    db
      .select({ adapter: connections.adapter, count: eventRefusals.count, lastAt: eventRefusals.lastAt })
      .from(eventRefusals)
      .innerJoin(connections, eq(connections.id, eventRefusals.connectionId))
      .where(eq(connections.mode, mode))
      .orderBy(desc(eventRefusals.day))
      .limit(3),
  ])
  const offered = rows.filter(({ pausedAt, secret }) => pausedAt === null && isReadable(services, secret))
  /** A connection without its sealed key, which never leaves the server. */
  const shown = (row: (typeof rows)[number] | undefined) => {
    if (!row) return null
    const { secret, ...connection } = row
    return { ...connection, isKeyLost: !isReadable(services, secret) }
  }
  const known = allPaymentMethods(gateways)
  const canAny = (asked: NeededCapability) =>
    offered.some(({ adapter }) => {
      const paymentMethod = known.find(({ id }) => id === adapter)
      return paymentMethod !== undefined && whyNot(paymentMethod.capabilities, asked.need) === null
    })
  const places = new Map(rows.map(({ adapter, position }) => [adapter, position]))
  return {
    console: config.standinsOrigin,
    onSale: asking.length,
    /** What nothing that is offered can collect. */
    uncollected: asking.filter((asked) => !canAny(asked)).map(({ need: _need, ...offer }) => offer),
    gateways: known
      .sort((a, b) => (places.get(a.id) ?? 1e9) - (places.get(b.id) ?? 1e9))
      .map(({ id, capabilities }) => ({
        id,
        capabilities,
        takesCurrency: takesCurrency(capabilities, school.currency),
        cannot: against(capabilities, asking, school),
        connection: shown(rows.find(({ adapter }) => adapter === id)),
      })),
    events,
    /** Events without a valid signature, by day, the newest days. */
    refusals,
  }
}

/** Everything on sale that costs something, now or later. */
async function askedFor({ db, now }: Services): Promise<NeededCapability[]> {
  const school = await getSchool(db)
  const at = now().toISOString()
  return (await sellableProducts(db)).flatMap((product) =>
    product.offers.flatMap(({ id, productId, live }) => {
      const said = describeOffer(school, { id, courses: [{ id: productId }], content: live }, at)
      if (!said) return []
      const need = toCollect(said.quote, school.currency, Math.max(said.quote.today.pay, 0))
      const isFree = need.today === 0 && !need.hasLaterPayments
      return isFree ? [] : [{ id, productId, name: `${product.live.title} · ${live.name}`, need }]
    }),
  )
}

function against(paymentMethod: Capabilities, asking: NeededCapability[], school: School): CannotCollect[] {
  const found = new Map<WhyNot, CannotCollect>()
  for (const { need, ...offer } of asking) {
    const why = whyNot(paymentMethod, need)
    if (!why) continue
    const entry = found.get(why) ?? { why, says: formatWhyNot(why, paymentMethod, school), offers: [] }
    entry.offers.push(offer)
    found.set(why, entry)
  }
  return [...found.values()]
}

/** What would stop if a gateway were disconnected: agreements that charge through it, and what they still bring. */
export async function whatStops(base: Services, mode: Mode, adapter: string) {
  const { db } = base
  const through = db
    .select({ id: connections.id })
    .from(connections)
    .where(and(eq(connections.mode, mode), eq(connections.adapter, adapter), isNull(connections.disconnectedAt)))
  const goingOn = and(inArray(agreements.connectionId, through), eq(agreements.state, 'active'))
  const today = await schoolDay(await inMode(base, mode))
  const [[running], [underWay], sums, overdue] = await Promise.all([
    db
      .select({ agreements: count(), next: sql<string | null>`min(${agreements.nextTry})` })
      .from(agreements)
      .where(goingOn),
    db
      .select({ n: count() })
      .from(attempts)
      .where(and(inArray(attempts.connectionId, through), eq(attempts.state, 'awaiting'))),
    sumsBetween(db, mode, '2000-01-01', '2999-12-31', { paymentMethod: adapter }),
    overdueOf(db, mode, today, { paymentMethod: adapter }),
  ])
  const due = sums.reduce((sum, of) => sum + of.due, 0)
  const givenUp = overdue.filter(({ status }) => status === 'given-up').reduce((sum, { pay }) => sum + pay, 0)
  return {
    agreements: running?.agreements ?? 0,
    next: running?.next ?? null,
    /** What they still bring as far as it is listed: for what goes on until cancelled, a year ahead. */
    amount: due - givenUp,
    awaited: underWay?.n ?? 0,
  }
}
