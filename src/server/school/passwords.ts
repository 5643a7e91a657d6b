import { hash, verify } from '@node-rs/argon2'
import { eq, sql } from 'drizzle-orm'
import * as v from 'valibot'
import type { Services } from '../context.ts'
import { signInTries } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'

export const passwordSchema = v.pipe(
  v.string(),
  v.minLength(10, 'A password has at least 10 characters.'),
  v.maxLength(200, 'Keep the password under 200 characters.'),
)

/** Wrong tries that are free before each further one makes the wait longer. */
const FREE_TRIES = 4
const LONGEST_WAIT_SECONDS = 15 * 60

export const hashPassword = (password: string): Promise<string> => hash(password)

let decoy: Promise<string> | null = null

/**
 * Checks a password, slowed down by address after a few wrong tries: 2, 4, 8 … seconds.
 * An unknown address costs the same time as a wrong password.
 * @throws Problem 429 while waiting, 401 where it is wrong.
 */
export async function checkPassword(
  services: Services,
  key: string,
  storedHash: string | null,
  password: string,
): Promise<void> {
  const { db, now } = services
  const [tries] = await db.select().from(signInTries).where(eq(signInTries.key, key))
  const wait = tries?.blockedUntil ? Math.ceil((tries.blockedUntil.getTime() - now().getTime()) / 1000) : 0
  if (wait > 0) {
    throw new Problem(429, 'slow-down', `Too many wrong passwords. Try again in ${wait} seconds.`, [], {
      retryAfter: wait,
    })
  }
  decoy ??= hash('a password that nobody has')
  const right = await verify(storedHash ?? (await decoy), password)
  if (right && storedHash) {
    await db.delete(signInTries).where(eq(signInTries.key, key))
    return
  }
  await countFailure(services, key)
  throw new Problem(401, 'wrong-password', 'This address and password do not belong together.')
}

async function countFailure({ db, now }: Services, key: string) {
  const at = now()
  const [row] = await db
    .insert(signInTries)
    .values({ key, failures: 1, lastAt: at })
    .onConflictDoUpdate({ target: signInTries.key, set: { failures: sql`${signInTries.failures} + 1`, lastAt: at } })
    .returning({ failures: signInTries.failures })
  const over = (row?.failures ?? 0) - FREE_TRIES
  if (over <= 0) return
  const seconds = Math.min(2 ** over, LONGEST_WAIT_SECONDS)
  await db
    .update(signInTries)
    .set({ blockedUntil: new Date(at.getTime() + seconds * 1000) })
    .where(eq(signInTries.key, key))
}
