import type { Context } from 'hono'
import { deleteCookie, setCookie } from 'hono/cookie'
import type { Config } from '../platform/config.ts'
import { SESSION_DAYS } from './sessions.ts'

/** For so many days a browser is known to have signed in before. */
export const KNOWN_DAYS = 365

/** Keeps something in a browser: not for scripts, not from other sites, and over TLS alone where the product has it. */
export function keepCookie(
  c: Context,
  { origin }: Pick<Config, 'origin'>,
  name: string,
  value: string,
  days = SESSION_DAYS,
): void {
  setCookie(c, name, value, {
    httpOnly: true,
    sameSite: 'Lax',
    path: '/',
    maxAge: days * 86_400,
    secure: origin.startsWith('https:'),
  })
}

export function dropCookie(c: Context, { origin }: Pick<Config, 'origin'>, name: string): void {
  deleteCookie(c, name, { path: '/', secure: origin.startsWith('https:') })
}
