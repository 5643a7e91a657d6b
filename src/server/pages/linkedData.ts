import type { Span } from '../../core/calendar/day.ts'
import { currencyDigits } from '../../core/money/currency.ts'
import type { ScheduledPayment } from '../../core/quote/types.ts'
import { runsOf } from '../../core/sentence/runs.ts'
import type { ShopOffer, ShopPage } from './views.ts'

/**
 * schema.org data of a page that sells a course, or a bundle, which is a product. What only members may buy is not
 * offered to everyone.
 */
export function linkedDataOf({ school, view }: ShopPage, url: string) {
  if (view.name !== 'course' && view.name !== 'bundle' && view.name !== 'checkout') return null
  const product = view.name === 'course' ? view.course : view.name === 'bundle' ? view.bundle : view.product
  const by = { '@type': 'Organization', name: school.name }
  return {
    '@context': 'https://schema.org',
    ...(product.kind === 'course' ? { '@type': 'Course', provider: by } : { '@type': 'Product', brand: by }),
    name: product.title,
    description: product.summary || product.title,
    offers: view.offers.filter(({ needs }) => needs === null).map((offer) => linkedOffer(offer, school.currency, url)),
  }
}

/** UN/CEFACT codes of the units of time. */
const UNIT_CODES = { day: 'DAY', week: 'WEE', month: 'MON', year: 'ANN' } as const

/**
 * An offer as search engines read it: what it costs in all, or each time where it goes on until cancelled. What is paid
 * in parts is told part by part (schema.org/UnitPriceSpecification).
 */
function linkedOffer({ name, quote, terms }: ShopOffer, currency: string, url: string) {
  const digits = currencyDigits(currency)
  const written = (amount: number) => (amount / 10 ** digits).toFixed(digits)
  const payments = quote.lines[0]?.payments ?? []
  const regular = payments.findLast(({ kind }) => kind === 'regular')?.pay ?? 0
  const parts = 'every' in terms ? partsOf(payments, terms, quote.committed === null) : []
  const components = parts.map(({ pay, ...part }) => ({
    '@type': 'UnitPriceSpecification',
    price: written(pay),
    priceCurrency: currency,
    ...part,
  }))
  return {
    '@type': 'Offer',
    name,
    price: written(quote.committed ?? regular),
    priceCurrency: currency,
    ...(components.length > 0 && { priceSpecification: components }),
    category: quote.committed === 0 ? 'Free' : 'Paid',
    availability: 'https://schema.org/InStock',
    url,
  }
}

/** What is paid, how often: fees and a trial once, then the regular payments in runs of one amount. */
function partsOf(
  payments: readonly ScheduledPayment[],
  terms: { kind: string; every: Span; trial?: { length: Span } | null },
  endless: boolean,
) {
  const once = (kind: ScheduledPayment['kind'], type: string, span: Span | null = null) =>
    payments
      .filter((payment) => payment.kind === kind && payment.pay > 0)
      .map(({ pay }) => ({
        pay,
        priceComponentType: `https://schema.org/${type}`,
        ...(span && { billingDuration: lasting(span) }),
      }))
  const regular = payments.filter(({ kind }) => kind === 'regular')
  const runs = runsOf(regular, endless).map((run, index, all) => ({
    pay: run.pay,
    priceComponentType: `https://schema.org/${terms.kind === 'installments' ? 'Installment' : 'Subscription'}`,
    // Each payment is for one such span; so many of them follow each other.
    referenceQuantity: lasting(terms.every),
    billingIncrement: 1,
    ...(run.endless ? {} : { billingDuration: run.dues.length }),
    ...(index > 0 ? { billingStart: all.slice(0, index).reduce((sum, { dues }) => sum + dues.length, 0) } : {}),
  }))
  const trial = terms.trial ? once('trial', 'Subscription', terms.trial.length) : []
  return [...once('setup', 'ActivationFee'), ...once('deposit', 'Downpayment'), ...trial, ...runs]
}

function lasting({ count, unit }: Span) {
  return { '@type': 'QuantitativeValue', value: count, unitCode: UNIT_CODES[unit] }
}
