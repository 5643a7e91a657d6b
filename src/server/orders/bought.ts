import { and, asc, eq } from 'drizzle-orm'
import { taxesToday } from '../../core/content/quoteInput.ts'
import { receiptRows } from '../../core/content/receiptRows.ts'
import type { MoneyFormat } from '../../core/money/format.ts'
import { closesBy, openingDay, opensBy } from '../../core/quote/courseDay.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import { sums } from '../../core/quote/sums.ts'
import type { Quote } from '../../core/quote/types.ts'
import { formatCodes } from '../../core/sentence/codes.ts'
import { formatLaterOfSeveral, type ReceiptAmounts } from '../../core/sentence/receipt.ts'
import { titlesOf } from '../access/service.ts'
import type { Queryable } from '../db/client.ts'
import {
  CATALOGUE_COLUMNS,
  catalogue,
  courses,
  grants,
  lineCourses,
  OPENING_DAY,
  orderLines,
  type orders,
} from '../db/schema/index.ts'

type Order = Pick<typeof orders.$inferSelect, 'id' | 'quoteInput' | 'placedOn'>

/**
 * What an order holds, line by line, and from when until when each course is open: by the day on which it was paid, or by
 * `today` while it is not. `closes` is null for good, and for what is open while it is paid. A line is open with the first
 * of its courses.
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
      .select({
        lineId: lineCourses.lineId,
        title: lineCourses.title,
        slug: courses.slug,
        day: OPENING_DAY,
        granted: grants.opens,
      })
      .from(lineCourses)
      .innerJoin(orderLines, eq(orderLines.id, lineCourses.lineId))
      .innerJoin(courses, eq(courses.id, lineCourses.courseId))
      .leftJoin(grants, and(eq(grants.lineId, lineCourses.lineId), eq(grants.courseId, lineCourses.courseId)))
      .where(eq(orderLines.orderId, order.id))
      .orderBy(asc(lineCourses.position)),
  ])
  const placedOn = order.placedOn ?? today
  const { lines } = readStoredQuote(order.quoteInput)
  const titles = await titlesOf(
    db,
    rows.flatMap(({ line }) => line.membersOf ?? []),
  )
  return rows.map(({ line, product }) => {
    const { access, terms } = (lines[line.position] as (typeof lines)[number]).offer
    const rule = { access, terms, from: line.opensFrom }
    const own = opensBy(rule, placedOn)
    const held = opened
      .filter(({ lineId }) => lineId === line.id)
      .map(({ title, slug, day, granted }) => {
        const opens = granted ?? openingDay(own, day)
        const closes = closesBy(rule, opens, placedOn)
        return { title, slug, opens, closes, isOpen: opens <= today && (closes === null || today < closes) }
      })
    const [first] = [...held].sort((a, b) => (a.opens < b.opens ? -1 : 1))
    const { opens, closes, isOpen } = first ?? { opens: own, closes: null, isOpen: own <= today }
    return {
      line,
      product: {
        kind: product.kind,
        slug: product.slug,
        pageSlug: product.pageSlug,
        live: product.live ?? product.draft,
      },
      /** The courses that it opens, in their order. */
      courses: held,
      opens,
      closes,
      isOpen,
      /** Its last day was past already when the money came. */
      hasEnded: closes !== null && closes <= opens,
      /** The titles of the membership that it depends on; null where it depends on none. */
      membership: line.membersOf?.map((id) => titles.get(id) ?? '') ?? null,
      /** Another order had opened it before the money came; this one opens nothing. */
      isPaidTwice: line.duplicateOf !== null,
    }
  })
}

/** What a receipt says of an order's money. */
export interface OrderAmounts {
  /** With what is still to come. */
  quote: Quote
  things: { course: string; offer: string }[]
  /** What was paid on the purchase day. */
  amounts: ReceiptAmounts
  /** Codes that take something off later payments alone. */
  codesLater: { code: string; says: string }[]
  /** A sentence for each of several things that are paid over time, and what they come to. */
  laterEach: string[]
}

/**
 * What a receipt says of an order's money: what was paid today and for what, the tax in it, and what is still to come. A
 * line that was paid twice owes no tax, and nothing later.
 */
export function amountsOf(
  { quote, quoteInput, currency }: Pick<typeof orders.$inferSelect, 'quote' | 'quoteInput' | 'currency'>,
  bought: readonly { line: { position: number; title: string; offerName: string }; isPaidTwice: boolean }[],
  school: Omit<MoneyFormat, 'currency'>,
): OrderAmounts {
  const money = { ...school, currency }
  const twice = bought.filter(({ isPaidTwice }) => isPaidTwice).map(({ line }) => line.position)
  const isOwed = (_: unknown, index: number) => !twice.includes(index)
  const titles = bought.map(({ line }) => line.title)
  const { later, committed } = sums(quote.lines.filter(isOwed), quote.purchaseDay)
  const owed = { ...quote, later, committed }
  // What was paid twice charges nothing later.
  const lines = quote.lines.map((line, index) =>
    isOwed(line, index) ? line : { ...line, payments: [], untilCancelled: false },
  )
  return {
    quote: owed,
    things: bought.map(({ line }) => ({ course: line.title, offer: line.offerName })),
    amounts: {
      rows: receiptRows(quoteInput, quote),
      taxMode: readStoredQuote(quoteInput).tax.mode,
      taxes: taxesToday(quoteInput, quote, twice),
      paid: quote.today.pay,
    },
    laterEach: formatLaterOfSeveral(quoteInput, { ...owed, lines }, titles, money),
    codesLater: quote.today.discount === 0 ? formatCodes(quote, money) : [],
  }
}
