import { and, eq, inArray, isNotNull, isNull, sql } from 'drizzle-orm'
import { atGateway, BANK, PREPAID } from '../../core/ledger/accounts.ts'
import {
  type BookedPayment,
  type CollectedPayment,
  collected,
  givenBack,
  type Posting,
  partReceived,
  surplusReceived,
} from '../../core/ledger/postings.ts'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import type { Transaction } from '../db/client.ts'
import {
  attempts,
  chargedAgain,
  connections,
  ledger,
  orderLines,
  type orders,
  payments,
  products,
  refunds,
  transfers,
} from '../db/schema/index.ts'
import type { Within } from '../platform/context.ts'
import { schoolDay } from '../school/service.ts'
import { type Entry, type Row, write } from './write.ts'

/** Each movement of money is written down here, by whoever makes it true, in the same transaction. */

type Order = Pick<typeof orders.$inferSelect, 'id' | 'mode' | 'currency'>
type Attempt = Pick<
  typeof attempts.$inferSelect,
  'id' | 'connectionId' | 'agreementId' | 'fromN' | 'toN' | 'replacesId'
>
type Refund = typeof refunds.$inferSelect
type Transfer = typeof transfers.$inferSelect

const named = {
  paymentId: payments.id,
  lineId: payments.lineId,
  offerId: payments.offerId,
  product: products.bookName,
  pay: payments.pay,
  tax: payments.tax,
  fee: payments.fee,
}

function paymentsBy(tx: Transaction) {
  return tx
    .select({ ...named, attemptId: payments.attemptId, method: connections.adapter })
    .from(payments)
    .innerJoin(orderLines, eq(orderLines.id, payments.lineId))
    .innerJoin(products, eq(products.id, orderLines.productId))
    .innerJoin(attempts, eq(attempts.id, payments.attemptId))
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
}

/** The payments that an attempt is meant to collect, whether it did or not, and its payment method. */
async function meantBy(tx: Transaction, order: typeof orders.$inferSelect, attempt: Attempt) {
  const { agreementId, fromN, toN, replacesId } = attempt
  const again = tx.select({ id: chargedAgain.lineId }).from(chargedAgain).where(eq(chargedAgain.attemptId, attempt.id))
  const those =
    agreementId === null
      ? and(
          eq(payments.orderId, order.id),
          eq(payments.due, order.quote.purchaseDay),
          replacesId === null ? undefined : inArray(payments.lineId, again),
        )
      : sql`${payments.lineId} = (select g.line_id from agreements g where g.id = ${agreementId})
          and ${payments.n} between ${fromN} and ${toN}`
  const [rows, [paymentMethod]] = await Promise.all([
    tx
      .select(named)
      .from(payments)
      .innerJoin(orderLines, eq(orderLines.id, payments.lineId))
      .innerJoin(products, eq(products.id, orderLines.productId))
      .where(and(those, sql`${payments.pay} > 0`))
      .orderBy(payments.id),
    tx.select({ adapter: connections.adapter }).from(connections).where(eq(connections.id, attempt.connectionId)),
  ])
  return { payments: rows, method: paymentMethod?.adapter ?? '' }
}

const entryOf = (
  { id: orderId, mode, currency }: Order,
  attemptId: string | null,
  at: Date,
  more: Pick<Entry, 'kind' | 'day' | 'method' | 'rows'> & { note?: string },
): Entry => ({ mode, currency, orderId, attemptId, at, ...more })

const withSubject = (rows: readonly Posting[], subjectId: string): Row[] => rows.map((row) => ({ ...row, subjectId }))

/** The marks of a transfer that count for what was asked. */
function marksOf(tx: Transaction, attemptId: string) {
  return tx
    .select()
    .from(transfers)
    .where(and(eq(transfers.attemptId, attemptId), isNull(transfers.takenBackAt), eq(transfers.isSurplus, false)))
}

/** What an attempt has collected for an order: its payments with their parts of the fee, by which payment method. */
export interface BookedOrder {
  order: Order
  attemptId: string
  method: string
  paid: readonly CollectedPayment[]
}

/** Writes down what attempts have collected for orders, with one statement for all that came by gateways. */
export async function bookCollected(services: Within, all: readonly BookedOrder[]): Promise<void> {
  if (all.length === 0) return
  const day = await schoolDay(services)
  const entries: Entry[] = []
  for (const { order, attemptId, method, paid } of all) {
    const more =
      method === BANK_TRANSFER_ID
        ? await byTransfer(services.db, attemptId, paid, day)
        : { kind: 'payment' as const, day, rows: collected(paid, { into: atGateway(method), method }) }
    entries.push(entryOf(order, attemptId, services.now(), { ...more, method }))
  }
  await write(services.db, entries)
}

/** What a bank transfer brought on the day on which it came, or the last of its parts. */
async function byTransfer(tx: Transaction, attemptId: string, paid: readonly CollectedPayment[], today: string) {
  const method = BANK_TRANSFER_ID
  const marks = await marksOf(tx, attemptId)
  const [only] = marks
  const lastDay = marks
    .map((mark) => mark.day)
    .sort()
    .at(-1)
  const isWhole = marks.length === 1 && only !== undefined
  const rows = collected(paid, { into: isWhole ? BANK : PREPAID, method })
  const subject = isWhole ? only.id : attemptId
  const kind = isWhole ? ('transfer' as const) : ('completion' as const)
  return { kind, day: lastDay ?? today, rows: withSubject(rows, subject) }
}

/** A later payment that was collected: of which line, and its payments with their parts of the fee. */
export interface BookedLater {
  order: Order
  attempt: Pick<Attempt, 'id' | 'connectionId'>
  line: { id: string; offerId: string; product: string }
  paid: readonly { id: string; pay: number; tax: number; fee: number }[]
}

/** Writes down what gateways collected of agreements, with as many statements for many as for one. */
export async function bookLater(services: Within, all: readonly BookedLater[]): Promise<void> {
  const { db: tx } = services
  const ids = [...new Set(all.map(({ attempt }) => attempt.connectionId))]
  const [paymentMethods, day] = await Promise.all([
    tx
      .select({ id: connections.id, adapter: connections.adapter })
      .from(connections)
      .where(inArray(connections.id, ids)),
    schoolDay(services),
  ])
  const at = services.now()
  await write(
    tx,
    all.map(({ order, attempt, line, paid }) => {
      const method = paymentMethods.find(({ id }) => id === attempt.connectionId)?.adapter ?? ''
      const booked = paid.map(({ id, pay, tax, fee }) => {
        const { id: lineId, offerId, product } = line
        return { paymentId: id, lineId, offerId, product, pay, tax, fee, as: 'sale' as const }
      })
      const rows = collected(booked, { into: atGateway(method), method })
      return entryOf(order, attempt.id, at, { kind: 'payment', day, method, rows })
    }),
  )
}

/** Writes down a part of a transfer whose order still waits, or is completed by it. */
export async function bookPart(
  services: Within,
  order: typeof orders.$inferSelect,
  attempt: Attempt,
  { id, amount, day, note }: Transfer,
): Promise<void> {
  const { db: tx } = services
  const { payments: asked, method } = await meantBy(tx, order, attempt)
  const before = await sumsBy(tx, asked, PREPAID)
  const rows = partReceived(
    asked.map((payment) => ({ ...payment, missing: payment.pay + (before.get(payment.paymentId) ?? 0) })),
    amount,
  )
  const entry = { kind: 'transfer', day, method, note, rows: withSubject(rows, id) } as const
  await write(tx, [entryOf(order, attempt.id, services.now(), entry)])
}

/** What an account holds of payments. */
async function sumsBy(tx: Transaction, of: readonly BookedPayment[], account: string): Promise<Map<string, number>> {
  const ids = of.map(({ paymentId }) => paymentId)
  const rows = await tx
    .select({ paymentId: ledger.paymentId, sum: sql<number>`sum(${ledger.amount})::float8` })
    .from(ledger)
    .where(and(inArray(ledger.paymentId, ids), eq(ledger.account, account)))
    .groupBy(ledger.paymentId)
  return new Map(rows.map(({ paymentId, sum }) => [paymentId as string, sum]))
}

/**
 * Writes down money that came for an attempt beyond what it could collect. `kind` payment: it was charged again for lines
 * that are paid, and is the buyer's until {@link bookGivenBack} takes the payment that it replaces off; their sale and its
 * tax stay where they are.
 */
export async function bookSurplus(
  services: Within,
  order: typeof orders.$inferSelect,
  attempt: Attempt,
  {
    amount,
    fee = 0,
    transfer,
    kind = 'surplus',
  }: { amount: number; fee?: number; transfer?: Transfer; kind?: 'surplus' | 'payment' },
): Promise<void> {
  const { db: tx } = services
  const { payments: asked, method } = await meantBy(tx, order, attempt)
  const into = transfer ? BANK : atGateway(method)
  const rows = surplusReceived(asked, amount, { into, method, fee })
  const day = transfer?.day ?? (await schoolDay(services))
  const note = transfer?.note ?? ''
  const entry = { kind, day, method, note, rows: transfer ? withSubject(rows, transfer.id) : rows }
  await write(tx, [entryOf(order, attempt.id, services.now(), entry)])
}

/** Writes down that a surplus was given back at the bank. */
export async function bookSurplusBack(services: Within, order: Order, transfer: Transfer, day: string): Promise<void> {
  const rows = await netOf(services.db, [transfer.id])
  const [first] = rows
  if (!first) return
  const entry = { kind: 'refund', day, method: first.method, rows: rows.map(opposite) } as const
  await write(services.db, [entryOf(order, transfer.attemptId, services.now(), entry)])
}

/** Writes down that marks of a transfer were wrong: all that stands for these subjects is undone, on this day. */
export async function bookCorrection(
  services: Within,
  order: Order,
  attemptId: string,
  subjects: readonly string[],
  note: string,
): Promise<void> {
  const rows = await netOf(services.db, subjects)
  const [first] = rows
  if (!first) return
  const day = await schoolDay(services)
  const entry = { kind: 'correction', day, method: first.method, note, rows: rows.map(opposite) } as const
  await write(services.db, [entryOf(order, attemptId, services.now(), entry)])
}

/** What stands in the ledger for some subjects, all their movements together. */
async function netOf(tx: Transaction, subjects: readonly string[]) {
  const { account, method, lineId, paymentId, offerId, subjectId } = ledger
  const by = { account, method, lineId, paymentId, offerId, subjectId }
  const rows = await tx
    .select({ ...by, amount: sql<number>`sum(${ledger.amount})::float8` })
    .from(ledger)
    .where(inArray(ledger.subjectId, [...subjects]))
    .groupBy(...Object.values(by))
    .having(sql`sum(${ledger.amount}) <> 0`)
  return rows as (Required<Row> & { method: string })[]
}

function opposite({ account, amount, lineId, paymentId, offerId, subjectId }: Required<Row>): Row {
  return { account, amount: -amount, lineId, paymentId, offerId, subjectId }
}

/**
 * Writes down money that was given back, or lost in a dispute: the rows of one call, each of a line.
 * @param again what went back with it of lines that were charged again before.
 */
export async function bookGivenBack(
  services: Within,
  order: Order,
  given: readonly Pick<Refund, 'id' | 'attemptId' | 'lineId' | 'amount' | 'isOutside' | 'day' | 'note'>[],
  kind: 'refund' | 'dispute',
  again: readonly { lineId: string; amount: number }[] = [],
): Promise<void> {
  const { db: tx } = services
  const [first] = given
  if (!first) return
  const { attemptId, day, note } = first
  const paid = await paymentsBy(tx)
    .where(and(eq(payments.attemptId, attemptId), sql`${payments.pay} > 0`))
    .orderBy(payments.id)
  const [before, taxLeft, twice] = await Promise.all([
    givenOf(tx, attemptId),
    taxLeftOf(tx, paid),
    paidTwiceIn(tx, order.id),
  ])
  const method = paid[0]?.method ?? ''
  const at = services.now()
  const isAtBank = (isOutside: boolean) => isOutside || method === BANK_TRANSFER_ID
  const as = kind === 'dispute' ? 'dispute' : 'sale'
  const leftOf = (lineId: string) =>
    paid
      .filter((payment) => payment.lineId === lineId)
      .map((payment) => ({
        ...payment,
        left: Math.max(0, payment.pay - (before.get(payment.paymentId) ?? 0)),
        taxLeft: taxLeft.get(payment.paymentId) ?? 0,
      }))
  const rows: Row[] = given.flatMap(({ id, lineId, amount, isOutside }) =>
    withSubject(
      givenBack(leftOf(lineId), amount, {
        from: isAtBank(isOutside) ? BANK : atGateway(method),
        as: twice.has(lineId) ? 'overpaid' : as,
      }),
      id,
    ),
  )
  for (const { lineId, amount } of again) {
    rows.push(...givenBack(leftOf(lineId), amount, { from: atGateway(method), as: 'overpaid' }))
  }
  await write(tx, [entryOf(order, attemptId, at, { kind, day, method, note, rows })])
}

/** The lines of an order whose money was not owed: another order had opened their courses. */
async function paidTwiceIn(tx: Transaction, orderId: string): Promise<Set<string>> {
  const rows = await tx
    .select({ id: orderLines.id })
    .from(orderLines)
    .where(and(eq(orderLines.orderId, orderId), isNotNull(orderLines.duplicateOf)))
  return new Set(rows.map(({ id }) => id))
}

/** What was given back of the payments of an attempt so far, or lost. */
async function givenOf(tx: Transaction, attemptId: string): Promise<Map<string, number>> {
  const rows = await tx
    .select({ paymentId: ledger.paymentId, sum: sql<number>`-sum(${ledger.amount})::float8` })
    .from(ledger)
    .innerJoin(refunds, eq(refunds.id, ledger.subjectId))
    .where(and(eq(refunds.attemptId, attemptId), sql`${ledger.account} like 'assets:%'`))
    .groupBy(ledger.paymentId)
  return new Map(rows.map(({ paymentId, sum }) => [paymentId as string, sum]))
}

async function taxLeftOf(tx: Transaction, of: readonly BookedPayment[]): Promise<Map<string, number>> {
  const owed = await sumsBy(tx, of, 'liabilities:vat')
  return new Map([...owed].map(([id, sum]) => [id, -sum]))
}
