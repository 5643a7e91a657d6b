import type { Context } from 'hono'
import { getCookie } from 'hono/cookie'
import type { Mode } from '../db/schema/columns.ts'
import { type ClientAddress, clientAddress, proxiesOf } from '../http/clientAddress.ts'
import type { Services } from '../platform/context.ts'
import { hashToken, newToken } from '../platform/secrets.ts'
import type { School } from '../school/service.ts'
import { keepCookie } from './cookies.ts'
import { chosenMode, STUDIO_COOKIE } from './guard.ts'
import { creatorOf, type Person, personOf } from './sessions.ts'

export const SHOP_COOKIE = 'acorn_shop'
export const BROWSER_COOKIE = 'acorn_browser'
/** Of a browser that collects things before anybody signs in. */
const BASKET_COOKIE = 'acorn_basket'

/** Who asks to enter: a signed-in buyer, and the browser that may have bought without signing in. */
export interface Visitor {
  mode: Mode
  person: Person | null
  browserHash: string | null
  /** Hash of the cookie of this browser's basket. */
  basketHash?: string | null
  /** The signed-in creator, who may try a real purchase. */
  isCreator?: boolean
  /** From where they ask; absent where nobody does. */
  address?: ClientAddress
}

/**
 * Who looks at the shop, and in which mode: strangers in the school's, the signed-in creator in
 * the one they chose in the studio.
 */
export async function visitorOf(
  c: Context,
  services: Services,
  school: School,
): Promise<Visitor & { isOwnView: boolean; isCreator: boolean }> {
  const chosen = chosenMode(c)
  const creator = chosen ? await creatorOf(services, getCookie(c, STUDIO_COOKIE)) : null
  const mode = creator && chosen ? chosen : school.shopMode
  const person = await personOf(services, getCookie(c, SHOP_COOKIE))
  const browser = getCookie(c, BROWSER_COOKIE)
  const basket = getCookie(c, BASKET_COOKIE)
  return {
    mode,
    // A buyer's account belongs to one mode; in the other they are a stranger.
    person: person?.mode === mode ? person : null,
    browserHash: browser ? hashToken(browser) : null,
    basketHash: basket ? hashToken(basket) : null,
    isOwnView: mode !== school.shopMode,
    isCreator: creator !== null,
    address: clientAddress(c, proxiesOf(services.config)),
  }
}

/**
 * The hash of this browser's own cookie, which is set where it has none yet.
 * @param key of a request that may be sent again: it gives the same browser the same cookie, also where the answer was lost.
 */
export function browserHashOf(c: Context, config: Services['config'], key?: string): string {
  const known = getCookie(c, BROWSER_COOKIE)
  if (known) return hashToken(known)
  const token = key === undefined ? newToken().token : hashToken(`browser of ${key}`)
  keepCookie(c, config, BROWSER_COOKIE, token)
  return hashToken(token)
}

/**
 * The hash of this browser's basket, whose cookie is set anew so that it is kept for `days` from now.
 * @param isKnown whether its cookie is one of ours; any other is as good as none, and is replaced.
 */
export function basketHashOf(c: Context, config: Services['config'], days: number, isKnown: boolean): string {
  const cookie = isKnown ? getCookie(c, BASKET_COOKIE) : undefined
  const { token, hash } = cookie === undefined ? newToken() : { token: cookie, hash: hashToken(cookie) }
  keepCookie(c, config, BASKET_COOKIE, token, days)
  return hash
}
