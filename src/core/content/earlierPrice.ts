import type { Amount } from '../money/arithmetic.ts'
import { type DraftSale, type DraftTerms, type OfferContent, quotableSale } from './offer.ts'

/** One published content of an offer and the instant from which it held. */
export interface Published {
  content: OfferContent
  publishedAt: string
}

/** A sale in force, and the earlier price that is shown beside it. Amounts are as written, tax not added. */
export interface RunningSale {
  amount: Amount
  scope: DraftSale['scope']
  until: string | null
  /** RFC 3339: from when on the offer has been at this price without a break. */
  began: string
  /** What is paid again once the sale is over. */
  list: Amount
  /** The lowest price of the 30 days before it began; null where there was none, or none above the sale price. */
  earlier: Amount | null
}

const WINDOW_MS = 30 * 86_400_000

/**
 * The sale in force at `at` by what was published, oldest first, and its earlier price as EU Directive
 * 98/6/EC, Art. 6a, asks: the lowest price applied in the 30 days before the reduction. A further
 * reduction is a reduction of its own. Prices of other terms (another kind, rhythm or number of
 * parts) say nothing about this one and are left out.
 */
export function runningSale(history: readonly Published[], at: string): RunningSale | null {
  const now = Date.parse(at)
  const current = history.findLast(({ publishedAt }) => Date.parse(publishedAt) <= now)?.content
  const sale = current && quotableSale(current.sale, current.terms)
  if (!current || !sale || !isInForce(sale, now)) return null
  const held = stretchesOf(history, current, scopeOf(current.terms, sale.scope))
  let index = held.findLastIndex(({ from }) => from <= now)
  for (let before = held[index - 1]; before; before = held[index - 1]) {
    if (before.price !== sale.amount || before.to !== held[index]?.from) break
    index--
  }
  const began = held[index]?.from ?? now
  const earlier = held
    .filter(({ from, to }) => from < began && to > began - WINDOW_MS)
    .reduce((least, { price }) => Math.min(least, price), Number.POSITIVE_INFINITY)
  return {
    amount: sale.amount,
    scope: sale.scope,
    until: sale.until,
    began: new Date(began).toISOString(),
    list: replacedFigure(current.terms) ?? sale.amount,
    earlier: earlier > sale.amount && Number.isFinite(earlier) ? earlier : null,
  }
}

/** What a sale price replaces: the total where there is one, else the amount of each payment. */
function replacedFigure(terms: DraftTerms): Amount | null {
  if (terms.kind === 'free' || terms.kind === 'openPrice') return null
  return (terms.kind === 'installments' ? terms.total : null) ?? terms.amount
}

/** On a one-time price the first payment is every payment. */
function scopeOf(terms: DraftTerms, scope: DraftSale['scope']): DraftSale['scope'] {
  return terms.kind === 'single' ? 'every' : scope
}

interface Stretch {
  from: number
  to: number
  price: Amount
}

/** The prices that applied one after the other, cut where a sale begins or ends; gaps are terms that do not compare. */
function stretchesOf(history: readonly Published[], current: OfferContent, scope: DraftSale['scope']): Stretch[] {
  const found: Stretch[] = []
  const add = (from: number, to: number, price: Amount) => {
    if (from < to) found.push({ from, to, price })
  }
  for (const [index, { content, publishedAt }] of history.entries()) {
    const figure = replacedFigure(content.terms)
    if (figure === null || rhythmOf(content.terms) !== rhythmOf(current.terms)) continue
    const start = Date.parse(publishedAt)
    const end = Date.parse(history[index + 1]?.publishedAt ?? '9999-12-31T00:00:00Z')
    const sale = quotableSale(content.sale, content.terms)
    // A sale of the first payment alone does not lower every payment.
    const counts = sale && (scopeOf(content.terms, sale.scope) === 'every' || scope === 'first')
    if (!counts) {
      add(start, end, figure)
      continue
    }
    const from = Math.min(end, Math.max(start, sale.from === null ? start : Date.parse(sale.from)))
    const to = Math.max(from, Math.min(end, sale.until === null ? end : Date.parse(sale.until)))
    add(start, from, figure)
    add(from, to, sale.amount)
    add(to, end, figure)
  }
  return found
}

/** What two terms must share for their figures to compare. */
function rhythmOf(terms: DraftTerms): string {
  switch (terms.kind) {
    case 'installments':
      return JSON.stringify([terms.kind, terms.every, terms.count, terms.deposit, terms.total === null])
    case 'subscription':
      return JSON.stringify([terms.kind, terms.every])
    default:
      return terms.kind
  }
}

function isInForce({ from, until }: Pick<DraftSale, 'from' | 'until'>, now: number): boolean {
  return (from === null || Date.parse(from) <= now) && (until === null || now < Date.parse(until))
}
