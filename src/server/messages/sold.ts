import { and, asc, eq, sql } from 'drizzle-orm'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import { MAIL } from '../../core/words/en/mail.ts'
import { say } from '../../core/words/message.ts'
import type { Mode } from '../db/schema/columns.ts'
import { orderLines, orders, payments, people } from '../db/schema/index.ts'
import { orderTitles } from '../orders/status.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import { composeEmail, type Email } from './compose.ts'

/** Most sales that are named one by one. */
const MAX_NAMED = 60

/** Some line of the order was not opened by another order before. */
const isSale = sql`exists (select from ${orderLines} l where l.order_id = ${orders.id} and l.duplicate_of is null)`

/** What was sold on a day, for the creator; null where nothing was. */
export async function composeSold(
  { db, config }: Services,
  school: School,
  mode: Mode,
  day: string,
): Promise<Email | null> {
  const rows = await db
    .select({
      number: orders.number,
      buyer: people.name,
      ...orderTitles,
      // What was paid twice is no sale.
      pay: sql<number>`(${orders.payToday} - coalesce((select sum(p.pay) from ${payments} p
        join ${orderLines} l on l.id = p.line_id and l.duplicate_of is not null
        where p.order_id = ${orders.id} and p.state = 'collected'), 0))::float8`,
      currency: orders.currency,
    })
    .from(orders)
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.mode, mode), eq(orders.state, 'paid'), eq(orders.placedOn, day), isSale))
    .orderBy(asc(orders.number))
  if (rows.length === 0) return null
  const sum = rows.reduce((all, { pay }) => all + pay, 0)
  const money = (amount: number) => formatMoney(amount, school)
  const words = MAIL.told.day
  const rest = rows.length - MAX_NAMED
  const sold = { count: rows.length, money: money(sum) }
  const subject = say(words.subject, sold)
  return composeEmail(
    school,
    mode === 'practice' ? say(MAIL.practice, { subject }) : subject,
    [
      {
        text: say(words.text, { ...sold, day: formatDay(day, school.language) }),
        link: `${config.origin}/studio/orders?from=${day}&until=${day}`,
        label: words.label,
      },
    ],
    rows
      .slice(0, MAX_NAMED)
      .map(({ number, buyer, course, offer, pay }): [string, string] => [
        say(words.row, { number, buyer, course, offer }),
        money(pay),
      ]),
    rest > 0 ? say(words.more, { count: rest }) : '',
  )
}
