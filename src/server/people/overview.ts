import { and, asc, countDistinct, desc, eq, gt, gte, isNull, lte, or } from 'drizzle-orm'
import { addDays } from '../../core/calendar/day.ts'
import { endsBySelf } from '../access/announce.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, catalogue, grants, orderLines, orders, people } from '../db/schema/index.ts'
import { inMode, type Services } from '../platform/context.ts'
import { schoolDay } from '../school/service.ts'

const WEEK_MS = 7 * 86_400_000
/** Days ahead for which access that ends is listed. */
const ENDS_WITHIN_DAYS = 30
/** Most rows of each list. */
const MAX_LISTED = 12

/** What is worth a look among the buyers of a mode: who is new, whose payments fail, who has what, whose access ends soon. */
export async function peopleOverview(base: Services, mode: Mode) {
  const services = await inMode(base, mode)
  const { db, now } = services
  const today = await schoolDay(services)
  const before = (weeks: number) => new Date(now().getTime() - weeks * WEEK_MS)
  const isBuyer = and(eq(people.mode, mode), isNull(people.erasedAt))
  const who = { personId: people.id, name: people.name }
  const holders = countDistinct(grants.personId)
  const [newest, thisWeek, twoWeeks, failing, ending, having] = await Promise.all([
    db
      .select({ ...who, email: people.email, createdAt: people.createdAt })
      .from(people)
      .where(and(isBuyer, gte(people.createdAt, before(1))))
      .orderBy(desc(people.createdAt), desc(people.id))
      .limit(MAX_LISTED),
    db.$count(people, and(isBuyer, gte(people.createdAt, before(1)))),
    db.$count(people, and(isBuyer, gte(people.createdAt, before(2)))),
    db
      .select({
        ...who,
        orderId: orders.id,
        title: orderLines.title,
        state: agreements.state,
      })
      .from(agreements)
      .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
      .innerJoin(orders, eq(orders.id, orderLines.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(
        and(
          eq(agreements.mode, mode),
          or(eq(agreements.state, 'stopped'), and(eq(agreements.state, 'active'), gt(agreements.tries, 0))),
        ),
      )
      .orderBy(desc(agreements.lastCollected), asc(agreements.id))
      .limit(MAX_LISTED),
    db
      .select({ ...who, title: catalogue.draft, closes: grants.closes })
      .from(grants)
      .innerJoin(people, eq(people.id, grants.personId))
      .innerJoin(catalogue, eq(catalogue.id, grants.courseId))
      .where(
        and(
          eq(grants.mode, mode),
          isNull(grants.endedAt),
          gt(grants.closes, today),
          lte(grants.closes, addDays(today, ENDS_WITHIN_DAYS)),
          lte(grants.opens, today),
          endsBySelf(0),
        ),
      )
      .orderBy(asc(grants.closes), asc(grants.id))
      .limit(MAX_LISTED),
    db
      .select({ courseId: grants.courseId, title: catalogue.draft, people: holders })
      .from(grants)
      .innerJoin(catalogue, eq(catalogue.id, grants.courseId))
      .where(and(eq(grants.mode, mode), isNull(grants.endedAt)))
      .groupBy(grants.courseId, catalogue.draft)
      .orderBy(desc(holders), asc(grants.courseId))
      .limit(MAX_LISTED),
  ])
  const titled = <T extends { title: { title: string } }>(row: T) => ({ ...row, title: row.title.title })
  return {
    newest,
    thisWeek,
    weekBefore: twoWeeks - thisWeek,
    failing,
    ending: ending.map(titled),
    having: having.map(titled),
  }
}
