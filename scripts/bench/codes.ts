import { randomUUID } from 'node:crypto'
import { chmodSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { eq, sql } from 'drizzle-orm'
import { newCoupon } from '../../src/core/content/coupon.ts'
import { codeKey } from '../../src/core/quote/codes.ts'
import { findCodes } from '../../src/server/coupons/codes.ts'
import { createCoupon, publishCoupon, saveCouponDraft } from '../../src/server/coupons/service.ts'
import { makeCodes } from '../../src/server/coupons/set.ts'
import type { Database } from '../../src/server/db/client.ts'
import { codes } from '../../src/server/db/schema/index.ts'
import type { Services } from '../../src/server/platform/context.ts'
import { openEmpty } from './empty.ts'

const COUNT = 10_000
const ROUNDS = 5
const LOOKED_UP = 2000
const MILLION = 1_000_000

/** Single-use codes: made and stored against a plain COPY of the same rows, and looked up among few and many. */
export async function benchCodes(): Promise<void> {
  const { services, close } = await openEmpty()
  const { db } = services
  const dir = mkdtempSync(join(tmpdir(), 'young-acorn-codes-'))
  try {
    chmodSync(dir, 0o755)
    const seconds = { made: 0, copied: 0 }
    for (let round = 0; round <= ROUNDS; round++) {
      const set = await publishedSet(services)
      const made = await timed(async () => {
        await makeCodes(services, set, COUNT)
      })
      const copied = await copyOf(db, set, await publishedSet(services), dir)
      // The first warms both up.
      if (round === 0) continue
      seconds.made += made
      seconds.copied += copied
    }
    const ratio = seconds.made / seconds.copied
    console.log(
      `  ${COUNT} codes made and stored: ratio ${ratio.toFixed(2)} to a plain COPY of the same rows (goal: at most 2)`,
    )
    await db.execute(sql`truncate codes cascade`)
    const few = await lookUps(db, await fill(services, 1000))
    const many = await lookUps(db, await fill(services, MILLION))
    console.log(
      `  a code looked up among a million: ratio ${(many / few).toFixed(2)} to among a thousand (goal: at most 1.2)`,
    )
  } finally {
    rmSync(dir, { recursive: true, force: true })
    await close()
  }
}

async function publishedSet(services: Services): Promise<string> {
  const { id } = await createCoupon(services)
  const { draftRev } = await saveCouponDraft(services, id, 1, { ...newCoupon(), isSet: true, code: 'Bench' })
  await publishCoupon(services, id, draftRev, null)
  return id
}

/** The codes of a set once more, for another, by COPY from a file; only the statement is timed. */
async function copyOf(db: Database, from: string, to: string, dir: string): Promise<number> {
  const rows = await db.select().from(codes).where(eq(codes.couponId, from))
  const file = join(dir, `${randomUUID()}.csv`)
  const lines = rows.map(({ code, createdAt }) => {
    const other = `X${code}`
    return [randomUUID(), to, other, codeKey(other), createdAt.toISOString()].join(',')
  })
  writeFileSync(file, `${lines.join('\n')}\n`, { mode: 0o644 })
  return timed(() =>
    db.execute(sql.raw(`copy codes (id, coupon_id, code, key, created_at) from '${file}' with (format csv)`)),
  )
}

/** A set of so many codes; some of them. */
async function fill(services: Services, count: number): Promise<string[]> {
  const { db } = services
  const set = await publishedSet(services)
  await db.execute(sql`
    insert into codes (coupon_id, code, key, created_at)
    select ${set}, 'B' || ${count}::int || '-' || n, 'B' || ${count}::int || '-' || n, now() from generate_series(1, ${count}::int) n`)
  await db.execute(sql`vacuum analyze codes`)
  return Array.from({ length: LOOKED_UP }, (_, n) => `b${count}-${1 + ((n * 7919) % count)}`)
}

/** Seconds for looking them up one by one: the better of three runs. */
async function lookUps(db: Database, wanted: readonly string[]): Promise<number> {
  const run = () =>
    timed(async () => {
      for (const code of wanted) if ((await findCodes(db, [code])).length !== 1) throw new Error(`no ${code}`)
    })
  return Math.min(await run(), await run(), await run())
}

async function timed(work: () => Promise<unknown>): Promise<number> {
  const began = process.hrtime.bigint()
  await work()
  return Number(process.hrtime.bigint() - began) / 1e9
}
