import { runNamed, type Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import type { Movement } from '../db/schema/index.ts'

/** One row of the ledger as it is written; minor units, a debit above 0. */
export interface Row {
  account: string
  amount: number
  lineId?: string
  paymentId?: string
  offerId?: string
  /** The transfer, refund or dispute that it is of. */
  subjectId?: string | null
}

/** A movement: one transaction of the ledger. */
export interface Entry {
  mode: Mode
  /** The school's day on which it became true. */
  day: string
  at: Date
  kind: Movement
  currency: string
  /** The payment method by which the money came or went: an adapter's id. */
  method: string
  orderId: string | null
  attemptId: string | null
  note?: string
  rows: readonly Row[]
}

/**
 * Writes movements into the ledger, in the transaction that makes them true. Zero postings are not written.
 * @throws from the database where one does not add up to 0.
 */
export async function write(tx: Transaction, entries: readonly Entry[]): Promise<void> {
  const written = entries.filter(({ rows }) => rows.length > 0)
  if (written.length === 0) return
  const rows = written.flatMap(({ rows: of, at, mode, day, kind, currency, method, orderId, attemptId, note }, entry) =>
    of.map((row) => ({
      entry,
      mode,
      day,
      at: at.toISOString(),
      kind,
      currency,
      method,
      order_id: orderId,
      attempt_id: attemptId,
      note: note ?? '',
      account: row.account,
      amount: row.amount,
      line_id: row.lineId ?? null,
      payment_id: row.paymentId ?? null,
      offer_id: row.offerId ?? null,
      subject_id: row.subjectId ?? null,
    })),
  )
  await runNamed(tx, TEXT, [written.length - 1, JSON.stringify(rows)])
}

/** The same for any number of rows, so that it is planned once. */
const TEXT = `
  with numbered as (
    select entry, nextval('ledger_numbers') as transaction from generate_series(0, $1::int) entry)
  insert into ledger (transaction, mode, day, at, kind, currency, account, amount, method,
    order_id, line_id, payment_id, offer_id, attempt_id, subject_id, note)
  select n.transaction, r.mode, r.day, r.at, r.kind, r.currency, r.account, r.amount, r.method,
    r.order_id, r.line_id, r.payment_id, r.offer_id, r.attempt_id, r.subject_id, r.note
  from jsonb_to_recordset($2::jsonb) as r (entry int, mode text, day date, at timestamptz, kind text,
    currency text, account text, amount bigint, method text, order_id uuid, line_id uuid, payment_id uuid,
    offer_id uuid, attempt_id uuid, subject_id uuid, note text)
  join numbered n using (entry) order by n.transaction`
