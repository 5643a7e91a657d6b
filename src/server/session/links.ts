import { and, eq, gt, isNull } from 'drizzle-orm'
import { REFUSED } from '../../core/words/en/refused.ts'
import { creators, passwordLinks, people, sessions } from '../db/schema/index.ts'
import { refreshSearch } from '../db/searchText.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import { record } from '../journal/journal.ts'
import { inTransaction, type Services, type WithDatabase } from '../platform/context.ts'
import { hashToken, newToken } from '../platform/secrets.ts'
import { hashPassword } from './passwords.ts'
import { openSession, type Person } from './sessions.ts'

const LINK_HOURS = 24

type Owner = { personId: string } | { creatorId: string }

/** Makes a link for one use within 24 hours, and gives its token; only its hash is kept. */
async function makeLink(
  { db, now }: Pick<WithDatabase, 'db' | 'now'>,
  owner: Owner,
  email: string | null,
): Promise<string> {
  const { token, hash } = newToken()
  const at = now()
  const expiresAt = new Date(at.getTime() + LINK_HOURS * 3_600_000)
  await db.insert(passwordLinks).values({ tokenHash: hash, ...owner, email, createdAt: at, expiresAt })
  return token
}

/** A link by which a buyer sets a password. */
export async function makePasswordLink(services: Services, personId: string): Promise<string> {
  return `${services.config.origin}/password/${await makeLink(services, { personId }, null)}`
}

/** A link by which a buyer takes another address on; it is sent there, which proves that it is theirs. */
export async function makeEmailLink(services: Services, personId: string, email: string): Promise<string> {
  return `${services.config.origin}/email/${await makeLink(services, { personId }, email)}`
}

/** A link by which the creator sets a new password. */
export async function makeCreatorLink(services: Services, creatorId: string): Promise<string> {
  return `${services.config.origin}/studio/password/${await makeLink(services, { creatorId }, null)}`
}

const unused = (token: string, at: Date) =>
  and(eq(passwordLinks.tokenHash, hashToken(token)), isNull(passwordLinks.usedAt), gt(passwordLinks.expiresAt, at))

/** A link by which the creator takes another address on; it is sent there, which proves that it is theirs. */
export async function makeCreatorEmailLink(services: Services, creatorId: string, email: string): Promise<string> {
  return `${services.config.origin}/studio/email/${await makeLink(services, { creatorId }, email)}`
}

/**
 * Takes the creator's new address on by the link that was sent there. @throws Problem 410 where it has ended, 409 where
 * somebody else signs in with it.
 */
export async function confirmCreatorEmail(services: Services, token: string): Promise<{ email: string }> {
  const { now } = services
  return inTransaction(services, async ({ db: tx }) => {
    const [used] = await tx.update(passwordLinks).set({ usedAt: now() }).where(unused(token, now())).returning()
    if (!used?.creatorId || !used.email) throw linkEnded()
    const { creatorId, email } = used
    if ((await tx.$count(creators, eq(creators.email, email))) > 0) {
      throw new Problem(409, 'taken', 'Someone already signs in with this email.')
    }
    await tx.update(creators).set({ email }).where(eq(creators.id, creatorId))
    await tx
      .update(passwordLinks)
      .set({ usedAt: now() })
      .where(and(eq(passwordLinks.creatorId, creatorId), isNull(passwordLinks.usedAt)))
    return { email }
  })
}

/** Whose password a link sets, or which address it takes on; null where it was used, has ended, or never was. */
export async function readBuyerLink(
  { db, now }: Services,
  token: string,
): Promise<{ person: Person; email: string | null } | null> {
  const [row] = await db
    .select({ person: people, email: passwordLinks.email })
    .from(passwordLinks)
    .innerJoin(people, eq(people.id, passwordLinks.personId))
    .where(unused(token, now()))
  return row ?? null
}

function linkEnded(): Problem {
  return new Problem(410, 'link-ended', REFUSED.linkUsed)
}

/**
 * Sets a buyer's password by a link, which is used up by it, ends every other session of theirs, and signs them in.
 * @throws Problem 410.
 */
export async function setPassword(services: Services, token: string, password: string): Promise<{ token: string }> {
  const { now } = services
  const passwordHash = await hashPassword(password)
  const personId = await inTransaction(services, async ({ db: tx }) => {
    const [used] = await tx
      .update(passwordLinks)
      .set({ usedAt: now() })
      .where(and(unused(token, now()), isNull(passwordLinks.email), isNull(passwordLinks.creatorId)))
      .returning()
    if (!used?.personId) throw linkEnded()
    const { personId: id } = used
    await tx.update(people).set({ passwordHash }).where(eq(people.id, id))
    await tx.delete(sessions).where(eq(sessions.personId, id))
    // Older links of the same buyer end with it.
    await tx
      .update(passwordLinks)
      .set({ usedAt: now() })
      .where(and(eq(passwordLinks.personId, id), isNull(passwordLinks.usedAt)))
    await record(tx, now(), { personId: id }, 'password-set')
    return id
  })
  return { token: await openSession(services, { personId }) }
}

/**
 * Sets the creator's password by a link, ends every other session of theirs, and signs them in.
 * @throws Problem 410.
 */
export async function setCreatorPassword(
  services: Services,
  token: string,
  password: string,
): Promise<{ token: string; email: string }> {
  const { now } = services
  const passwordHash = await hashPassword(password)
  const creator = await inTransaction(services, async ({ db: tx }) => {
    const [used] = await tx
      .update(passwordLinks)
      .set({ usedAt: now() })
      .where(and(unused(token, now()), isNull(passwordLinks.email)))
      .returning()
    if (!used?.creatorId) throw linkEnded()
    const [changed] = await tx
      .update(creators)
      .set({ passwordHash })
      .where(eq(creators.id, used.creatorId))
      .returning({ id: creators.id, email: creators.email })
    if (!changed) throw linkEnded()
    await tx.delete(sessions).where(eq(sessions.creatorId, changed.id))
    await tx
      .update(passwordLinks)
      .set({ usedAt: now() })
      .where(and(eq(passwordLinks.creatorId, changed.id), isNull(passwordLinks.usedAt)))
    return changed
  })
  return { token: await openSession(services, { creatorId: creator.id }), email: creator.email }
}

/**
 * Takes a buyer's new address on by the link that was sent there, ends every other session, and signs them in.
 * @throws Problem 410, or 409 where somebody else has bought with it.
 */
export async function confirmEmail(services: Services, token: string): Promise<{ token: string }> {
  const { now } = services
  const personId = await inTransaction(services, async ({ db: tx }) => {
    const [used] = await tx.update(passwordLinks).set({ usedAt: now() }).where(unused(token, now())).returning()
    if (!used?.personId || !used.email) throw linkEnded()
    const [person] = await tx.select().from(people).where(eq(people.id, used.personId)).for('update')
    if (!person) throw linkEnded()
    await takeEmail({ db: tx, now }, person, used.email)
    return person.id
  })
  return { token: await openSession(services, { personId }) }
}

/** Gives a buyer another address and ends their sessions and links. @throws Problem at `/email` where it is another's. */
export async function takeEmail(
  { db, now }: Pick<WithDatabase, 'db' | 'now'>,
  person: Pick<Person, 'id' | 'mode' | 'email'>,
  email: string,
  why: string | null = null,
): Promise<void> {
  if (email === person.email) return
  const taken = and(eq(people.mode, person.mode), eq(people.email, email))
  if ((await db.$count(people, taken)) > 0) throw fieldProblem('/email', REFUSED.emailTaken, 409)
  await db.update(people).set({ email }).where(eq(people.id, person.id))
  await refreshSearch(db, person.id)
  await db.delete(sessions).where(eq(sessions.personId, person.id))
  await db
    .update(passwordLinks)
    .set({ usedAt: now() })
    .where(and(eq(passwordLinks.personId, person.id), isNull(passwordLinks.usedAt)))
  await record(db, now(), { personId: person.id }, 'email-changed', {
    from: person.email,
    to: email,
    ...(why ? { note: why } : {}),
  })
}
