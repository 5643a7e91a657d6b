/** The receipt, as a file and in messages. */
export const RECEIPT = {
  title: 'Receipt {number}',
  ordered: 'Ordered on {day}',
  bought: '{course}, {offer}',
  code: 'Code {code}: {says}',
  head: { day: 'Received on', what: 'What for', amount: 'Amount' },
  by: '{what}, {method}',
  of: '{course}: {what}',
  payment: 'Payment',
  paymentOf: 'Payment {n} of {all}',
  paymentNumber: 'Payment {n}',
  refund: 'Refund',
  twice: '{what}, paid twice',
  sum: 'In all',
  vat: 'VAT {rate}, inside',
  byYear: 'By year',
} as const
