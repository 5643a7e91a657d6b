import { and, eq, inArray } from 'drizzle-orm'
import { formatList } from '../../core/sentence/words.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import { type AccessDecision, accessDecisionOn, checkAccess, grantsOf } from '../access/service.ts'
import { courses, people } from '../db/schema/index.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { schoolDay } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import type { Shopper } from './placing.ts'

/** What must be held to buy an offer. */
export interface Needs {
  courses: { slug: string; title: string }[]
  /** Whether this visitor holds one of them. */
  isMet: boolean
}

/** How a course stands for who holds it. */
const HOLDS: readonly AccessDecision['state'][] = ['open', 'opens-later']

/** What must be held to buy an offer for holders, and whether the visitor holds any of it. */
export async function needsOf(services: Services, courseIds: string[], visitor: Visitor): Promise<Needs> {
  const [rows, entries] = await Promise.all([
    services.db.select().from(courses).where(inArray(courses.id, courseIds)),
    Promise.all(courseIds.map((id) => checkAccess(services, id, visitor))),
  ])
  return {
    courses: rows.map(({ slug, live, draft }) => ({ slug, title: (live ?? draft).title })),
    isMet: entries.some(({ state }) => HOLDS.includes(state)),
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
  const courses = formatList(
    needed.map(({ title }) => title),
    'or',
  )
  if (!isMet) throw new Problem(403, 'not-for-you', say(REFUSED.notForYou, { courses }))
  const day = await schoolDay(services)
  const visible = await Promise.all(courseIds.map((id) => grantsOf(services, { mode, person, browserHash }, id)))
  const holders = visible.flat().filter((grant) => HOLDS.includes(accessDecisionOn(day, [grant]).state))
  const [own] = await services.db
    .select({ id: people.id })
    .from(people)
    .where(
      and(
        eq(people.email, email),
        inArray(
          people.id,
          holders.map(({ personId }) => personId),
        ),
      ),
    )
  if (!own) throw fieldProblem('/email', say(REFUSED.otherEmail, { courses }))
}
