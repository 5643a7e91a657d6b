import { and, asc, desc, eq, isNull, type SQL } from 'drizzle-orm'
import { isSEPACountry } from 'ibantools'
import { inGroups } from '../../core/bank/reference.ts'
import { transferCode } from '../../core/bank/transferCode.ts'
import type { TransferAccount } from '../../core/bank/transferRows.ts'
import { qrPath } from '../../core/qr/qrPath.ts'
import type { Queryable } from '../db/client.ts'
import { attempts, connections, orderLines, orders, type TransferSettings } from '../db/schema/index.ts'
import type { Order } from '../fulfilment/notes.ts'
import { receivedFor, referenceOf } from '../transfers/transfers.ts'

export interface Awaited {
  amount: number
  /** What has come so far. */
  came: number
  method: string
  transfer: TransferView | null
}

/** All that a buyer needs for a transfer to the school's account. */
export interface TransferView extends TransferAccount {
  instructions: string
  /** A QR code that banking apps scan (EPC069-12), as an SVG path and its side; null where there is none. */
  code: { path: string; side: number } | null
}

/** The payment of an order that is awaited, as its buyer is told of it; null where none is. */
export async function awaitedOf(db: Queryable, order: Order): Promise<Awaited | null> {
  const [row] = await db
    .select({ attempt: attempts, transfer: connections.transfer })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(and(eq(attempts.orderId, order.id), isNull(attempts.agreementId)))
    .orderBy(desc(attempts.startedAt))
    .limit(1)
  if (row?.attempt.state !== 'awaiting') return null
  const { attempt, transfer } = row
  const came = transfer ? await receivedFor(db, attempt.id) : 0
  return {
    amount: attempt.amount,
    came,
    method: attempt.method ?? '',
    transfer: transfer && viewOf(transfer, order, attempt.amount - came),
  }
}

/** An order that waits for its money, as its buyer finds it again. */
export interface WaitingOrder {
  id: string
  number: number
  titles: string[]
  awaited: Awaited
}

/** Orders that wait for their money, the newest first. */
export async function waitingOrdersOf(db: Queryable, which: SQL | undefined): Promise<WaitingOrder[]> {
  const rows = await db
    .select()
    .from(orders)
    .where(and(which, eq(orders.state, 'paying')))
    .orderBy(desc(orders.number))
    .limit(MAX_WAITING)
  const found = await Promise.all(
    rows.map(async (order) => ({ order, awaited: await awaitedOf(db, order), titles: await titlesOf(db, order.id) })),
  )
  return found.flatMap(({ order: { id, number }, awaited, titles }) =>
    awaited ? [{ id, number, titles, awaited }] : [],
  )
}

/** Most of them that are shown; so many nobody waits for. */
const MAX_WAITING = 20

async function titlesOf(db: Queryable, orderId: string): Promise<string[]> {
  const rows = await db
    .select({ title: orderLines.title })
    .from(orderLines)
    .where(eq(orderLines.orderId, orderId))
    .orderBy(asc(orderLines.position))
  return rows.map(({ title }) => title)
}

/** What the QR code of an order's transfer holds; null where there is none: it is for euros to a SEPA account alone. */
export function codeTextOf({ holder, iban, bic }: TransferSettings, order: Order, amount: number): string | null {
  if (order.currency !== 'EUR' || !isSEPACountry(iban.slice(0, 2))) return null
  return transferCode({ holder, iban, bic, amount, reference: referenceOf(order) })
}

/** What the buyer writes: a creditor reference in groups of four, which banks know with an IBAN alone; else the order's number. */
const writtenReference = (iban: string, order: Order) =>
  iban === '' ? String(order.number) : inGroups(referenceOf(order))

function viewOf(transfer: TransferSettings, order: Order, amount: number): TransferView {
  const { instructions, holder, iban, bic, accountNumber = '', bankCode = '', bankCodeName = '', lines = '' } = transfer
  const text = codeTextOf(transfer, order, amount)
  return {
    instructions,
    ...{ holder, iban: inGroups(iban), accountNumber, bankCode, bankCodeName, bic, lines },
    reference: writtenReference(iban, order),
    code: text ? qrPath(text) : null,
  }
}
