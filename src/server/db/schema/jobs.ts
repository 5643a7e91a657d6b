import { sql } from 'drizzle-orm'
import { index, integer, jsonb, pgTable, text, uniqueIndex, uuid } from 'drizzle-orm/pg-core'
import { moment } from './columns.ts'

/** The jobs of the workers. Their clock is the database's, so that workers whose clocks differ agree. */
export const jobs = pgTable(
  'jobs',
  {
    id: uuid().primaryKey().defaultRandom(),
    name: text().notNull(),
    data: jsonb().notNull(),
    /** What need not be queued twice within a time, with that time; such a job stays until then. */
    once: text(),
    /** From when on it may be done; once a worker has taken it, from when on another may. */
    runAt: moment().notNull().default(sql`now()`),
    /** How often it was taken. */
    tries: integer().notNull().default(0),
    state: text({ enum: ['waiting', 'done', 'failed'] })
      .notNull()
      .default('waiting'),
    /** Why it failed the last time. */
    why: text(),
    createdAt: moment().notNull().default(sql`now()`),
    endedAt: moment(),
  },
  (table) => [
    index('jobs_due').on(table.name, table.runAt).where(sql`${table.state} = 'waiting'`),
    uniqueIndex('jobs_once').on(table.name, table.once).where(sql`${table.once} is not null`),
    index('jobs_ended').on(table.endedAt).where(sql`${table.endedAt} is not null`),
  ],
)
