import { sql } from 'drizzle-orm'
import { split } from '../../core/money/arithmetic.ts'
import type { Transaction } from '../db/client.ts'
import { payments } from '../db/schema/index.ts'

/**
 * Splits what a gateway took for an attempt over the payments that it collected, by what each paid.
 * @returns the payments with their parts.
 */
export async function shareFee<P extends { id: string; pay: number }>(
  tx: Transaction,
  fee: number,
  collected: readonly P[],
): Promise<(P & { fee: number })[]> {
  if (fee === 0 || collected.length === 0) return collected.map((payment) => ({ ...payment, fee: 0 }))
  const ordered = [...collected].sort((a, b) => (a.id < b.id ? -1 : 1))
  const shares = split(
    fee,
    ordered.map(({ pay }) => pay),
  )
  const rows = sql.join(
    ordered.map(({ id }, index) => sql`(${id}::uuid, ${shares[index]}::bigint)`),
    sql`, `,
  )
  await tx.execute(sql`update ${payments} p set fee = s.fee from (values ${rows}) as s (id, fee) where p.id = s.id`)
  return ordered.map((payment, index) => ({ ...payment, fee: shares[index] as number }))
}
