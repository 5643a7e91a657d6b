import { and, desc, eq, isNull } from 'drizzle-orm'
import { clockMoment } from '../../core/calendar/clock.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import { formatWholePrice } from '../../core/sentence/sentence.ts'
import { isOwnOrder } from '../checkout/prepare.ts'
import type { Quoted } from '../checkout/quoteBasket.ts'
import { attempts, orderLines, orders, people } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import { methodOf } from '../upsells/answer.ts'
import { upsellStatus, walkOf } from '../upsells/walk.ts'
import type { UpsellView } from './views.ts'

/** What is offered to a buyer after an order; null where nothing is, or any more, or the order is not theirs. */
export async function upsellView(
  services: Services,
  school: School,
  orderId: string,
  visitor: Visitor,
): Promise<UpsellView | null> {
  const { db } = services
  const [row] = await db
    .select({ order: orders, email: people.email })
    .from(orders)
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.id, orderId), eq(orders.mode, visitor.mode)))
  const { browserHash } = visitor
  if (!row || !isOwnOrder(row.order, { ...visitor, browserHash: browserHash ?? '' })) return null
  const { order, email } = row
  const walk = await walkOf(services, order)
  const status = walk && (await upsellStatus(services, school, walk, visitor))
  if (!walk || !status) return null
  const [lines, method, tries] = await Promise.all([
    db.select({ title: orderLines.title }).from(orderLines).where(eq(orderLines.orderId, orderId)),
    methodOf(services, order),
    status.order ? triesOf(services, status.order.id) : [],
  ])
  const price = priceOf(school, status.quoted)
  const { view } = status.offered
  const isPending = status.order?.state === 'paying'
  const canCharge = status.paymentMethods.some(({ connectionId }) => connectionId === method?.connectionId)
  const [last] = tries
  return {
    name: 'upsell',
    order: {
      id: order.id,
      number: order.number,
      pay: order.payToday,
      isPaid: order.state === 'paid',
      titles: lines.map(({ title }) => title),
    },
    email,
    offered: { ...view, price, quote: status.quoted.quote },
    before: price === view.price ? null : view.price,
    until: clockMoment(walk.ends.toISOString(), school.timeZone, 'from').time ?? '00:00',
    // What was declined just now is not pressed again without a thought.
    savedMethod: method && canCharge && walk.byTransfer === null && last?.state !== 'declined' ? method.method : null,
    paymentMethods: status.paymentMethods,
    pending: isPending ? (status.order?.id ?? null) : null,
    declined: !isPending && last?.state === 'declined' ? (last.reason ?? 'refused') : null,
  }
}

/** The tries to pay an order, the newest first. */
function triesOf({ db }: Services, orderId: string) {
  return db
    .select({ state: attempts.state, reason: attempts.reason })
    .from(attempts)
    .where(and(eq(attempts.orderId, orderId), isNull(attempts.agreementId)))
    .orderBy(desc(attempts.startedAt))
    .limit(1)
}

/** The whole price of what is quoted alone, in words. */
function priceOf(school: School, { input, quote }: Quoted): string {
  const [asked] = readStoredQuote(input).lines
  const [line] = quote.lines
  if (!asked || !line) throw new RangeError('An upsell is one line.')
  const { terms } = asked.offer
  return formatWholePrice({ terms, line, money: school })
}
