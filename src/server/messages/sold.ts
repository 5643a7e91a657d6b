import { and, asc, eq } from 'drizzle-orm'
import { sayDay } from '../../core/calendar/sayDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { Mode } from '../db/schema/columns.ts'
import { orders, people } from '../db/schema/index.ts'
import { orderTitles } from '../orders/standing.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import { type Letter, letter } from './compose.ts'

/** Most sales that are named one by one. */
const MOST = 60

/** What was sold on a day, for the creator; null where nothing was. */
export async function composeSold(
  { db, config }: Services,
  school: School,
  mode: Mode,
  day: string,
): Promise<Letter | null> {
  const rows = await db
    .select({
      number: orders.number,
      buyer: people.name,
      ...orderTitles,
      pay: orders.payToday,
      currency: orders.currency,
    })
    .from(orders)
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.mode, mode), eq(orders.state, 'paid'), eq(orders.placedOn, day)))
    .orderBy(asc(orders.number))
  if (rows.length === 0) return null
  const sum = rows.reduce((all, { pay }) => all + pay, 0)
  const money = (amount: number) => formatMoney(amount, school)
  const practice = mode === 'practice' ? ' (practice)' : ''
  const count = `${rows.length} ${rows.length === 1 ? 'order' : 'orders'}`
  const rest = rows.length - MOST
  return letter(
    school,
    `You sold: ${count}, ${money(sum)}${practice}`,
    [
      {
        text: `On ${sayDay(day, school.language)} you received ${count}, and ${money(sum)} for ${rows.length === 1 ? 'it' : 'them'}.`,
        link: `${config.origin}/studio/orders?from=${day}&until=${day}`,
        label: 'See the orders',
      },
    ],
    rows
      .slice(0, MOST)
      .map(({ number, buyer, course, offer, pay }): [string, string] => [
        `${number} · ${buyer}: ${course}, ${offer}`,
        money(pay),
      ]),
    rest > 0 ? `and ${rest} more` : '',
  )
}
