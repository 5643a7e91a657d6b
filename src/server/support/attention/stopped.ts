import { and, desc, eq, gt } from 'drizzle-orm'
import { agreements } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { ofAgreements } from './queries.ts'

/** Plans whose tries are over: what is owed stands here until it is paid or written off. */
export const stopped: Finder = (looking) =>
  ofAgreements(
    looking,
    and(
      eq(agreements.state, 'stopped'),
      eq(agreements.kind, 'installments'),
      // Who was stopped by hand is not retried any more, on purpose. It stands here until it is paid or written off.
      gt(agreements.tries, looking.retryAfterDays.length),
    ),
    desc(agreements.lastCollected),
  )
