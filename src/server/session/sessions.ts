import { and, desc, eq, gt, lt, ne } from 'drizzle-orm'
import { creators, people, sessions } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import { hashToken, newToken } from '../platform/secrets.ts'

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
  device = '',
): Promise<string> {
  const { token, hash } = newToken()
  // Moving practice time signs nobody out.
  const at = liveNow()
  await db.delete(sessions).where(lt(sessions.expiresAt, at))
  await db.insert(sessions).values({
    tokenHash: hash,
    ...owner,
    device: device.slice(0, 300),
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

/** Where a creator is signed in, the latest first, and which of them this browser is. */
export async function devicesOf({ db, now }: Services, creatorId: string, token: string | undefined) {
  const rows = await db
    .select()
    .from(sessions)
    .where(and(eq(sessions.creatorId, creatorId), gt(sessions.expiresAt, now())))
    .orderBy(desc(sessions.createdAt))
  return rows.map(({ id, device, createdAt, tokenHash }) => ({
    id,
    device,
    createdAt,
    isThis: token !== undefined && hashToken(token) === tokenHash,
  }))
}

/** Signs a creator out elsewhere: on one device, or on all but the one that asks. */
export async function closeOthers(
  { db }: Services,
  creatorId: string,
  token: string | undefined,
  only: string | null,
): Promise<void> {
  await db
    .delete(sessions)
    .where(
      and(
        eq(sessions.creatorId, creatorId),
        ne(sessions.tokenHash, hashToken(token ?? '')),
        only === null ? undefined : eq(sessions.id, only),
      ),
    )
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
