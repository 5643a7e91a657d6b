import { asc, sql } from 'drizzle-orm'
import { orderLines, payments } from '../db/schema/index.ts'

/**
 * Payments as they are read: by their day, within one by the order's lines, and what is paid to begin before what
 * begins. Nothing is left to chance: set-up and trial are due on one day, and have no number.
 */
export const PAYMENTS_IN_ORDER = [
  asc(payments.due),
  sql`(select position from ${orderLines} where order_lines.id = ${payments.lineId})`,
  asc(payments.n),
  sql`array_position(array['setup', 'trial', 'deposit', 'regular'], ${payments.kind})`,
] as const
