import { isTimeZone } from '../calendar/instant.ts'
import {
  below,
  fail,
  isGiven,
  readArray,
  readChoice,
  readFlag,
  readObject,
  readOptionalWhole,
  readText,
  readWhole,
  refuseFields,
} from '../document/reader.ts'
import { isCurrency } from '../money/currency.ts'
import {
  readAccess,
  readAmount,
  readInstant,
  readOptionalInstant,
  readRate,
  readTax,
  readTerms,
} from '../terms/read.ts'
import type { Terms } from '../terms/terms.ts'
import { codeKey } from './codes.ts'
import type { Coupon, QuotedOffer, QuoteLine, QuoteRequest, Role, Sale } from './types.ts'

const REQUEST_FIELDS = new Set(['currency', 'timeZone', 'at', 'tax', 'horizon', 'buyer', 'lines', 'coupons', 'codes'])
const BUYER_FIELDS = new Set(['purchases'])
const LINE_FIELDS = new Set(['role', 'chosen', 'offer'])
const OFFER_FIELDS = new Set(['id', 'courses', 'terms', 'sale', 'taxRate', 'access'])
const COURSE_FIELDS = new Set(['id', 'weight'])
const SALE_FIELDS = new Set(['amount', 'from', 'until', 'scope'])
const COUPON_FIELDS = new Set([
  'code',
  'kind',
  'rate',
  'amount',
  'payments',
  'offers',
  'roles',
  'skipsSale',
  'minimum',
  'startsAt',
  'endsAt',
  'limit',
  'used',
  'limitPerBuyer',
  'usedByBuyer',
  'firstPurchaseOnly',
  'combines',
  'currency',
])
const ROLES: readonly Role[] = ['main', 'bump', 'upsell']
const CODE = /^[A-Za-z0-9_-]{1,40}$/

/**
 * Reads the quote command's input (pricing rules, section 10), field by field.
 * @param at pointer of the document itself, where it stands inside another.
 * @throws DocumentError with the pointer of the field at fault.
 */
export function readQuoteRequest(document: unknown, at = ''): QuoteRequest {
  const fields = readObject(document, at, REQUEST_FIELDS)
  const currency = readCurrency(fields.currency, below(at, 'currency'))
  const timeZone = readText(fields.timeZone, below(at, 'timeZone'))
  if (!isTimeZone(timeZone)) fail(below(at, 'timeZone'), 'must be an IANA time zone, like Europe/Vienna')
  return {
    currency,
    timeZone,
    at: readInstant(fields.at, below(at, 'at')),
    tax: readTax(fields.tax, below(at, 'tax')),
    horizon: readWhole(fields.horizon, below(at, 'horizon'), 1, 120, 12),
    buyer: readBuyer(fields.buyer, below(at, 'buyer')),
    lines: readLines(fields.lines, below(at, 'lines')),
    coupons: readCoupons(fields.coupons, below(at, 'coupons')),
    codes: readArray(fields.codes, below(at, 'codes'), 0, 20).map((code, index) =>
      readText(code, below(below(at, 'codes'), index)),
    ),
  }
}

function readCurrency(value: unknown, at: string): string {
  const code = readText(value, at)
  if (!isCurrency(code)) fail(at, 'must be an ISO 4217 currency, like EUR')
  return code
}

function readBuyer(value: unknown, at: string) {
  if (!isGiven(value)) return { purchases: 0 }
  const fields = readObject(value, at, BUYER_FIELDS)
  return { purchases: readWhole(fields.purchases, below(at, 'purchases'), 0, Number.MAX_SAFE_INTEGER) }
}

function readLines(value: unknown, at: string): QuoteLine[] {
  const seen = new Set<string>()
  return readArray(value, at, 1, 50).map((item, index) => {
    const line = readLine(item, below(at, index))
    if (seen.has(line.offer.id)) fail(`${at}/${index}/offer/id`, 'stands in the basket already')
    seen.add(line.offer.id)
    return line
  })
}

function readLine(value: unknown, at: string): QuoteLine {
  const fields = readObject(value, at, LINE_FIELDS)
  const role = readChoice(fields.role, below(at, 'role'), ROLES)
  const offer = readOffer(fields.offer, below(at, 'offer'))
  return { role, chosen: readChosen(fields.chosen, below(at, 'chosen'), offer.terms), offer }
}

function readChosen(value: unknown, at: string, terms: Terms): number | null {
  if (!isGiven(value)) return null
  if (terms.kind !== 'openPrice') fail(at, 'is for name-your-price terms')
  return readAmount(value, at, terms.minimum)
}

function readOffer(value: unknown, at: string): QuotedOffer {
  const fields = readObject(value, at, OFFER_FIELDS)
  const terms = readTerms(fields.terms, below(at, 'terms'))
  return {
    id: readId(fields.id, below(at, 'id')),
    courses: readCourses(fields.courses, below(at, 'courses')),
    terms,
    sale: readSale(fields.sale, below(at, 'sale'), terms),
    taxRate: isGiven(fields.taxRate) ? readRate(fields.taxRate, below(at, 'taxRate')) : null,
    access: readAccess(fields.access, below(at, 'access'), terms),
  }
}

function readId(value: unknown, at: string): string {
  const id = readText(value, at)
  if (id === '') fail(at, 'must not be empty')
  return id
}

function readCourses(value: unknown, at: string) {
  const seen = new Set<string>()
  return readArray(value, at, 1, 200).map((item, index) => {
    const fields = readObject(item, below(at, index), COURSE_FIELDS)
    const id = readId(fields.id, `${at}/${index}/id`)
    if (seen.has(id)) fail(`${at}/${index}/id`, 'stands in the offer already')
    seen.add(id)
    return { id, weight: isGiven(fields.weight) ? readAmount(fields.weight, `${at}/${index}/weight`) : 1 }
  })
}

/** A sale price must be lower than what it replaces, also while it is not in force (section 4). */
function readSale(value: unknown, at: string, terms: Terms): Sale | null {
  if (!isGiven(value)) return null
  if (terms.kind === 'free' || terms.kind === 'openPrice') fail(at, `${terms.kind} terms take no sale price`)
  const fields = readObject(value, at, SALE_FIELDS)
  const scope = readChoice(fields.scope, below(at, 'scope'), ['every', 'first'])
  const total = terms.kind === 'installments' ? terms.total : null
  if (total !== null && scope === 'first') fail(below(at, 'scope'), 'first cannot stand beside a total')
  const amountAt = below(at, 'amount')
  const least = total !== null && terms.kind === 'installments' ? terms.count : 1
  const amount = readAmount(fields.amount, amountAt, least)
  if (amount >= (total ?? terms.amount ?? 0)) fail(amountAt, 'must be lower than the amount it replaces')
  return {
    amount,
    from: readOptionalInstant(fields.from, below(at, 'from')),
    until: readOptionalInstant(fields.until, below(at, 'until')),
    scope,
  }
}

function readCoupons(value: unknown, at: string): Coupon[] {
  const seen = new Set<string>()
  return readArray(value, at, 0, Number.MAX_SAFE_INTEGER).map((item, index) => {
    const coupon = readCoupon(item, below(at, index))
    const key = codeKey(coupon.code)
    if (seen.has(key)) fail(`${at}/${index}/code`, 'is the code of another coupon')
    seen.add(key)
    return coupon
  })
}

function readCoupon(value: unknown, at: string): Coupon {
  const fields = readObject(value, at, COUPON_FIELDS)
  const code = readText(fields.code, below(at, 'code'))
  if (!CODE.test(code)) fail(below(at, 'code'), 'must be 1 to 40 of A–Z, a–z, 0–9, - and _')
  const count = Number.MAX_SAFE_INTEGER
  return {
    code,
    reduction: readReduction(fields, at),
    payments: fields.payments === null ? null : readWhole(fields.payments, below(at, 'payments'), 1, count, 1),
    offers: isGiven(fields.offers) ? readIds(fields.offers, below(at, 'offers')) : null,
    roles: isGiven(fields.roles) ? readRoles(fields.roles, below(at, 'roles')) : new Set<Role>(['main']),
    skipsSale: readFlag(fields.skipsSale, below(at, 'skipsSale')),
    minimum: readAmount(fields.minimum, below(at, 'minimum')),
    startsAt: readOptionalInstant(fields.startsAt, below(at, 'startsAt')),
    endsAt: readOptionalInstant(fields.endsAt, below(at, 'endsAt')),
    limit: readOptionalWhole(fields.limit, below(at, 'limit'), 0, count),
    used: readWhole(fields.used, below(at, 'used'), 0, count),
    limitPerBuyer: readOptionalWhole(fields.limitPerBuyer, below(at, 'limitPerBuyer'), 0, count),
    usedByBuyer: readWhole(fields.usedByBuyer, below(at, 'usedByBuyer'), 0, count),
    firstPurchaseOnly: readFlag(fields.firstPurchaseOnly, below(at, 'firstPurchaseOnly')),
    combines: readFlag(fields.combines, below(at, 'combines')),
  }
}

function readReduction(fields: Record<string, unknown>, at: string): Coupon['reduction'] {
  const kind = readChoice(fields.kind, below(at, 'kind'), ['percent', 'fixed'])
  if (kind === 'percent') {
    refuseFields(fields, at, ['amount', 'currency'], 'is not a field of a percent coupon')
    return { kind, rate: readRate(fields.rate, below(at, 'rate'), 1) }
  }
  refuseFields(fields, at, ['rate'], 'is not a field of a fixed coupon')
  return {
    kind,
    amount: readAmount(fields.amount, below(at, 'amount'), 1),
    currency: readCurrency(fields.currency, below(at, 'currency')),
  }
}

function readIds(value: unknown, at: string): Set<string> {
  return new Set(readArray(value, at, 0, Number.MAX_SAFE_INTEGER).map((id, index) => readId(id, below(at, index))))
}

function readRoles(value: unknown, at: string): Set<Role> {
  return new Set(readArray(value, at, 0, 50).map((role, index) => readChoice(role, below(at, index), ROLES)))
}
