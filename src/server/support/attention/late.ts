import { and, eq, gt } from 'drizzle-orm'
import { agreements } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { ofAgreements } from './queries.ts'

/** A payment that was declined, and is tried again. */
export const late: Finder = (looking) =>
  ofAgreements(looking, and(eq(agreements.state, 'active'), gt(agreements.tries, 0)))
