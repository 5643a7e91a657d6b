import { bigint, customType, integer, timestamp } from 'drizzle-orm/pg-core'
import { readContent, storeContent } from '../../../core/content/stored.ts'

/** A whole number of minor units. Safe integers only: the core refuses larger amounts. */
export const amount = (name?: string) => (name ? bigint(name, { mode: 'number' }) : bigint({ mode: 'number' }))

/** A moment, as a `Date`. */
export const moment = () => timestamp({ withTimezone: true, precision: 3 })

/** JSON that is stored with its version, and lifted where it is older (`core/content/stored.ts`). */
export const versioned = <T extends object>() =>
  customType<{ data: T; driverData: string | T }>({
    dataType: () => 'jsonb',
    toDriver: (content) => JSON.stringify(storeContent(content)),
    fromDriver: (stored) => readContent(stored as T),
  })()

/**
 * What is edited as a draft and published: `draft` is what the creator writes and `draftRev` counts its saves; `live` is
 * what buyers see, and changes only by publishing (`server/drafts/`).
 */
export const drafted = <T extends object>() => ({
  draft: versioned<T>().notNull(),
  draftRev: integer().notNull().default(1),
  draftAt: moment().notNull(),
  live: versioned<T>(),
  liveVersion: integer().notNull().default(0),
  liveAt: moment(),
})

export const bytes = customType<{ data: Buffer }>({ dataType: () => 'bytea' })

/** Practice: no real money. Live: real money. Everything a buyer does belongs to one of the two. */
export const MODES = ['practice', 'live'] as const
export type Mode = (typeof MODES)[number]
