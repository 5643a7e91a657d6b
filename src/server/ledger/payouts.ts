import { and, desc, eq, isNull, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { isDay } from '../../core/calendar/day.ts'
import { atGateway, BANK, salesOf } from '../../core/ledger/accounts.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { catalogue, ledger, products } from '../db/schema/index.ts'
import { amountSchema } from '../http/numbers.ts'
import { fieldProblem, notFound } from '../http/problem.ts'
import { inMode, type Services } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { type Balance, balancesOf } from './sums.ts'
import { write } from './write.ts'

export const payoutSchema = v.object({
  paymentMethod: v.pipe(v.string(), v.regex(/^[a-z0-9-]{1,40}$/, 'Choose the gateway that paid out.')),
  amount: amountSchema(1, 'Write an amount.', 'Write how much reached the bank.'),
  day: v.pipe(v.string(), v.check(isDay, 'This date does not exist.')),
  note: v.pipe(v.string(), v.trim(), v.maxLength(300, 'Use at most 300 characters.')),
})

/** What every account of a mode holds, and the newest payouts that stand. */
export async function accountsOf({ db }: Services, mode: Mode) {
  const amount = sql<number>`sum(${ledger.amount})::float8`
  const [balances, payouts] = await Promise.all([
    balancesOf(db, mode),
    db
      .select({
        id: sql<string>`${ledger.subjectId}`,
        day: sql<string>`min(${ledger.day})::text`,
        paymentMethod: ledger.method,
        amount,
        currency: ledger.currency,
        note: sql<string>`max(${ledger.note}) filter (where ${ledger.kind} = 'payout')`,
      })
      .from(ledger)
      .where(and(eq(ledger.mode, mode), isNull(ledger.orderId), eq(ledger.account, BANK)))
      .groupBy(ledger.subjectId, ledger.method, ledger.currency)
      .having(sql`sum(${ledger.amount}) <> 0`)
      .orderBy(desc(sql`min(${ledger.day})`), desc(sql`min(${ledger.id})`))
      .limit(50),
  ])
  return { balances, payouts, products: await titlesOf(db, balances) }
}

/** What the products that were sold are called today, by their names in the books. */
async function titlesOf(db: Queryable, balances: readonly Balance[]): Promise<Record<string, string>> {
  const title = sql<string>`coalesce(${catalogue.live}, ${catalogue.draft}) ->> 'title'`
  const rows = await db
    .select({ name: products.bookName, title })
    .from(products)
    .innerJoin(catalogue, eq(catalogue.id, products.id))
  const sold = new Set(balances.map(({ account }) => account))
  return Object.fromEntries(rows.flatMap(({ name, title: is }) => (sold.has(salesOf(name)) ? [[name, is]] : [])))
}

/**
 * Writes down that a gateway paid money out to the school's bank, as the bank statement says it.
 * @throws Problem at `/day` where it lies ahead, at `/amount` where the gateway holds less.
 */
export async function enterPayout(
  base: Services,
  mode: Mode,
  { paymentMethod, amount, day, note }: v.InferOutput<typeof payoutSchema>,
): Promise<void> {
  await onceInTransaction(base, async (within) => {
    const services = await inMode(within, mode)
    const { db: tx } = services
    // One payout at a time, so that two do not take the same money.
    await tx.execute(sql`select pg_advisory_xact_lock(hashtext('payouts'))`)
    if (day > (await schoolDay(services))) throw fieldProblem('/day', 'This day is in the future.')
    const school = await getSchool(tx)
    const { currency } = school
    const held = (await balancesOf(tx, mode)).find(
      (balance) => balance.account === atGateway(paymentMethod) && balance.currency === currency,
    )
    if ((held?.amount ?? 0) < amount) {
      const there = formatMoney(Math.max(0, held?.amount ?? 0), school)
      throw fieldProblem('/amount', `The books say that ${there} is there. Did other money come with it?`)
    }
    const subjectId = crypto.randomUUID()
    const rows = [
      { account: BANK, amount, subjectId },
      { account: atGateway(paymentMethod), amount: -amount, subjectId },
    ]
    const entry = {
      mode,
      day,
      at: services.now(),
      kind: 'payout',
      currency,
      method: paymentMethod,
      note,
      rows,
    } as const
    await write(tx, [{ ...entry, orderId: null, attemptId: null }])
  })
}

/** Takes a payout back that was entered by mistake: it stays in the ledger, and a correction of today undoes it. */
export async function takePayoutBack(base: Services, mode: Mode, id: string): Promise<void> {
  await onceInTransaction(base, async (within) => {
    const services = await inMode(within, mode)
    const { db: tx } = services
    await tx.execute(sql`select pg_advisory_xact_lock(hashtext('payouts'))`)
    const of = and(eq(ledger.mode, mode), eq(ledger.subjectId, id), isNull(ledger.orderId))
    const rows = await tx
      .select({
        account: ledger.account,
        method: ledger.method,
        currency: ledger.currency,
        amount: sql<number>`sum(${ledger.amount})::float8`,
      })
      .from(ledger)
      .where(of)
      .groupBy(ledger.account, ledger.method, ledger.currency)
      .having(sql`sum(${ledger.amount}) <> 0`)
    const [first] = rows
    if (!first) throw notFound('payout')
    const { method, currency } = first
    const day = await schoolDay(services)
    const entry = { mode, day, at: services.now(), kind: 'correction', currency, method } as const
    const undone = rows.map(({ account, amount }) => ({ account, amount: -amount, subjectId: id }))
    await write(tx, [{ ...entry, orderId: null, attemptId: null, rows: undone }])
  })
}
