import { createHash } from 'node:crypto'
import { codeKey } from '../../core/quote/codes.ts'
import { CODES } from '../../core/words/en/codes.ts'
import type { ClientAddress } from '../http/clientAddress.ts'
import type { WithDatabase } from '../platform/context.ts'
import { againIn, type Counted } from '../platform/limits.ts'
import { type FoundCode, findCodes } from './codes.ts'
import type { EnteredCode } from './sayings.ts'

/** Who enters codes: a browser without a cookie is a new one each time. */
export interface Entering {
  browserHash: string | null
  address?: ClientAddress | undefined
}

/** The codes that were typed, or came with a link, as far as anything is said of them. */
export interface EnteredCodes {
  found: FoundCode[]
  /** Those of which nothing is said, by their keys: too many were tried. They count as if they had not been entered. */
  refused: ReadonlySet<string>
  /** What is said instead, of right and wrong ones alike. */
  says: string
}

/**
 * Looks codes up. Each counts once a browser and quarter of an hour, whether it exists or not, so that what is applied
 * stays applied; beyond the limits nothing is said of more of them.
 */
export async function enterCodes(
  { db, limits }: WithDatabase,
  typed: readonly string[],
  who: Entering,
): Promise<EnteredCodes> {
  const keys = [...new Set(typed.map(codeKey))]
  if (keys.length === 0) return { found: [], refused: new Set(), says: '' }
  const browser = who.browserHash ?? crypto.randomUUID()
  const seenAs = new Map(keys.map((key) => [`${browser} ${createHash('sha1').update(key).digest('base64url')}`, key]))
  const fresh = await limits.within('code:seen', [...seenAs.keys()])
  const wait = await limits.spend(countedBy({ ...who, browserHash: browser }), fresh.length)
  // What was refused is counted anew when it is entered again.
  if (wait > 0) for (const key of fresh) await limits.forget({ 'code:seen': key })
  const refused = new Set(wait > 0 ? fresh.map((key) => seenAs.get(key) as string) : [])
  const found = await findCodes(
    db,
    typed.filter((code) => !refused.has(codeKey(code))),
  )
  return { found, refused, says: wait > 0 ? againIn(CODES.tooManyTried, wait) : '' }
}

/** Takes back what was counted for codes with which an order was placed: those were no guesses. */
export async function giveEnteredBack({ limits }: WithDatabase, count: number, who: Entering): Promise<void> {
  if (count > 0) await limits.giveBack(countedBy(who), count)
}

/** What is said of codes, with those of which nothing is said. */
export function withRefused(all: EnteredCode[], { refused, says }: EnteredCodes): EnteredCode[] {
  return all.map((entered) => (refused.has(codeKey(entered.code)) ? { ...entered, says } : entered))
}

function countedBy({ browserHash, address }: Entering): Counted {
  return { 'code:browser': browserHash, 'code:ip': address?.ip ?? null, 'code:range': address?.range ?? null }
}
