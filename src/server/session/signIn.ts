import { eq } from 'drizzle-orm'
import * as v from 'valibot'
import { type Queryable, transaction } from '../db/client.ts'
import { creators, school } from '../db/schema/index.ts'
import type { ClientAddress } from '../http/clientAddress.ts'
import { Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { applySchool, emailSchema, nameSchema, schoolSchema } from '../school/service.ts'
import { checkPassword, hashPassword, passwordSchema, type SignInTry } from './passwords.ts'
import { openSession } from './sessions.ts'

export const setupSchema = v.object({
  school: schoolSchema,
  creator: v.object({ name: nameSchema, email: emailSchema, password: passwordSchema }),
})

/** Makes the school and its creator, once. A school that came from a file before its first account takes what is said here. */
export async function setUp(
  services: Services,
  input: v.InferOutput<typeof setupSchema>,
  device = '',
): Promise<{ token: string }> {
  const { db, now } = services
  const passwordHash = await hashPassword(input.creator.password)
  const creatorId = await transaction(db, async (tx) => {
    const made = await tx
      .insert(school)
      .values({ ...input.school, createdAt: now() })
      .onConflictDoNothing()
      .returning()
    if (made.length === 0) {
      // Waits for another first visit.
      await tx.select().from(school).for('update')
      if ((await tx.$count(creators)) > 0) {
        throw new Problem(409, 'set-up-already', 'The school was set up already. Sign in instead.')
      }
      await applySchool(tx, input.school, now())
    }
    const [creator] = await tx
      .insert(creators)
      .values({ name: input.creator.name, email: input.creator.email, passwordHash, createdAt: now() })
      .returning({ id: creators.id })
    return creator?.id as string
  })
  return { token: await openSession(services, { creatorId }, device) }
}

/** Signs the creator in. `known` marks the browser as one that did. @throws Problem 401, 429. */
export async function signIn(
  services: Services,
  email: string,
  password: string,
  from: Pick<SignInTry, 'address' | 'known'> & { device?: string },
): Promise<{ token: string; known: string }> {
  const [creator] = await services.db.select().from(creators).where(eq(creators.email, email))
  const account = `creator ${email}`
  await checkPassword(services, { ...from, account }, creator?.passwordHash ?? null, password)
  const token = await openSession(services, { creatorId: creator?.id as string }, from.device)
  return { token, known: services.secrets.mark(account) }
}

/**
 * Sends the creator a link for a new password. What is answered, and how often it may be asked, is the same for an
 * address that is not theirs. @throws Problem 429.
 */
export async function askCreatorPassword(
  { db, jobs, limits }: Services,
  email: string,
  address: ClientAddress | null,
): Promise<void> {
  await limits.count({ 'mail:ip': address?.ip ?? null, 'mail:range': address?.range ?? null })
  const key = `creator ${email}`
  if (!(await limits.isWithin('mail:moment', key)) || !(await limits.isWithin('mail:email', key))) return
  const [creator] = await db.select({ id: creators.id }).from(creators).where(eq(creators.email, email))
  if (creator) await jobs.send(db, 'account-mail', { kind: 'creator-password', creatorId: creator.id })
}

/** Whether the school has an account: before it has one, its first visitor makes it. */
export async function isClaimed(db: Queryable): Promise<boolean> {
  const [creator] = await db.select({ id: creators.id }).from(creators).limit(1)
  return creator !== undefined
}
