import { and, asc, eq, lte, sql } from 'drizzle-orm'
import { addDays } from '../../../core/calendar/day.ts'
import { agreements } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { ofAgreements } from './queries.ts'

/** Methods that expire before the next payment, within two weeks. */
export const expiring: Finder = (looking) =>
  ofAgreements(
    looking,
    and(
      eq(agreements.state, 'active'),
      eq(agreements.tries, 0),
      lte(agreements.nextTry, addDays(looking.today, 14)),
      sql`${agreements.expires} < ${agreements.nextTry}`,
    ),
    asc(agreements.nextTry),
  )
