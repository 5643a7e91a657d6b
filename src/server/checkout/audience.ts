import { and, eq, inArray } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import { formatList } from '../../core/sentence/words.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import { type AccessDecision, accessDecisionOn, type Grant } from '../access/decision.ts'
import { grantsOfProducts } from '../access/service.ts'
import type { Product } from '../catalogue/products.ts'
import { catalogue, people } from '../db/schema/index.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { schoolDay } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import type { Shopper } from './placing.ts'

/** What must be held to buy an offer: a course, or a bundle that was bought. */
export interface Needs {
  courses: { kind: Product['kind']; slug: string; title: string }[]
  /** Whether this visitor holds one of them. */
  isMet: boolean
}

/** How a course stands for who holds it. */
const HOLDS: readonly AccessDecision['state'][] = ['open', 'opens-later']

/** What must be held to buy an offer for holders, and whether the visitor holds any of it. */
export async function needsOf(services: Services, ids: string[], visitor: Visitor): Promise<Needs> {
  const [rows, held, day] = await Promise.all([
    services.db.select().from(catalogue).where(inArray(catalogue.id, ids)),
    grantsOfProducts(services, visitor, ids),
    schoolDay(services),
  ])
  return {
    courses: rows.map(({ kind, slug, live, draft }) => ({ kind, slug, title: (live ?? draft).title })),
    isMet: held.some((grant) => isHeld(day, grant)),
  }
}

/** Whether a course is open by a grant, or will be. */
function isHeld(day: Day, grant: Grant): boolean {
  return HOLDS.includes(accessDecisionOn(day, [grant]).state)
}

/**
 * Refuses who is no member of any of the courses or bundles, and members who buy for someone else: the address is that of the
 * signed-in buyer, or of the buyer whose order this browser placed.
 * @throws Problem 403 where nothing of it is held, 422 at the address where it is another's.
 */
export async function requireHolder(
  services: Services,
  ids: string[],
  email: string,
  { mode, person, browserHash }: Shopper,
): Promise<void> {
  const { isMet, courses: needed } = await needsOf(services, ids, { mode, person, browserHash })
  const courses = formatList(
    needed.map(({ title }) => title),
    'or',
  )
  if (!isMet) throw new Problem(403, 'not-for-you', say(REFUSED.notForYou, { courses }))
  const day = await schoolDay(services)
  const visible = await grantsOfProducts(services, { mode, person, browserHash }, ids)
  const holders = visible.filter((grant) => isHeld(day, grant))
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
