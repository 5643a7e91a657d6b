import { eq } from 'drizzle-orm'
import * as v from 'valibot'
import { transaction } from '../db/client.ts'
import { creators, sessions } from '../db/schema/index.ts'
import type { ClientAddress } from '../http/clientAddress.ts'
import { fieldProblem, notFound, Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { emailSchema } from '../school/service.ts'
import { checkPassword, hashPassword, passwordSchema } from './passwords.ts'
import { type Creator, openSession } from './sessions.ts'

export const creatorNameSchema = v.object({
  name: v.pipe(v.string(), v.trim(), v.nonEmpty('Write your name.'), v.maxLength(100, 'Use at most 100 characters.')),
})
const current = v.pipe(v.string(), v.nonEmpty('Write your current password.'), v.maxLength(1000))
export const newEmailSchema = v.object({ email: emailSchema, password: current })
export const newPasswordSchema = v.object({ current, password: passwordSchema })

/** Changes what the creator is called. */
export async function renameCreator({ db }: Services, { id }: Creator, name: string): Promise<void> {
  await db.update(creators).set({ name }).where(eq(creators.id, id))
}

/**
 * Sends a link to a new address of the creator's, by which it becomes theirs. @throws Problem at `/password` where that
 * is wrong, at `/email` where it is theirs already, 429 where too much was tried.
 */
export async function askCreatorEmail(
  services: Services,
  creator: Creator,
  { email, password }: v.InferOutput<typeof newEmailSchema>,
  address: ClientAddress | null,
): Promise<void> {
  if (email === creator.email) throw fieldProblem('/email', 'This is your email already.')
  await confirmPassword(services, creator, password, '/password', address)
  await services.limits.count({ 'mail:email': `creator ${email}` })
  await services.jobs.send(services.db, 'account-mail', { kind: 'creator-email', creatorId: creator.id, email })
}

/**
 * Sets a new password; every other device is signed out. @throws Problem at `/current` where the old one is wrong, 429.
 * @returns the token of a new session for the browser that asked.
 */
export async function changeCreatorPassword(
  services: Services,
  creator: Creator,
  { current: old, password }: v.InferOutput<typeof newPasswordSchema>,
  { address, device }: { address: ClientAddress | null; device: string },
): Promise<string> {
  await confirmPassword(services, creator, old, '/current', address)
  const passwordHash = await hashPassword(password)
  await transaction(services.db, async (tx) => {
    await tx.update(creators).set({ passwordHash }).where(eq(creators.id, creator.id))
    await tx.delete(sessions).where(eq(sessions.creatorId, creator.id))
  })
  return openSession(services, { creatorId: creator.id }, device)
}

async function confirmPassword(
  services: Services,
  { id, email }: Creator,
  password: string,
  at: string,
  address: ClientAddress | null,
): Promise<void> {
  const [row] = await services.db.select().from(creators).where(eq(creators.id, id))
  if (!row) throw notFound('creator')
  try {
    await checkPassword(services, { account: `creator ${email}`, address, known: null }, row.passwordHash, password)
  } catch (error) {
    if (error instanceof Problem && error.code === 'wrong-password')
      throw fieldProblem(at, 'This is not your password.')
    throw error
  }
}
