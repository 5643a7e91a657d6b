import { and, asc, eq, isNull, sql } from 'drizzle-orm'
import { buyAgainPath, isLineOpen } from '../access/service.ts'
import { agreements, courses, grants, type messages } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import { dayFor, getSchool, schoolDay } from '../school/service.ts'
import type { GivenFacts } from './compose.ts'
import type { AccessFacts, OpeningFacts } from './composeAccess.ts'

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
  const noticed = await db
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
  const rows = []
  for (const row of noticed) {
    // What depends on a membership that has ended has not opened.
    const { membersOf, lineId } = row.grant
    if (membersOf === null || lineId === null || (await isLineOpen(services, lineId))) rows.push(row)
  }
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

/** When a course opens for a buyer as that stands now; null where it is open, or theirs no more. */
export async function openingFacts(
  services: Services,
  { personId, courseTitle }: Pick<typeof messages.$inferSelect, 'personId' | 'courseTitle'>,
): Promise<OpeningFacts | null> {
  const today = await schoolDay(services)
  const [first] = await services.db
    .select({ opens: grants.opens, closes: grants.closes, agreement: agreements.id })
    .from(grants)
    .innerJoin(courses, eq(courses.id, grants.courseId))
    .leftJoin(agreements, and(eq(agreements.lineId, grants.lineId), eq(agreements.kind, 'subscription')))
    .where(
      and(
        eq(grants.personId, personId),
        sql`coalesce(${courses.live}, ${courses.draft}) ->> 'title' = ${courseTitle}`,
        isNull(grants.endedAt),
      ),
    )
    .orderBy(asc(grants.opens))
  if (!first || first.opens <= today) return null
  // What is open while it is paid has no end of its own.
  return { course: courseTitle ?? '', opens: first.opens, closes: first.agreement ? null : first.closes }
}

/** What was given by hand with a message: its titles, and from when until when it is open as that stands now. */
export async function givenFacts(
  services: Services,
  { personId, courseTitle, createdAt }: Pick<typeof messages.$inferSelect, 'personId' | 'courseTitle' | 'createdAt'>,
): Promise<GivenFacts> {
  const { db } = services
  const titles = (courseTitle ?? '').split('\n')
  const rows = await db
    .select({ live: courses.live, draft: courses.draft, opens: grants.opens, closes: grants.closes })
    .from(grants)
    .innerJoin(courses, eq(courses.id, grants.courseId))
    .where(and(eq(grants.personId, personId), isNull(grants.lineId), isNull(grants.endedAt)))
  const [of] = rows.filter(({ live, draft }) => titles.includes((live ?? draft).title))
  const day = dayFor(await getSchool(db), createdAt)
  return { titles, opens: of && of.opens > day ? of.opens : null, closes: of?.closes ?? null }
}
