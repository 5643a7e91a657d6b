import { and, eq, gt, lt } from 'drizzle-orm'
import type { Services } from '../context.ts'
import { creators, people, sessions } from '../db/schema/index.ts'
import { hashToken, newToken } from '../secrets.ts'

export const SESSION_DAYS = 60

export interface Creator {
  id: string
  email: string
  name: string
}

export type Person = typeof people.$inferSelect

/** Opens a session and gives the token for its cookie; the database keeps only the token's hash. */
export async function openSession(
  { db, now, liveNow = now }: Services,
  owner: { creatorId: string } | { personId: string },
): Promise<string> {
  const { token, hash } = newToken()
  // Moving practice time signs nobody out.
  const at = liveNow()
  await db.delete(sessions).where(lt(sessions.expiresAt, at))
  await db.insert(sessions).values({
    tokenHash: hash,
    ...owner,
    createdAt: at,
    expiresAt: new Date(at.getTime() + SESSION_DAYS * 86_400_000),
  })
  return token
}

export async function closeSession({ db }: Services, token: string | undefined): Promise<void> {
  if (token) await db.delete(sessions).where(eq(sessions.tokenHash, hashToken(token)))
}

/** The creator behind a studio cookie. A buyer's token opens nothing here. */
export async function creatorOf({ db, now }: Services, token: string | undefined): Promise<Creator | null> {
  if (!token) return null
  const [row] = await db
    .select({ id: creators.id, email: creators.email, name: creators.name })
    .from(sessions)
    .innerJoin(creators, eq(creators.id, sessions.creatorId))
    .where(and(eq(sessions.tokenHash, hashToken(token)), gt(sessions.expiresAt, now())))
  return row ?? null
}

/** The buyer behind a shop cookie. A creator's token opens nothing here. */
export async function personOf({ db, now }: Services, token: string | undefined): Promise<Person | null> {
  if (!token) return null
  const [row] = await db
    .select({ person: people })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .where(and(eq(sessions.tokenHash, hashToken(token)), gt(sessions.expiresAt, now())))
  return row?.person ?? null
}
