import type { Day } from '../calendar/day.ts'
import { dayIn } from '../calendar/instant.ts'
import { split } from '../money/arithmetic.ts'
import { closesOn, opensOn } from './access.ts'
import { applyCodes, type DraftLine } from './codes.ts'
import { isInForce, scheduleOf } from './schedule.ts'
import { sums } from './sums.ts'
import { taxOf } from './tax.ts'
import type { Quote, QuotedLine, QuoteRequest } from './types.ts'

/**
 * What a basket costs today and later, which codes count, and until when each course is open.
 * The one implementation of the pricing rules: deterministic, no clock, no I/O.
 * @param at pointer of the request, for errors that only the whole request shows.
 * @throws DocumentError where an access rule ends before the course opens.
 */
export function quote(request: QuoteRequest, at = ''): Quote {
  const purchaseDay = dayIn(request.timeZone, request.at)
  const drafts = request.lines.map((line): DraftLine => {
    const saleInForce = isInForce(line.offer.sale, request.at)
    const sale = saleInForce ? line.offer.sale : null
    return { line, saleInForce, payments: scheduleOf(line, sale, purchaseDay, request.horizon) }
  })
  const codes = applyCodes(request, drafts)
  for (const { line, payments } of drafts) {
    const rate = line.offer.taxRate ?? request.tax.rate
    const tax = { mode: request.tax.mode, rate }
    for (const payment of payments) {
      const taxed = taxOf(payment.price - payment.discount, tax)
      payment.tax = taxed.tax
      payment.pay = taxed.pay
    }
  }
  const lines = drafts.map((draft, index) => quotedLine(draft, purchaseDay, `${at}/lines/${index}`))
  return { purchaseDay, lines, ...sums(lines, purchaseDay), codes, overlaps: overlapsOf(request) }
}

function quotedLine({ line, payments }: DraftLine, purchaseDay: Day, at: string): QuotedLine {
  const { id, terms, access, courses } = line.offer
  const paid = payments.filter(({ kind, due }) => kind === 'regular' && due === purchaseDay).length
  const first = payments.find(({ n }) => n > 0)
  const shares = first
    ? split(
        first.price - first.discount,
        courses.map(({ weight }) => weight),
      )
    : courses.map(() => 0)
  return {
    offer: id,
    role: line.role,
    payments,
    untilCancelled: terms.kind === 'subscription' && terms.payments === null,
    opens: opensOn(access, purchaseDay),
    closes: closesOn(access, terms, purchaseDay, paid, `${at}/offer/access`),
    shares: courses.map((course, index) => ({ course: course.id, amount: shares[index] as number })),
  }
}

/** Courses that more than one line opens, in the order of first appearance (section 5). */
function overlapsOf({ lines }: QuoteRequest): string[] {
  const counts = new Map<string, number>()
  for (const { offer } of lines) {
    for (const { id } of offer.courses) counts.set(id, (counts.get(id) ?? 0) + 1)
  }
  return [...counts].filter(([, count]) => count > 1).map(([id]) => id)
}
