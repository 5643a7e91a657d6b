import { and, eq, inArray } from 'drizzle-orm'
import { entryOn, mayEnter, type Visitor } from '../access/service.ts'
import type { Services } from '../context.ts'
import { courses, grants, orders, people } from '../db/schema/index.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import type { Needs } from '../pages/data.ts'
import { schoolDay } from '../school/service.ts'
import type { Shopper } from './place.ts'

/** What must be held to buy an offer for holders, and whether the visitor holds any of it. */
export async function needsOf(services: Services, courseIds: string[], visitor: Visitor): Promise<Needs> {
  const [rows, entries] = await Promise.all([
    services.db.select().from(courses).where(inArray(courses.id, courseIds)),
    Promise.all(courseIds.map((id) => mayEnter(services, id, visitor))),
  ])
  return {
    courses: rows.map(({ slug, live, draft }) => ({ slug, title: (live ?? draft).title })),
    isMet: entries.some(({ state }) => state === 'open' || state === 'opens-later'),
  }
}

/**
 * Lets only a holder of one of the courses buy, and only for themselves: the address is that of the
 * signed-in buyer, or of the buyer whose order this browser placed.
 * @throws Problem 403 where nothing of it is held, 422 at the address where it is another's.
 */
export async function requireHolder(
  services: Services,
  courseIds: string[],
  email: string,
  { mode, person, browserHash }: Shopper,
): Promise<void> {
  const { isMet, courses: needed } = await needsOf(services, courseIds, { mode, person, browserHash })
  const what = needed.map(({ title }) => title).join(' or ')
  if (!isMet)
    throw new Problem(
      403,
      'not-for-you',
      `This price is for who has ${what}. Sign in with the address that has it; nothing was charged.`,
    )
  const held = await services.db
    .select({ grant: grants, browserHash: orders.browserHash })
    .from(grants)
    .innerJoin(people, eq(people.id, grants.personId))
    .leftJoin(orders, eq(orders.id, grants.orderId))
    .where(and(eq(people.mode, mode), eq(people.email, email), inArray(grants.courseId, courseIds)))
  const own = held.filter(({ grant, browserHash: by }) => grant.personId === person?.id || by === browserHash)
  const { state } = entryOn(
    await schoolDay(services),
    own.map(({ grant }) => grant),
  )
  if (state !== 'open' && state !== 'opens-later') {
    throw fieldProblem('/email', `Use the address that has ${what}: this price is for it alone.`)
  }
}
