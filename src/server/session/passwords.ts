import { availableParallelism } from 'node:os'
import { hash, verify } from '@node-rs/argon2'
import pLimit from 'p-limit'
import * as v from 'valibot'
import { REFUSED } from '../../core/words/en/refused.ts'
import type { ClientAddress } from '../http/clientAddress.ts'
import { Problem } from '../http/problem.ts'
import type { Tools } from '../platform/context.ts'

export const passwordSchema = v.pipe(
  v.string(),
  v.minLength(10, REFUSED.passwordShort),
  v.maxLength(200, REFUSED.passwordLong),
)

/** Hashing keeps a processor busy on purpose: as many at a time as there are. */
const hashing = pLimit(availableParallelism())

export const hashPassword = (password: string): Promise<string> => hashing(() => hash(password))

let decoy: Promise<string> | null = null

/** Who tries to sign in, from where. */
export interface SignInTry {
  /** Names the account, whether it exists or not: "creator ada@…", "buyer live ada@…". */
  account: string
  address: ClientAddress | null
  /** The mark that this browser got when it signed in to the account before; null where it has none. */
  known: string | null
}

/**
 * Checks a password. Tries are counted by address, range and account before the password is looked at; a browser that
 * has signed in to the account before has a count of its own, so that strangers cannot lock its owner out. An unknown
 * account costs the same time as a wrong password.
 * @throws Problem 429 where there were too many, 401 where it is wrong.
 */
export async function checkPassword(
  { limits, secrets }: Pick<Tools, 'limits' | 'secrets'>,
  { account, address, known }: SignInTry,
  storedHash: string | null,
  password: string,
): Promise<void> {
  const isKnown = known !== null && secrets.isMark(known, account)
  const byAddress = { 'sign-in:ip': address?.ip ?? null, 'sign-in:range': address?.range ?? null }
  const byAccount = isKnown ? { 'sign-in:browser': known } : { 'sign-in:account': account }
  await limits.count({ ...byAddress, ...byAccount }, REFUSED.tooManyPasswords)
  decoy ??= hashPassword('a password that nobody has')
  const against = storedHash ?? (await decoy)
  const isRight = await hashing(() => verify(against, password))
  if (!isRight || !storedHash) {
    throw new Problem(401, 'wrong-password', REFUSED.noMatch)
  }
  await Promise.all([limits.giveBack(byAddress), limits.forget(byAccount)])
}
