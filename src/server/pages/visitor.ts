import type { Context } from 'hono'
import { getCookie } from 'hono/cookie'
import type { Visitor } from '../access/service.ts'
import type { Services } from '../context.ts'
import { keepCookie } from '../http/cookies.ts'
import { chosenMode, STUDIO_COOKIE } from '../http/guard.ts'
import type { School } from '../school/service.ts'
import { creatorOf, personOf } from '../school/sessions.ts'
import { hashToken, newToken } from '../secrets.ts'

export const SHOP_COOKIE = 'acorn_shop'
export const BROWSER_COOKIE = 'acorn_browser'

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
  return {
    mode,
    // A buyer's account belongs to one mode; in the other they are a stranger.
    person: person?.mode === mode ? person : null,
    browserHash: browser ? hashToken(browser) : null,
    isOwnView: mode !== school.shopMode,
    isCreator: creator !== null,
  }
}

/** The hash of this browser's own cookie, which is set where it has none yet. */
export function browserHashOf(c: Context, config: Services['config']): string {
  const known = getCookie(c, BROWSER_COOKIE)
  if (known) return hashToken(known)
  const { token, hash } = newToken()
  keepCookie(c, config, BROWSER_COOKIE, token)
  return hash
}
