import { and, asc, between, eq, isNotNull, or, type SQL, sql } from 'drizzle-orm'
import type * as v from 'valibot'
import type { Day } from '../../core/calendar/day.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, ledger, type Movement, orderLines, orders, payments, people, refunds } from '../db/schema/index.ts'
import type { Moved } from '../ledger/sums.ts'
import { inMode, type Services } from '../platform/context.ts'
import { ofBuyers, offersOf } from './finding.ts'
import { type DaySpan, type MoneyFilters, type movementsQuery, PAGE } from './query.ts'

/** Money that moved, as the ledger has it: one movement's part of one line of an order, or a payout. Minor units. */
export interface MovementRow {
  transaction: number
  day: Day
  kind: Movement
  orderId: string | null
  lineId: string | null
  number: number | null
  buyer: string | null
  email: string | null
  course: string | null
  offer: string | null
  /** The adapter’s id, and the card or account in words. */
  paymentMethod: string
  method: string | null
  /** The gateway’s, of what it collected or gave back. */
  reference: string | null
  note: string
  currency: string
  received: number
  fee: number
  givenBack: number
  /** The tax in it: of what was received; below 0 in what was given back. */
  tax: number
  /** What a payout moved to the bank. */
  paidOut: number
}

const isBack = sql`${ledger.kind} in ('refund', 'dispute')`
const isMoney = sql`${ledger.account} ~ '^(assets:|expenses:fees:)'`
const sumOf = (where: SQL, sign: 1 | -1 = 1) =>
  sql<number>`coalesce(${sql.raw(sign === 1 ? '' : '-')}sum(${ledger.amount}) filter (where ${where}), 0)::float8`

const received = sumOf(sql`${isMoney} and not ${isBack} and ${ledger.kind} <> 'payout'`)
const givenBack = sumOf(sql`${isMoney} and ${isBack}`, -1)
const fee = sumOf(sql`${ledger.account} like 'expenses:fees:%'`)
const tax = sumOf(sql`${ledger.account} = 'liabilities:vat'`, -1)
const paidOut = sumOf(sql`${ledger.orderId} is null and ${ledger.account} = 'assets:bank'`)

async function narrowed({ db }: Services, mode: Mode, { from, until }: DaySpan, query: MoneyFilters) {
  const { course, offer, paymentMethod, search } = query
  const offerIds = course ? await offersOf(db, course) : null
  return and(
    eq(ledger.mode, mode),
    between(ledger.day, from, until),
    offerIds ? sql`${ledger.offerId} = any(${sql.param(offerIds)}::uuid[])` : undefined,
    offer ? eq(ledger.offerId, offer) : undefined,
    paymentMethod ? eq(ledger.method, paymentMethod) : undefined,
    search
      ? sql`${ledger.orderId} in (select ${orders.id} from ${orders} where ${await ofBuyers(db, mode, search)})`
      : undefined,
  )
}

/** Movements with all that they are told by, in the order of their days. */
async function read({ db }: Services, where: SQL | undefined, most?: number): Promise<MovementRow[]> {
  // Found first by what they are, and told of by then: in one step PostgreSQL would work out all for a page.
  const grouped = db
    .select({
      transaction: ledger.transaction,
      day: ledger.day,
      kind: ledger.kind,
      orderId: ledger.orderId,
      lineId: ledger.lineId,
      paymentMethod: ledger.method,
      currency: ledger.currency,
      note: ledger.note,
      attemptId: sql<string | null>`(min(${ledger.attemptId}::text))::uuid`.as('moved_attempt'),
      subjectId: sql<string | null>`(min(${ledger.subjectId}::text))::uuid`.as('moved_subject'),
      received: received.as('moved_received'),
      fee: fee.as('moved_fee'),
      givenBack: givenBack.as('moved_back'),
      tax: tax.as('moved_tax'),
      paidOut: paidOut.as('moved_out'),
    })
    .from(ledger)
    .where(where)
    .groupBy(
      ledger.day,
      ledger.transaction,
      ledger.lineId,
      ledger.kind,
      ledger.orderId,
      ledger.method,
      ledger.currency,
      ledger.note,
    )
    .orderBy(asc(ledger.day), asc(ledger.transaction), asc(ledger.lineId))
    .$dynamic()
  const page = (most === undefined ? grouped : grouped.limit(most)).as('page')
  return db
    .select({
      transaction: page.transaction,
      day: page.day,
      kind: page.kind,
      orderId: page.orderId,
      lineId: page.lineId,
      number: orders.number,
      buyer: people.name,
      email: people.email,
      course: orderLines.title,
      offer: orderLines.offerName,
      paymentMethod: page.paymentMethod,
      method: attempts.method,
      reference: sql<string | null>`coalesce(${refunds.reference}, ${attempts.reference})`,
      note: page.note,
      currency: page.currency,
      received: page.received,
      fee: page.fee,
      givenBack: page.givenBack,
      tax: page.tax,
      paidOut: page.paidOut,
    })
    .from(page)
    .leftJoin(orders, eq(orders.id, page.orderId))
    .leftJoin(people, eq(people.id, orders.personId))
    .leftJoin(orderLines, eq(orderLines.id, page.lineId))
    .leftJoin(attempts, eq(attempts.id, page.attemptId))
    .leftJoin(refunds, eq(refunds.id, page.subjectId))
    .orderBy(asc(page.day), asc(page.transaction), asc(page.lineId))
}

/** The movements of a span, in the order of their days, a page at a time by the last one seen. */
export async function listMovements(
  base: Services,
  mode: Mode,
  { from, until, after, ...query }: v.InferOutput<typeof movementsQuery>,
): Promise<{ movements: MovementRow[]; next: string | null }> {
  const services = await inMode(base, mode)
  const [day = from, transaction = '0', line = ''] = after?.split('|') ?? []
  const beyond = after
    ? or(
        sql`(${ledger.day}, ${ledger.transaction}) > (${day}::date, ${transaction}::bigint)`,
        line
          ? sql`(${ledger.day}, ${ledger.transaction}) = (${day}::date, ${transaction}::bigint) and ${ledger.lineId} > ${line}::uuid`
          : undefined,
      )
    : undefined
  const where = and(await narrowed(services, mode, { from: day > from ? day : from, until }, query), beyond)
  const rows = await read(services, where, PAGE + 1)
  const page = rows.slice(0, PAGE)
  const end = page.at(-1)
  const next = rows.length > PAGE && end ? `${end.day}|${end.transaction}|${end.lineId ?? ''}` : null
  return { movements: page, next }
}

/** All movements of a span, in the order of their days. */
export async function movementsBetween(
  base: Services,
  mode: Mode,
  span: DaySpan,
  query: MoneyFilters,
): Promise<MovementRow[]> {
  const services = await inMode(base, mode)
  return read(services, await narrowed(services, mode, span, query))
}

const movedFigures = {
  received,
  receivedTax: sumOf(sql`${ledger.account} = 'liabilities:vat' and not ${isBack}`, -1),
  fees: fee,
  givenBack: sumOf(sql`${ledger.account} like 'assets:%' and ${isBack}`, -1),
  givenBackTax: sumOf(sql`${ledger.account} = 'liabilities:vat' and ${isBack}`),
}
export type MovedOf = Omit<Moved, 'day'>

/** What moved for the buyers that a search finds, by day. */
export async function movedOfBuyers(
  services: Services,
  mode: Mode,
  span: DaySpan,
  query: MoneyFilters,
): Promise<Moved[]> {
  return services.db
    .select({ day: ledger.day, ...movedFigures })
    .from(ledger)
    .where(await narrowed(services, mode, span, query))
    .groupBy(ledger.day)
    .orderBy(asc(ledger.day))
}

/** The same by the offers it moved for; payouts are of none. */
export async function movedByOfferOfBuyers(
  services: Services,
  mode: Mode,
  span: DaySpan,
  query: MoneyFilters,
): Promise<(MovedOf & { offerId: string })[]> {
  return services.db
    .select({ offerId: sql<string>`${ledger.offerId}`, ...movedFigures })
    .from(ledger)
    .where(and(await narrowed(services, mode, span, query), isNotNull(ledger.offerId)))
    .groupBy(ledger.offerId)
}

/** What each movement moved for a line of some offers, and the refund, dispute or transfer that it is of. */
export async function movedByLine(
  services: Services,
  mode: Mode,
  span: DaySpan,
  { offers: offerIds, ...query }: MoneyFilters & { offers: string[] },
): Promise<(MovedOf & { lineId: string; subjectId: string | null; n: number | null })[]> {
  return services.db
    .select({
      lineId: sql<string>`${ledger.lineId}`,
      subjectId: ledger.subjectId,
      /** The number of the payment that it is of. */
      n: payments.n,
      ...movedFigures,
    })
    .from(ledger)
    .leftJoin(payments, eq(payments.id, ledger.paymentId))
    .where(
      and(
        await narrowed(services, mode, span, query),
        sql`${ledger.offerId} = any(${sql.param(offerIds)}::uuid[])`,
        isNotNull(ledger.lineId),
      ),
    )
    .groupBy(ledger.transaction, ledger.lineId, ledger.subjectId, payments.n)
    .orderBy(asc(ledger.transaction))
}
