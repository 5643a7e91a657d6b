import ical, { ICalEventBusyStatus, ICalEventTransparency } from 'ical-generator'
import Papa from 'papaparse'
import { addDays } from '../../core/calendar/day.ts'
import { dayIn } from '../../core/calendar/instant.ts'
import { currencyDigits } from '../../core/money/currency.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { MoneyRow } from './service.ts'

/** What a spreadsheet would run as a formula stays text; a number, below zero too, stays a number. */
export const FORMULA = /^(?!-?\d+(\.\d+)?$)[=+\-@\t\r]/

/**
 * Payments as CSV (RFC 4180): amounts with a point and the currency's decimals, days as ISO 8601 in the school's
 * zone, as a bank statement has them, and the gateway's reference, by which a payout is told.
 */
export function moneyCsv(rows: readonly MoneyRow[], timeZone: string): string {
  const dayOf = (date: Date) => dayIn(timeZone, { seconds: Math.floor(date.getTime() / 1000), fraction: '' })
  return Papa.unparse(
    {
      fields: [
        'order',
        'due',
        'buyer',
        'email',
        'course',
        'offer',
        'payment',
        'of',
        'kind',
        'currency',
        'expected',
        'received',
        'tax',
        'fee',
        'given back',
        'net',
        'state',
        'days late',
        'received on',
        'given back on',
        'way',
        'method',
        'reference',
      ],
      data: rows.map((row) => {
        const digits = currencyDigits(row.currency)
        const plain = (amount: number) => (amount / 10 ** digits).toFixed(digits)
        const received = row.standing === 'received' ? row.pay : 0
        return [
          row.number,
          row.due,
          row.buyer,
          row.email,
          row.course,
          row.offer,
          row.n || '',
          row.of ?? '',
          row.kind,
          row.currency,
          plain(row.pay),
          plain(received),
          plain(row.standing === 'received' ? row.tax : 0),
          plain(row.fee),
          plain(row.refunded),
          plain(received - row.fee - row.refunded),
          row.standing,
          row.daysLate || '',
          row.collectedAt ? dayOf(row.collectedAt) : '',
          row.refunded > 0 ? (row.refundedOn ?? '') : '',
          row.way ?? '',
          row.method ?? '',
          row.reference ?? '',
        ]
      }),
    },
    { newline: '\r\n', escapeFormulae: FORMULA },
  )
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
