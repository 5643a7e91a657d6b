import Papa from 'papaparse'
import { currencyDigits } from '../../core/money/currency.ts'
import { FORMULA } from '../money/files.ts'
import { dayFor } from '../school/service.ts'
import type { ordersFor } from './orders.ts'

/** Orders as CSV (RFC 4180): amounts with a point and the currency's decimals, days as ISO 8601 in the school's zone. */
export function ordersCsv(rows: Awaited<ReturnType<typeof ordersFor>>, timeZone: string): string {
  return Papa.unparse(
    {
      fields: [
        'order',
        'ordered on',
        'buyer',
        'email',
        'course',
        'offer',
        'sold as',
        'follows order',
        'codes',
        'currency',
        'due at order',
        'received',
        'refunded',
        'state',
        'agreement',
        'payments received',
        'payments in all',
        'checkout page',
        'page version',
        'came from',
      ],
      data: rows.map((row) => {
        const digits = currencyDigits(row.currency)
        const plain = (amount: number) => (amount / 10 ** digits).toFixed(digits)
        // Of several things each has an agreement of its own: they stand in the file of payments.
        const agreed = row.lines === 1 ? row.agreement : null
        return [
          row.number,
          dayFor({ timeZone }, row.createdAt),
          row.buyer,
          row.email,
          row.course,
          row.offer,
          row.roles.replaceAll('main', 'item').replaceAll('bump', 'order bump'),
          row.follows ?? '',
          row.codes ?? '',
          row.currency,
          plain(row.payToday),
          plain(row.received),
          plain(row.refunded),
          row.state === 'paid' ? 'paid' : (row.last?.split(' ')[0] ?? 'not paid'),
          agreed?.state ?? '',
          agreed?.collected ?? '',
          agreed?.count ?? '',
          row.page ?? '',
          row.pageVersion ?? '',
          row.cameFrom,
        ]
      }),
    },
    { newline: '\r\n', escapeFormulae: FORMULA },
  )
}
