import type { Context, MiddlewareHandler } from 'hono'
import { getCookie } from 'hono/cookie'
import { MODES, type Mode } from '../db/schema/columns.ts'
import { BODY_LIMITS, limitBody } from '../http/bodies.ts'
import { Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { type Creator, creatorOf } from './sessions.ts'

export const STUDIO_COOKIE = 'acorn_studio'
export const MODE_COOKIE = 'acorn_mode'

const SAFE_METHODS = new Set(['GET', 'HEAD', 'OPTIONS'])

/** Refuses changing requests that do not come from our own pages. A missing Origin is refused too. */
export function sameOrigin(origin: string): MiddlewareHandler {
  return async (c, next) => {
    if (!SAFE_METHODS.has(c.req.method) && c.req.header('origin') !== origin) {
      throw new Problem(403, 'foreign-origin', 'This request is not from the product’s own pages.')
    }
    await next()
  }
}

export interface StudioEnv {
  Variables: { creator: Creator; mode: Mode }
}

/** Lets only a signed-in creator through, and says which mode they look at. */
export function creatorOnly(services: Services): MiddlewareHandler<StudioEnv> {
  // Only who is signed in may send so much; before that nothing is read.
  const limited = limitBody(BODY_LIMITS.creator)
  return async (c, next) => {
    const creator = await creatorOf(services, getCookie(c, STUDIO_COOKIE))
    if (!creator) throw new Problem(401, 'signed-out', 'Sign in first.')
    c.set('creator', creator)
    c.set('mode', chosenMode(c) ?? 'practice')
    return c.req.path.endsWith('/media/pictures') ? next() : limited(c, next)
  }
}

/** The mode that a creator chose to look at, where one was chosen. */
export function chosenMode(c: Context): Mode | null {
  const chosen = getCookie(c, MODE_COOKIE)
  return MODES.find((mode) => mode === chosen) ?? null
}
