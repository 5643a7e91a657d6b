import { and, asc, eq, gte, lte, sql } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import { currencyDigits } from '../../core/money/currency.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { ledger, type Movement, orderLines, orders } from '../db/schema/index.ts'

/** What a movement is called in the journal. */
const WORDS: Record<Movement, string> = {
  payment: 'Payment',
  transfer: 'Transfer received',
  completion: 'Transfer complete',
  surplus: 'More than was owed',
  refund: 'Refund',
  dispute: 'Dispute lost',
  correction: 'Correction',
  payout: 'Payout',
}

/** What would end a comment, or begin something else, is taken out of a text. */
const plain = (text: string) => text.replace(/[\p{Cc}\u2028\u2029]+/gu, ' ').trim()
/** In a comment, `name:` begins a tag, and what stands in square brackets is a date or an error. */
const comment = (text: string) => plain(text).replace(/:/g, ' ').replaceAll('[', '(').replaceAll(']', ')')

/** "-12.50 EUR": a point before the decimals, no separators. */
function journalAmount(amount: number, currency: string): string {
  const digits = currencyDigits(currency)
  const [sign, whole] = [amount < 0 ? '-' : '', String(Math.abs(amount)).padStart(digits + 1, '0')]
  const figures = digits === 0 ? whole : `${whole.slice(0, -digits)}.${whole.slice(-digits)}`
  return `${sign}${figures} ${currency}`
}

/**
 * The ledger of a mode as a plain-text journal, from a day to another (both included, both optional), in the order of its
 * days: a line at a time. Orders stand in comments by number and title, postings name line and payment.
 */
export async function* journalOf(
  db: Queryable,
  mode: Mode,
  { from, to }: { from?: Day | undefined; to?: Day | undefined },
): AsyncGenerator<string> {
  const within = and(
    eq(ledger.mode, mode),
    from ? gte(ledger.day, from) : undefined,
    to ? lte(ledger.day, to) : undefined,
  )
  const accounts = await db
    .selectDistinct({ account: ledger.account })
    .from(ledger)
    .where(within)
    .orderBy(asc(ledger.account))
  const currencies = await db.selectDistinct({ currency: ledger.currency }).from(ledger).where(within)
  yield `; Young Acorn, ${mode}${from ? `, from ${from}` : ''}${to ? `, to ${to}` : ''}`
  // In plain-text accounting the point that separates decimals is named by an example.
  for (const { currency } of currencies) yield `commodity 1000.${'0'.repeat(currencyDigits(currency))} ${currency}`
  for (const { account } of accounts) yield `account ${account}`
  let last: number | null = null
  for (let after: Place | null = null; ; ) {
    const rows = await pageOf(db, within, after)
    for (const row of rows) {
      if (row.transaction !== last) {
        yield ''
        yield headOf(row)
        last = row.transaction
      }
      yield `    ${row.account}  ${journalAmount(row.amount, row.currency)}${tagsOf(row)}`
    }
    const end = rows.at(-1)
    if (rows.length < PAGE || !end) return
    after = end
  }
}

const PAGE = 2_000
type Row = Awaited<ReturnType<typeof pageOf>>[number]

type Place = { day: Day; transaction: number; id: number }

/** Postings in the order of their days, those of a transaction together: their ids alone may mix with those of others. */
async function pageOf(db: Queryable, within: ReturnType<typeof and>, after: Place | null) {
  return db
    .select({
      id: ledger.id,
      transaction: ledger.transaction,
      day: ledger.day,
      kind: ledger.kind,
      account: ledger.account,
      amount: ledger.amount,
      currency: ledger.currency,
      note: ledger.note,
      lineId: ledger.lineId,
      paymentId: ledger.paymentId,
      number: orders.number,
      title: orderLines.title,
    })
    .from(ledger)
    .leftJoin(orders, eq(orders.id, ledger.orderId))
    .leftJoin(orderLines, eq(orderLines.id, ledger.lineId))
    .where(
      and(
        within,
        after
          ? sql`(${ledger.day}, ${ledger.transaction}, ${ledger.id}) > (${after.day}::date, ${after.transaction}, ${after.id})`
          : undefined,
      ),
    )
    .orderBy(asc(ledger.day), asc(ledger.transaction), asc(ledger.id))
    .limit(PAGE)
}

function headOf({ day, kind, number, note, transaction }: Row): string {
  const about = number === null ? '' : `, order ${number}`
  return `${day} (${transaction}) ${WORDS[kind]}${about}${note ? `  ; ${comment(note)}` : ''}`
}

function tagsOf({ lineId, paymentId, title }: Row): string {
  if (!lineId) return ''
  return `  ; ${comment(title ?? '')}, line:${lineId}${paymentId ? `, payment:${paymentId}` : ''}`
}
