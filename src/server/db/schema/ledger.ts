import { sql } from 'drizzle-orm'
import {
  bigint,
  bigserial,
  boolean,
  check,
  date,
  index,
  pgSequence,
  pgTable,
  primaryKey,
  text,
  uuid,
} from 'drizzle-orm/pg-core'
import { amount, MODES, moment } from './columns.ts'
import { orders } from './orders.ts'

/**
 * payment: collected by a gateway · transfer: received at the bank, in whole or in part · completion: parts of a transfer
 * that became a sale · surplus: more than was owed · refund · dispute: lost · correction: what was marked by mistake ·
 * payout: from a gateway to the bank.
 */
export const MOVEMENTS = [
  'payment',
  'transfer',
  'completion',
  'surplus',
  'refund',
  'dispute',
  'correction',
  'payout',
] as const
export type Movement = (typeof MOVEMENTS)[number]

/** Numbers of the ledger's transactions. */
export const ledgerNumbers = pgSequence('ledger_numbers')

const ACCOUNTS =
  '^(assets:(bank|gateway:[a-z0-9-]+)|income:sales:[a-z0-9-]+|liabilities:(vat|prepaid|overpaid)|expenses:(disputes|fees:[a-z0-9-]+))$'

/**
 * The ledger in double entry: each row is what one account gains (a debit, above 0) or loses by a movement; the rows of
 * one `transaction` add up to 0. Rows are only ever added, all of a transaction by one statement: triggers refuse
 * anything else (practice alone can be cleared as a whole). Mode, day and kind are the transaction's.
 */
export const ledger = pgTable(
  'ledger',
  {
    id: bigserial({ mode: 'number' }).primaryKey(),
    transaction: bigint({ mode: 'number' }).notNull(),
    mode: text({ enum: MODES }).notNull(),
    /** The school's day on which it became true. */
    day: date({ mode: 'string' }).notNull(),
    at: moment().notNull(),
    kind: text({ enum: MOVEMENTS }).notNull(),
    currency: text().notNull(),
    account: text().notNull(),
    amount: amount().notNull(),
    /** The payment method by which the money came or went: an adapter's id. */
    method: text().notNull(),
    /** Null for payouts, as are line, payment and offer. */
    orderId: uuid().references(() => orders.id),
    lineId: uuid(),
    paymentId: uuid(),
    offerId: uuid(),
    /** The attempt that collected it, where there is one. */
    attemptId: uuid(),
    /** The transfer, refund or dispute that it is of. */
    subjectId: uuid(),
    /** What someone wrote about it, or the reference of what was paid out. */
    note: text().notNull().default(''),
  },
  (table) => [
    check('ledger_account', sql`${table.account} ~ ${sql.raw(`'${ACCOUNTS}'`)}`),
    check('ledger_amount', sql`${table.amount} <> 0`),
    index('ledger_by_day').on(table.mode, table.day, table.transaction),
    index('ledger_of_offer').on(table.mode, table.offerId, table.day, table.transaction),
    index('ledger_of_transaction').on(table.transaction),
    index('ledger_of_order').on(table.orderId),
    index('ledger_of_payment').on(table.paymentId),
  ],
)

/** What movements of one offer by one way came to on one day, by account. */
const moved = {
  mode: text({ enum: MODES }).notNull(),
  /** The day on which the money moved. */
  day: date({ mode: 'string' }).notNull(),
  /** All zeros for payouts, which are of none. */
  offerId: uuid().notNull(),
  method: text().notNull(),
  account: text().notNull(),
  currency: text().notNull(),
  /** Whether it is of money that was given back or lost. */
  isBack: boolean().notNull(),
  amount: amount().notNull(),
}

/** What movements add to the sums, written by a trigger with each transaction; a worker adds them up. */
export const movedDeltas = pgTable('moved_deltas', { id: bigserial({ mode: 'number' }).primaryKey(), ...moved })

/** The sums as far as they were added up. */
export const movedSums = pgTable('moved_sums', moved, (table) => [
  primaryKey({
    columns: [table.mode, table.day, table.offerId, table.method, table.account, table.currency, table.isBack],
  }),
])
