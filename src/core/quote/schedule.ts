import { after, type Day } from '../calendar/day.ts'
import { type Instant, isBefore } from '../calendar/instant.ts'
import { type Amount, split } from '../money/arithmetic.ts'
import type { InstallmentTerms, SubscriptionTerms, Terms, Trial } from '../terms/terms.ts'
import type { PaymentKind, QuoteLine, Sale, ScheduledPayment } from './types.ts'

/** Whether a sale price is in force: from ≤ at < until (pricing rules, section 4). */
export function isInForce(sale: Sale | null, at: Instant): boolean {
  if (!sale) return false
  if (sale.from && isBefore(at, sale.from)) return false
  return !sale.until || isBefore(at, sale.until)
}

/**
 * The day from which regular payments are counted: the purchase day, or the end of a trial.
 * @example anchorOf({ kind: 'subscription', trial: { length: { count: 14, unit: 'day' } } }, '2026-12-01') // '2026-12-15'
 */
export function anchorOf(terms: Terms, purchaseDay: Day): Day {
  const trial = terms.kind === 'installments' || terms.kind === 'subscription' ? terms.trial : null
  return trial ? after(purchaseDay, 1, trial.length) : purchaseDay
}

/**
 * The due day and amounts of regular payment n of a subscription (n from 1, beyond any horizon too),
 * as its terms and the sale price in force at the purchase make them.
 */
function regularPayment(terms: SubscriptionTerms, sale: Sale | null, anchor: Day, n: number) {
  const applies = sale !== null && (sale.scope === 'every' || n === 1)
  const price = applies ? sale.amount : terms.amount
  return payment('regular', n, after(anchor, n - 1, terms.every), terms.amount, price)
}

/**
 * The payments of one line in due order, before codes and tax (pricing rules, sections 3 and 4).
 * @param sale the sale price where it is in force, else null.
 */
export function scheduleOf(line: QuoteLine, sale: Sale | null, purchaseDay: Day, horizon: number): ScheduledPayment[] {
  const { terms } = line.offer
  switch (terms.kind) {
    case 'free':
      return []
    case 'single':
      return [payment('regular', 1, purchaseDay, terms.amount, sale ? sale.amount : terms.amount)]
    case 'openPrice': {
      const amount = line.chosen ?? terms.suggested
      return amount === 0 ? [] : [payment('regular', 1, purchaseDay, amount, amount)]
    }
    case 'installments':
      return [...trialPayments(terms.trial, purchaseDay), ...installments(terms, sale, purchaseDay)]
    case 'subscription':
      return subscription(terms, sale, purchaseDay, horizon)
  }
}

function installments(terms: InstallmentTerms, sale: Sale | null, purchaseDay: Day): ScheduledPayment[] {
  const { count, every, deposit } = terms
  const lists = installmentAmounts(terms, terms.total, terms.amount)
  const saleEvery = sale?.scope === 'every' ? sale.amount : null
  const prices = installmentAmounts(terms, terms.total && (saleEvery ?? terms.total), saleEvery ?? terms.amount)
  if (sale?.scope === 'first') prices[0] = sale.amount
  const anchor = anchorOf(terms, purchaseDay)
  const made: ScheduledPayment[] = []
  if (deposit !== null) made.push(payment('deposit', 1, purchaseDay, deposit, deposit))
  for (let i = 1; i <= count; i++) {
    const due = after(anchor, deposit === null ? i - 1 : i, every)
    const n = deposit === null ? i : i + 1
    made.push(payment('regular', n, due, lists[i - 1] as Amount, prices[i - 1] as Amount))
  }
  return made
}

function installmentAmounts(terms: InstallmentTerms, total: Amount | null, each: Amount | null): Amount[] {
  const ones = new Array<number>(terms.count).fill(1)
  return total === null ? ones.map(() => each ?? 0) : split(total, ones)
}

function subscription(
  terms: SubscriptionTerms,
  sale: Sale | null,
  purchaseDay: Day,
  horizon: number,
): ScheduledPayment[] {
  const anchor = anchorOf(terms, purchaseDay)
  const made: ScheduledPayment[] = []
  if (terms.setupFee > 0) made.push(payment('setup', 0, purchaseDay, terms.setupFee, terms.setupFee))
  made.push(...trialPayments(terms.trial, purchaseDay))
  const count = terms.payments ?? horizon
  for (let n = 1; n <= count; n++) made.push(regularPayment(terms, sale, anchor, n))
  return made
}

function trialPayments(trial: Trial | null, purchaseDay: Day): ScheduledPayment[] {
  if (!trial || trial.amount === 0) return []
  return [payment('trial', 0, purchaseDay, trial.amount, trial.amount)]
}

function payment(kind: PaymentKind, n: number, due: Day, list: Amount, price: Amount): ScheduledPayment {
  return { n, kind, due, list, price, discount: 0, tax: 0, pay: 0 }
}
