import { sql } from 'drizzle-orm'
import { date, index, jsonb, pgTable, text, uniqueIndex, uuid } from 'drizzle-orm/pg-core'
import { courses } from './catalogue.ts'
import { MODES, moment } from './columns.ts'
import { orderLines, orders } from './orders.ts'
import { people } from './people.ts'

/**
 * One buyer's access to one course and why they have it: by a line of an order, or given by hand.
 * The indexes make a second grant for the same thing impossible, whatever the code does.
 */
export const grants = pgTable(
  'grants',
  {
    id: uuid().primaryKey().defaultRandom(),
    mode: text({ enum: MODES }).notNull(),
    personId: uuid()
      .notNull()
      .references(() => people.id),
    courseId: uuid()
      .notNull()
      .references(() => courses.id),
    orderId: uuid().references(() => orders.id),
    lineId: uuid().references(() => orderLines.id),
    /** The offer by which it was bought; null where it was given. */
    offerId: uuid(),
    /** Why it was given by hand. */
    note: text(),
    opens: date({ mode: 'string' }).notNull(),
    /** The day on which it would open if its course had none: it moves with that. Null: it opens on its day whatever. */
    ownOpens: date({ mode: 'string' }),
    closes: date({ mode: 'string' }),
    /** Open only while one of these courses, or a line of one of these bundles, is; null: it hangs on no membership. */
    membersOf: jsonb().$type<string[]>(),
    /** From this day an unpaid payment shuts it, past its grace, until it is paid. */
    suspendedFrom: date({ mode: 'string' }),
    createdAt: moment().notNull(),
    endedAt: moment(),
    endedNote: text(),
    /** The day on which its opening was announced, where that came later than the purchase. */
    openingNotified: date({ mode: 'string' }),
    /** The closing day that was announced. */
    endNotified: date({ mode: 'string' }),
  },
  (table) => [
    uniqueIndex('grants_once_per_line').on(table.lineId, table.courseId),
    uniqueIndex('grants_once_by_hand')
      .on(table.personId, table.courseId)
      .where(sql`${table.lineId} is null and ${table.endedAt} is null`),
    index('grants_of_offer').on(table.offerId, table.mode, table.personId).where(sql`${table.endedAt} is null`),
    index('grants_of_person').on(table.personId),
    index('grants_of_order').on(table.orderId),
    // What opens, or ends, in these days.
    index('grants_opening').on(table.mode, table.opens).where(sql`${table.openingNotified} is null`),
    index('grants_ending').on(table.mode, table.closes).where(sql`${table.closes} is not null`),
    // Money that came after an access that ends on a date had ended.
    index('grants_too_late').on(table.mode).where(sql`${table.closes} <= ${table.opens}`),
  ],
)
