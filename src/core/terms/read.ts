import { type Day, isDay, LONGEST_SPAN, type Span, type SpanUnit } from '../calendar/day.ts'
import { type Instant, parseInstant } from '../calendar/instant.ts'
import {
  below,
  fail,
  isGiven,
  readChoice,
  readObject,
  readOptionalWhole,
  readText,
  readWhole,
  refuseFields,
} from '../document/reader.ts'
import { type Amount, LARGEST_AMOUNT } from '../money/arithmetic.ts'
import type { Access, Tax, Terms, TermsKind, Trial } from './terms.ts'

/** Readers for price terms, access and tax, with the bounds of pricing rules 1, 2, 3, 7 and 8. */

const FIELDS_OF: Record<TermsKind, readonly string[]> = {
  free: [],
  single: ['amount'],
  openPrice: ['minimum', 'suggested'],
  installments: ['count', 'every', 'amount', 'total', 'deposit', 'trial'],
  subscription: ['amount', 'every', 'payments', 'setupFee', 'trial'],
}
const KINDS = Object.keys(FIELDS_OF) as TermsKind[]
const ALL_TERMS_FIELDS = new Set(['kind', ...Object.values(FIELDS_OF).flat()])
const SPAN_FIELDS = new Set(['count', 'unit'])
const TRIAL_FIELDS = new Set(['length', 'amount'])
const ACCESS_FIELDS = new Set(['from', 'lasts', 'graceDays'])
const UNTIL_FIELDS = new Set(['until'])
const TAX_FIELDS = new Set(['mode', 'rate'])
const UNITS = Object.keys(LONGEST_SPAN) as SpanUnit[]

export function readAmount(value: unknown, at: string, least = 0): Amount {
  return readWhole(value, at, least, LARGEST_AMOUNT)
}

export function readRate(value: unknown, at: string, least = 0): number {
  return readWhole(value, at, least, 10_000)
}

export function readTerms(value: unknown, at: string): Terms {
  const fields = readObject(value, at, ALL_TERMS_FIELDS)
  const kind = readChoice(fields.kind, below(at, 'kind'), KINDS)
  const foreign = [...ALL_TERMS_FIELDS].filter((name) => name !== 'kind' && !FIELDS_OF[kind].includes(name))
  refuseFields(fields, at, foreign, `is not a field of ${kind} terms`)
  switch (kind) {
    case 'free':
      return { kind }
    case 'single':
      return { kind, amount: readAmount(fields.amount, below(at, 'amount'), 1) }
    case 'openPrice': {
      const minimum = readAmount(fields.minimum, below(at, 'minimum'))
      return { kind, minimum, suggested: readAmount(fields.suggested, below(at, 'suggested'), minimum) }
    }
    case 'installments':
      return readInstallments(fields, at)
    case 'subscription':
      return {
        kind,
        amount: readAmount(fields.amount, below(at, 'amount'), 1),
        every: readSpan(fields.every, below(at, 'every')),
        payments: readOptionalWhole(fields.payments, below(at, 'payments'), 1, 520),
        setupFee: readAmount(fields.setupFee, below(at, 'setupFee')),
        trial: readTrial(fields.trial, below(at, 'trial')),
      }
  }
}

function readInstallments(fields: Record<string, unknown>, at: string): Terms {
  const count = readWhole(fields.count, below(at, 'count'), 2, 120)
  const every = readSpan(fields.every, below(at, 'every'))
  if (!isGiven(fields.amount) && !isGiven(fields.total)) fail(at, 'needs an amount of each or a total')
  const amount = isGiven(fields.amount) ? readAmount(fields.amount, below(at, 'amount'), 1) : null
  const total = isGiven(fields.total) ? readAmount(fields.total, below(at, 'total'), count) : null
  if (amount !== null && total !== null) fail(below(at, 'total'), 'cannot stand beside an amount of each')
  const deposit = isGiven(fields.deposit) ? readAmount(fields.deposit, below(at, 'deposit'), 1) : null
  const trial = readTrial(fields.trial, below(at, 'trial'))
  if (deposit !== null && trial !== null) fail(below(at, 'trial'), 'cannot stand beside a deposit')
  return { kind: 'installments', count, every, amount, total, deposit, trial }
}

function readTrial(value: unknown, at: string): Trial | null {
  if (!isGiven(value)) return null
  const fields = readObject(value, at, TRIAL_FIELDS)
  return {
    length: readSpan(fields.length, below(at, 'length')),
    amount: readAmount(fields.amount, below(at, 'amount')),
  }
}

function readSpan(value: unknown, at: string): Span {
  const fields = readObject(value, at, SPAN_FIELDS)
  const unit = readChoice(fields.unit, below(at, 'unit'), UNITS)
  return { count: readWhole(fields.count, below(at, 'count'), 1, LONGEST_SPAN[unit]), unit }
}

/**
 * Reads an access rule on its own terms; whether it ends after it opens is known only with the
 * purchase day (see `quote/access.ts`).
 */
export function readAccess(value: unknown, at: string, terms: Terms): Access {
  if (!isGiven(value)) return { from: null, lasts: 'forever', graceDays: 0 }
  const fields = readObject(value, at, ACCESS_FIELDS)
  const from = isGiven(fields.from) ? readDay(fields.from, below(at, 'from')) : null
  const lasts = readLasts(fields.lasts, below(at, 'lasts'))
  if (lasts === 'whilePaying') {
    if (terms.kind !== 'subscription') fail(below(at, 'lasts'), 'whilePaying is for subscriptions')
    if (from !== null) fail(below(at, 'from'), 'cannot stand beside whilePaying')
  }
  return { from, lasts, graceDays: readWhole(fields.graceDays, below(at, 'graceDays'), 0, 90) }
}

function readLasts(value: unknown, at: string): Access['lasts'] {
  if (!isGiven(value)) return 'forever'
  if (typeof value === 'object' && !Array.isArray(value) && 'until' in (value as object)) {
    return { until: readDay(readObject(value, at, UNTIL_FIELDS).until, below(at, 'until')) }
  }
  if (typeof value === 'object' && !Array.isArray(value)) return readSpan(value, at)
  return readChoice(value, at, ['forever', 'whilePaying'])
}

export function readDay(value: unknown, at: string): Day {
  const text = readText(value, at)
  if (!isDay(text)) fail(at, 'must be a date that exists, like 2027-01-31')
  return text
}

export function readInstant(value: unknown, at: string): Instant {
  const instant = parseInstant(readText(value, at))
  if (!instant) fail(at, 'must be an RFC 3339 instant with an offset, of the years 2000 to 2999')
  return instant
}

export function readOptionalInstant(value: unknown, at: string): Instant | null {
  return isGiven(value) ? readInstant(value, at) : null
}

export function readTax(value: unknown, at: string): Tax {
  if (!isGiven(value)) return { mode: 'none', rate: 0 }
  const fields = readObject(value, at, TAX_FIELDS)
  return {
    mode: readChoice(fields.mode, below(at, 'mode'), ['none', 'inclusive', 'exclusive']),
    rate: readRate(fields.rate, below(at, 'rate')),
  }
}
