import ical, { ICalEventBusyStatus, ICalEventTransparency } from 'ical-generator'
import Papa from 'papaparse'
import { addDays } from '../../core/calendar/day.ts'
import { dayIn } from '../../core/calendar/instant.ts'
import { currencyDigits } from '../../core/money/currency.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { MovementRow } from './movements.ts'
import type { MoneyRow } from './rows.ts'

/** What a spreadsheet would run as a formula stays text; a number, below zero too, stays a number. */
const FORMULA = /^(?!-?\d+(\.\d+)?$)[=+\-@\t\r]/

/** Rows as CSV (RFC 4180). */
export const csv = (fields: string[], data: (string | number)[][]) =>
  Papa.unparse({ fields, data }, { newline: '\r\n', escapeFormulae: FORMULA })

/** An amount with a point and the currency's decimals. */
export const plainIn = (currency: string) => {
  const digits = currencyDigits(currency)
  return (amount: number) => (amount / 10 ** digits).toFixed(digits)
}

/**
 * Payments by their due days as CSV (RFC 4180), and how each stands: amounts with a point and the currency's decimals,
 * days as ISO 8601 in the school's zone.
 */
export function paymentsCsv(rows: readonly MoneyRow[], timeZone: string): string {
  const dayOf = (date: Date) => dayIn(timeZone, { seconds: Math.floor(date.getTime() / 1000), fraction: '' })
  const fields = [
    'order',
    'due',
    'buyer',
    'email',
    'course',
    'offer',
    'article number',
    'payment',
    'of',
    'kind',
    'currency',
    'expected',
    'tax',
    'state',
    'days late',
    'paid on',
    'payment method',
    'paid with',
    'reference',
  ]
  const data = rows.map((row) => {
    const plain = plainIn(row.currency)
    return [
      row.number,
      row.due,
      row.buyer,
      row.email,
      row.course,
      row.offer,
      row.sku,
      row.n || '',
      row.of ?? '',
      row.kind,
      row.currency,
      plain(row.pay),
      plain(row.tax),
      row.status,
      row.daysLate || '',
      row.collectedAt ? dayOf(row.collectedAt) : '',
      row.paymentMethod ?? '',
      row.method ?? '',
      row.reference ?? '',
    ]
  })
  return csv(fields, data)
}

/**
 * Money that moved as CSV (RFC 4180), each movement on its own day, as a bank statement has them; with the gateway's
 * reference, by which a payout is told. "net" is what was received, less fees and what was given back.
 */
export function movementsCsv(rows: readonly MovementRow[]): string {
  const fields = [
    'day',
    'movement',
    'transaction',
    'order',
    'buyer',
    'email',
    'course',
    'offer',
    'currency',
    'received',
    'fee',
    'refunded',
    'net',
    'tax',
    'paid out',
    'payment method',
    'paid with',
    'reference',
    'note',
  ]
  const data = rows.map((row) => {
    const plain = plainIn(row.currency)
    return [
      row.day,
      row.kind,
      row.transaction,
      row.number ?? '',
      row.buyer ?? '',
      row.email ?? '',
      row.course ?? '',
      row.offer ?? '',
      row.currency,
      plain(row.received),
      plain(row.fee),
      plain(row.givenBack),
      plain(row.received - row.fee - row.givenBack),
      plain(row.tax),
      plain(row.paidOut),
      row.paymentMethod,
      row.method ?? '',
      row.reference ?? '',
      row.note,
    ]
  })
  return csv(fields, data)
}

/** Payments to come, and those that are tried again, as iCalendar: one all-day entry each, that blocks no time. */
export function moneyCalendar(name: string, rows: readonly MoneyRow[], language: string): string {
  const calendar = ical({ name: `${name}: payments to come`, prodId: { company: 'Young Acorn', product: 'Payments' } })
  for (const row of rows) {
    const which = row.of === null ? `payment ${row.n}` : `${row.n} of ${row.of}`
    calendar.createEvent({
      id: row.id,
      start: row.nextTry ?? row.due,
      end: addDays(row.nextTry ?? row.due, 1),
      allDay: true,
      busystatus: ICalEventBusyStatus.FREE,
      transparency: ICalEventTransparency.TRANSPARENT,
      summary: `${row.nextTry ? 'Tried again: ' : ''}${formatMoney(row.pay, { currency: row.currency, language })}, ${row.buyer}`,
      description: `${row.course}, ${row.offer}, ${which}. Order ${row.number}.`,
    })
  }
  return calendar.toString()
}
