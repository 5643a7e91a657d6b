import { randomBytes } from 'node:crypto'
import { and, asc, eq, gt, inArray, isNull, sql } from 'drizzle-orm'
import Papa from 'papaparse'
import * as v from 'valibot'
import { type RefusedRow, readCodeList } from '../../core/content/codeList.ts'
import { codeOf } from '../../core/content/codePattern.ts'
import type { CouponContent } from '../../core/content/coupon.ts'
import { codeKey } from '../../core/quote/codes.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { codes, codeUses, coupons, orders, people } from '../db/schema/index.ts'
import { findDrafted } from '../drafts/drafts.ts'
import { fieldProblem, notFound, Problem } from '../http/problem.ts'
import { inTransaction, type Services } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'

/** Most codes of one set. */
const MAX_CODES = 10_000
/** So many are made in one turn of a worker, each a transaction of its own: nothing waits for all of them. */
const A_TURN = 2500

export const makeCodesSchema = v.object({
  count: v.pipe(
    v.number('Write how many.'),
    v.integer('Write a whole number.'),
    v.minValue(1, 'Make at least one.'),
    v.maxValue(MAX_CODES, `Make at most ${MAX_CODES}.`),
  ),
})

/**
 * Asks for single-use codes of a set, beside those it has; a worker makes them, also when nobody looks on.
 * @returns how many are to be made now. @throws Problem 409 where it is no published set, 422 at `/count` beyond 10 000 in all.
 */
export async function askForCodes(services: Services, couponId: string, count: number): Promise<{ toMake: number }> {
  return onceInTransaction(services, async ({ db: tx, jobs }) => {
    await requireSet(tx, couponId)
    const coupon = await holdSet(tx, couponId)
    const before = (await countCodes(tx, couponId)) + coupon.codesToMake
    if (before + count > MAX_CODES) {
      throw fieldProblem('/count', `A set has at most ${MAX_CODES} codes; this one has ${before}.`)
    }
    const toMake = coupon.codesToMake + count
    await tx.update(coupons).set({ codesToMake: toMake }).where(eq(coupons.id, couponId))
    await jobs.send(tx, 'codes-make', { couponId })
    return { toMake }
  })
}

/** The worker's job: makes what was asked for of a set, turn by turn; broken off, another goes on where it stopped. */
export async function makeRequestedCodes(services: Services, couponId: string): Promise<void> {
  while ((await makeTurn(services, couponId)) > 0);
}

/** Makes some of what was asked for. @returns how many are left to make. */
async function makeTurn(services: Services, couponId: string): Promise<number> {
  return inTransaction(services, async ({ db: tx, now }) => {
    const { codesToMake, live, retiredAt } = await holdSet(tx, couponId)
    if (codesToMake === 0) return 0
    // Of a set that was retired meanwhile nothing is made any more.
    const turn = live?.isSet && retiredAt === null ? Math.min(A_TURN, codesToMake) : 0
    if (live && turn > 0) await fill(tx, couponId, live, turn, now())
    const left = turn === 0 ? 0 : codesToMake - turn
    await tx.update(coupons).set({ codesToMake: left }).where(eq(coupons.id, couponId))
    return left
  })
}

/** How many codes of a set were asked for and are not made yet. @throws Problem 404. */
export async function leftToMake({ db }: Services, couponId: string): Promise<number> {
  return (await findDrafted(db, 'coupon', couponId)).codesToMake
}

/** Sends those again whose worker was lost before all was made. @returns how many sets they are of. */
export async function resumeMaking({ db, jobs }: Services): Promise<number> {
  const waiting = await db.select({ id: coupons.id }).from(coupons).where(gt(coupons.codesToMake, 0))
  for (const { id } of waiting) await jobs.send(db, 'codes-make', { couponId: id }, { once: id })
  return waiting.length
}

async function holdSet(tx: Transaction, couponId: string) {
  const [coupon] = await tx.select().from(coupons).where(eq(coupons.id, couponId)).for('no key update')
  if (!coupon) throw notFound('coupon')
  return coupon
}

/** Stores so many new codes of a pattern. One that another coupon has by chance is made anew. */
async function fill(
  db: Queryable,
  couponId: string,
  { prefix, length }: Pick<CouponContent, 'prefix' | 'length'>,
  count: number,
  at: Date,
): Promise<void> {
  for (let left = count; left > 0; ) {
    const made = Array.from({ length: left }, () => codeOf(prefix, length, randomBytes))
    left -= await insertCodes(db, couponId, made, at)
  }
}

/**
 * Makes single-use codes of a set at once, for who has nothing else to do.
 * @returns how many the set has now. @throws Problem as {@link askForCodes}.
 */
export async function makeCodes(services: Services, couponId: string, count: number): Promise<{ all: number }> {
  await askForCodes(services, couponId, count)
  await makeRequestedCodes(services, couponId)
  return { all: await countCodes(services.db, couponId) }
}

/** A file of codes is not larger than this, in characters: 10 000 codes of 40 with as much beside each. */
const MAX_FILE = 1_000_000

export const importCodesSchema = v.object({
  csv: v.pipe(
    v.string(),
    v.nonEmpty('Choose a file with codes in it.'),
    v.maxLength(MAX_FILE, 'This file is too large for a list of codes.'),
  ),
  /** Rows that fail: the others are taken all the same, or nothing is. */
  rest: v.picklist(['take', 'nothing']),
})

/** What an import of codes did: how many were taken, and the rows that failed, in their order. */
export interface ImportedCodes {
  taken: number
  refused: RefusedRow[]
}

/**
 * Takes codes of a CSV file (RFC 4180) into a set: those in its first column. Rows that fail are told with their line and
 * reason; the rest is taken or nothing is, as `rest` says.
 * @throws Problem 409 where it is no published set; 422 at `/csv` where the file cannot be read or holds too many.
 */
export async function importCodes(
  services: Services,
  couponId: string,
  { csv, rest }: v.InferOutput<typeof importCodesSchema>,
): Promise<ImportedCodes> {
  await requireSet(services.db, couponId)
  const { rows, lines } = readTable(csv)
  const { codes: listed, refused } = readCodeList(rows, lines)
  return onceInTransaction(services, async ({ db: tx, now }) => {
    // Two imports into one set wait for each other, so that its most is kept.
    const { codesToMake } = await holdSet(tx, couponId)
    const before = (await countCodes(tx, couponId)) + codesToMake
    if (before + listed.length > MAX_CODES) {
      throw fieldProblem(
        '/csv',
        `A set has at most ${MAX_CODES} codes; this one has ${before}, and the file ${listed.length}.`,
      )
    }
    const keys = listed.map(({ code }) => codeKey(code))
    const known = await tx
      .select({ key: codes.key, couponId: codes.couponId })
      .from(codes)
      .where(and(sql`${codes.key} = any(${sql.param(keys)})`, isNull(codes.freedAt)))
    const ownerOf = new Map(known.map(({ key, couponId: of }) => [key, of]))
    const fresh = listed.filter(({ code }) => !ownerOf.has(codeKey(code)))
    const taken = listed.flatMap(({ line, code }): RefusedRow[] => {
      const owner = ownerOf.get(codeKey(code))
      if (owner === undefined) return []
      return [{ line, code, why: owner === couponId ? 'The set has it already.' : 'Another coupon has this code.' }]
    })
    const failed = [...refused, ...taken].sort((a, b) => a.line - b.line)
    if (fresh.length === 0 || (rest === 'nothing' && failed.length > 0)) return { taken: 0, refused: failed }
    const at = now()
    const typed = fresh.map(({ code }) => code)
    await insertCodes(tx, couponId, typed, at)
    return { taken: fresh.length, refused: failed }
  })
}

/** The rows of a CSV file, each with its line. @throws Problem at `/csv` where a quote is not closed. */
function readTable(csv: string): { rows: string[][]; lines: number[] } {
  const rows: string[][] = []
  const lines: number[] = []
  let line = 1
  let seen = 0
  const text = csv.replace(/^\uFEFF/, '')
  Papa.parse<string[]>(text, {
    step: ({ data, errors, meta }) => {
      if (errors.some(({ type }) => type === 'Quotes'))
        throw fieldProblem('/csv', `Line ${line} has a quote that is not closed.`)
      rows.push(data)
      lines.push(line)
      line += text.slice(seen, meta.cursor).split(/\r\n|\r|\n/).length - 1
      seen = meta.cursor
    },
  })
  return { rows, lines }
}

/** Stores codes that nobody has, in one short statement however many they are. @returns how many were stored. */
async function insertCodes(db: Queryable, couponId: string, all: readonly string[], at: Date): Promise<number> {
  const keys = all.map(codeKey)
  const { rowCount } = await db.execute(sql`
    insert into ${codes} (coupon_id, code, key, created_at)
    select ${couponId}, c.code, c.key, ${at}
    from unnest(${sql.param(all)}::text[], ${sql.param(keys)}::text[]) c (code, key)
    on conflict do nothing`)
  return rowCount ?? 0
}

const countCodes = (db: Queryable, couponId: string) =>
  db.$count(codes, and(eq(codes.couponId, couponId), isNull(codes.freedAt)))

async function requireSet(db: Queryable, couponId: string) {
  const { live, retiredAt } = await findDrafted(db, 'coupon', couponId)
  if (!live?.isSet || retiredAt) throw new Problem(409, 'no-set', 'Publish the set first.')
  return live
}

export const CODE_STATES = ['unused', 'reserved', 'used', 'withdrawn'] as const
export type CodeState = (typeof CODE_STATES)[number]

/** What counts of the uses of a code, in a mode. */
const ofMode = (mode: Mode) =>
  and(eq(codeUses.codeId, codes.id), eq(codeUses.mode, mode), sql`${codeUses.state} <> 'released'`)

const stateOf = sql<CodeState>`case when ${codeUses.state} = 'used' then 'used'
  when ${codes.withdrawnAt} is not null then 'withdrawn'
  when ${codeUses.state} = 'reserved' then 'reserved' else 'unused' end`

/** How many codes of a set are in each state, in a mode. */
export async function countByState({ db }: Services, couponId: string, mode: Mode): Promise<Record<CodeState, number>> {
  const rows = await db
    .select({ state: stateOf, count: sql<number>`count(*)::int` })
    .from(codes)
    .leftJoin(codeUses, ofMode(mode))
    .where(and(eq(codes.couponId, couponId), isNull(codes.freedAt)))
    .groupBy(stateOf)
  const of = (state: CodeState) => rows.find((row) => row.state === state)?.count ?? 0
  return { unused: of('unused'), reserved: of('reserved'), used: of('used'), withdrawn: of('withdrawn') }
}

/** The codes of a set with their states, and the order that has each, in the order in which they were made. */
export async function listCodes(
  { db }: Services,
  couponId: string,
  mode: Mode,
  page?: { after: string | null; most: number },
) {
  const read = db
    .select({
      id: codes.id,
      code: codes.code,
      state: stateOf,
      orderId: orders.id,
      number: orders.number,
      buyer: people.name,
      usedAt: orders.paidAt,
      withdrawnAt: codes.withdrawnAt,
    })
    .from(codes)
    .leftJoin(codeUses, ofMode(mode))
    .leftJoin(orders, eq(orders.id, codeUses.orderId))
    .leftJoin(people, eq(people.id, orders.personId))
    .where(
      and(
        eq(codes.couponId, couponId),
        isNull(codes.freedAt),
        page?.after
          ? sql`(${codes.createdAt}, ${codes.id}) > (select c.created_at, c.id from codes c where c.id = ${page.after})`
          : undefined,
      ),
    )
    .orderBy(asc(codes.createdAt), asc(codes.id))
  return page === undefined ? read : read.limit(page.most)
}

/** The codes of a set as CSV (RFC 4180). They are made of letters, digits, - and _ alone. */
export async function codesCsv(services: Services, couponId: string, mode: Mode): Promise<string> {
  const rows = await listCodes(services, couponId, mode)
  const fields = ['code', 'state', 'order', 'buyer']
  const data = rows.map(({ code, state, number, buyer }) => [code, state, number ?? '', buyer ?? ''])
  return Papa.unparse({ fields, data }, { newline: '\r\n', escapeFormulae: true })
}

/**
 * Withdraws codes of a set that nobody has used, or lets them count again; `ids` null: all of it. What was ordered with
 * one stays as it is. @returns how many were changed.
 */
export async function setWithdrawn(
  { db, now }: Services,
  couponId: string,
  ids: readonly string[] | null,
  isWithdrawn: boolean,
): Promise<number> {
  await findDrafted(db, 'coupon', couponId)
  const isUsed = sql`exists (select from ${codeUses} u where u.code_id = ${codes.id} and u.state = 'used')`
  const changed = await db
    .update(codes)
    .set({ withdrawnAt: isWithdrawn ? now() : null })
    .where(
      and(
        eq(codes.couponId, couponId),
        ids === null ? undefined : inArray(codes.id, [...ids]),
        isWithdrawn ? and(isNull(codes.withdrawnAt), sql`not ${isUsed}`) : sql`${codes.withdrawnAt} is not null`,
      ),
    )
    .returning({ id: codes.id })
  return changed.length
}
