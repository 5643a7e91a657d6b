import { and, asc, eq, isNull, sql } from 'drizzle-orm'
import { buyAgainPath } from '../access/service.ts'
import { courses, grants, type messages } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import { dayFor, getSchool } from '../school/service.ts'
import type { AccessFacts } from './composeAccess.ts'

/** What a message about access is about: the grants that were noted with it. Null where none of them is there any more. */
export async function accessFacts(
  services: Services,
  {
    kind,
    personId,
    orderId,
    createdAt,
  }: Pick<typeof messages.$inferSelect, 'kind' | 'personId' | 'orderId' | 'createdAt'>,
): Promise<Omit<AccessFacts, 'passwordLink'> | null> {
  const { db, config } = services
  const day = dayFor(await getSchool(db), createdAt)
  const noted =
    kind === 'opened'
      ? eq(grants.openingNotified, day)
      : sql`${grants.endNotified} = ${grants.closes} and ${grants.closes} > ${day}::date`
  const rows = await db
    .select({ title: courses.live, draft: courses.draft, slug: courses.slug, grant: grants })
    .from(grants)
    .innerJoin(courses, eq(courses.id, grants.courseId))
    .where(
      and(
        eq(grants.personId, personId),
        orderId === null ? isNull(grants.orderId) : eq(grants.orderId, orderId),
        isNull(grants.endedAt),
        noted,
      ),
    )
    .orderBy(asc(grants.closes), asc(courses.slug))
  const [first] = rows
  if (!first) return null
  // Of several days the first: each has its own message.
  const told = kind === 'opened' ? rows : rows.filter(({ grant }) => grant.closes === first.grant.closes)
  return {
    courses: told.map(({ title, draft, slug }) => ({
      title: (title ?? draft).title,
      link: `${config.origin}/learn/${slug}`,
    })),
    closes: first.grant.closes,
    buyAgain: config.origin + (await buyAgainPath(services, first.grant)),
  }
}
