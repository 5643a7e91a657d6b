import { asc, eq, type Placeholder, sql } from 'drizzle-orm'
import { grantsBeside } from '../access/heldAlready.ts'
import type { Transaction } from '../db/client.ts'
import { anyOf, compiled } from '../db/compiled.ts'
import { courses, lineCourses, OPENING_DAY, orderLines, orders, payments, products } from '../db/schema/index.ts'
import { getSchool } from '../school/service.ts'

/** What must be known of orders before they are paid, read in one go. */
export type OrderContext = Awaited<ReturnType<typeof readOrderContext>>

/** A line of an order with the courses that it opens, and its product's name in the books. */
export type OpeningLine = OrderContext['lines'][number]

/** A payment of an order, as it is scheduled. */
export type ScheduledPayment = OrderContext['payments'][number]

interface Ids extends Record<string, unknown> {
  ids: readonly string[]
}

const linesBy = compiled<Ids>()((db, given) =>
  db
    .select({ line: orderLines, product: products.bookName, kind: products.kind })
    .from(orderLines)
    .innerJoin(products, eq(products.id, orderLines.productId))
    .where(sql`${orderLines.orderId} = ${anyOf(given('ids'))}`)
    .orderBy(asc(orderLines.position)),
)

const coursesBy = compiled<Ids>()((db, given) =>
  db
    .select({
      lineId: lineCourses.lineId,
      courseId: lineCourses.courseId,
      title: lineCourses.title,
      opens: OPENING_DAY,
    })
    .from(lineCourses)
    .innerJoin(courses, eq(courses.id, lineCourses.courseId))
    .where(
      sql`${lineCourses.lineId} = any (array (select l.id from ${orderLines} l where l.order_id = ${anyOf(given('ids'))}))`,
    )
    .orderBy(asc(lineCourses.position)),
)

const paymentsBy = compiled<Ids>()((db, given) =>
  db
    .select({
      id: payments.id,
      orderId: payments.orderId,
      lineId: payments.lineId,
      due: payments.due,
      pay: payments.pay,
      tax: payments.tax,
    })
    .from(payments)
    .where(sql`${payments.orderId} = ${anyOf(given('ids'))}`)
    .orderBy(asc(payments.id)),
)

const buyersOf = (db: Transaction, ids: Placeholder) =>
  db
    .selectDistinct({ id: sql<string>`${orders.personId}`.as('id') })
    .from(orders)
    .where(sql`${orders.id} = ${anyOf(ids)}`)
    .orderBy(sql`1`)
    .as('buyers')

const waitForBuyers = compiled<Ids>()((db, given) => {
  const buyers = buyersOf(db as Transaction, given('ids'))
  return db
    .select({ id: buyers.id, held: sql`pg_advisory_xact_lock(hashtextextended(${buyers.id}::text, 0))` })
    .from(buyers)
})

const tryBuyers = compiled<Ids>()((db, given) => {
  const buyers = buyersOf(db as Transaction, given('ids'))
  const held = sql<boolean>`pg_try_advisory_xact_lock(hashtextextended(${buyers.id}::text, 0))`
  return db.select({ id: buyers.id, held }).from(buyers)
})

/**
 * Reads what must be known of orders before they are paid. Orders of one buyer that are settled in the same moment wait
 * for each other here, before it is read what their buyer has.
 * @param buyers wait: until nobody else settles an order of theirs · try: those for whom it is so already are in `held`.
 */
export async function readOrderContext(tx: Transaction, ids: readonly string[], buyers: 'wait' | 'try') {
  const hold = buyers === 'wait' ? waitForBuyers : tryBuyers
  const [school, held, lines, opened, scheduled, grants] = await Promise.all([
    getSchool(tx),
    hold(tx, { ids }),
    linesBy(tx, { ids }),
    coursesBy(tx, { ids }),
    paymentsBy(tx, { ids }),
    grantsBeside(tx, { orders: ids }),
  ])
  return {
    school,
    held: new Set(held.flatMap((one) => (one.held === false ? [] : [one.id]))),
    lines: lines.map((one) => ({ ...one, courses: opened.filter(({ lineId }) => lineId === one.line.id) })),
    payments: scheduled,
    /** What the buyers have of the courses that the orders open, ended or not. */
    grants,
  }
}
