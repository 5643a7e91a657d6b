import { asc, eq } from 'drizzle-orm'
import { accessIn, taxesToday } from '../../core/content/quoteInput.ts'
import { receiptRows } from '../../core/content/receiptRows.ts'
import { sums } from '../../core/quote/sums.ts'
import type { Queryable } from '../db/client.ts'
import { CATALOGUE_COLUMNS, catalogue, courses, lineCourses, orderLines, type orders } from '../db/schema/index.ts'

type Order = Pick<typeof orders.$inferSelect, 'id' | 'quoteInput' | 'placedOn'>

/**
 * What an order holds, line by line, and from when until when each is open: by the day on which it was paid, or by
 * `today` while it is not. `closes` is null for good, and for what is open while it is paid.
 */
export async function boughtOf(db: Queryable, order: Order, today: string) {
  const [rows, opened] = await Promise.all([
    db
      .select({ line: orderLines, product: CATALOGUE_COLUMNS })
      .from(orderLines)
      .innerJoin(catalogue, eq(catalogue.id, orderLines.productId))
      .where(eq(orderLines.orderId, order.id))
      .orderBy(asc(orderLines.position)),
    db
      .select({ lineId: lineCourses.lineId, title: lineCourses.title, slug: courses.slug })
      .from(lineCourses)
      .innerJoin(orderLines, eq(orderLines.id, lineCourses.lineId))
      .innerJoin(courses, eq(courses.id, lineCourses.courseId))
      .where(eq(orderLines.orderId, order.id))
      .orderBy(asc(lineCourses.position)),
  ])
  const placedOn = order.placedOn ?? today
  const access = accessIn(order.quoteInput, placedOn)
  return rows.map(({ line, product }) => {
    const { opens, closes } = access[line.position] ?? { opens: placedOn, closes: null }
    return {
      line,
      product: {
        kind: product.kind,
        slug: product.slug,
        pageSlug: product.pageSlug,
        live: product.live ?? product.draft,
      },
      /** The courses that it opens, in their order. */
      courses: opened.filter(({ lineId }) => lineId === line.id).map(({ title, slug }) => ({ title, slug })),
      opens,
      closes,
      isOpen: opens <= today && (closes === null || today < closes),
      /** Its last day was past already when the money came. */
      hasEnded: closes !== null && closes <= opens,
      /** Another order had opened it before the money came; this one opens nothing. */
      isPaidTwice: line.duplicateOf !== null,
    }
  })
}

/**
 * What a receipt says of an order's money: what was paid today and for what, the tax in it, and what is still to come. A
 * line that was paid twice owes no tax, and nothing later.
 */
export function amountsOf(
  { quote, quoteInput }: Pick<typeof orders.$inferSelect, 'quote' | 'quoteInput'>,
  bought: readonly { line: { position: number }; isPaidTwice: boolean }[],
) {
  const twice = bought.filter(({ isPaidTwice }) => isPaidTwice).map(({ line }) => line.position)
  const owed = quote.lines.filter((_, index) => !twice.includes(index))
  const { later, committed } = sums(owed, quote.purchaseDay)
  return {
    quote: { ...quote, later, committed },
    rows: receiptRows(quoteInput, quote),
    taxes: taxesToday(quoteInput, quote, twice),
  }
}
