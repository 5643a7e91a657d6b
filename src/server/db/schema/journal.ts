import { sql } from 'drizzle-orm'
import { bigserial, index, jsonb, pgTable, text, uuid } from 'drizzle-orm/pg-core'
import { moment } from './columns.ts'
import { orders } from './orders.ts'
import { people } from './people.ts'

/** All that happened to an order or a person, in order. */
export const journal = pgTable(
  'journal',
  {
    id: bigserial({ mode: 'number' }).primaryKey(),
    orderId: uuid().references(() => orders.id, { onDelete: 'cascade' }),
    personId: uuid().references(() => people.id, { onDelete: 'cascade' }),
    at: moment().notNull(),
    what: text().notNull(),
    data: jsonb().$type<Record<string, string | number | null>>().notNull().default({}),
  },
  (table) => [
    index('journal_of_order').on(table.orderId, table.id),
    index('journal_of_person').on(table.personId, table.id),
    index('journal_for_attention')
      .on(table.at)
      .where(sql`${table.what} in ('attempt-surplus', 'attempt-mismatch', 'code-over-limit')`),
  ],
)
