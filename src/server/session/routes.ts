import { type Context, Hono } from 'hono'
import { getCookie } from 'hono/cookie'
import * as v from 'valibot'
import { clientAddress, proxyList } from '../http/clientAddress.ts'
import { validate } from '../http/validate.ts'
import type { Services } from '../platform/context.ts'
import { emailSchema, findSchool, getSchool } from '../school/service.ts'
import {
  askCreatorEmail,
  changeCreatorPassword,
  creatorNameSchema,
  newEmailSchema,
  newPasswordSchema,
  renameCreator,
} from './account.ts'
import { dropCookie, KNOWN_DAYS, keepCookie } from './cookies.ts'
import { chosenMode, creatorOnly, MODE_COOKIE, STUDIO_COOKIE, type StudioEnv } from './guard.ts'
import { countGuesses } from './guesses.ts'
import { confirmCreatorEmail, setCreatorPassword } from './links.ts'
import { passwordSchema } from './passwords.ts'
import { closeOthers, closeSession, creatorOf, devicesOf } from './sessions.ts'
import { askCreatorPassword, isClaimed, setUp, setupSchema, signIn } from './signIn.ts'

/** Marks a browser that has signed in to the studio before. */
const KNOWN_STUDIO_COOKIE = 'acorn_known_studio'

/** Before sign-in: what the studio must know to show its first screen, set-up, sign-in and out. */
export function sessionRoutes(services: Services) {
  const proxies = proxyList(services.config.trustedProxies)
  return new Hono()
    .get('/', async (c) => {
      const [school, hasCreator] = await Promise.all([findSchool(services.db), isClaimed(services.db)])
      const creator = await creatorOf(services, getCookie(c, STUDIO_COOKIE))
      const mode = chosenMode(c) ?? 'practice'
      return c.json({
        isSetUp: hasCreator,
        creator,
        school: creator && school,
        // One that came from a file, for its first visitor to go on with.
        imported: hasCreator ? null : school,
        mode: creator && mode,
      })
    })
    .post('/setup', validate('json', setupSchema), async (c) => {
      const { token } = await setUp(services, c.req.valid('json'), deviceOf(c))
      keepCookie(c, services.config, STUDIO_COOKIE, token)
      return c.json({ ok: true })
    })
    .post(
      '/sign-in',
      validate('json', v.object({ email: emailSchema, password: v.pipe(v.string(), v.maxLength(1000)) })),
      async (c) => {
        const { email, password } = c.req.valid('json')
        const known = getCookie(c, KNOWN_STUDIO_COOKIE) ?? null
        const signedIn = await signIn(services, email, password, {
          address: clientAddress(c, proxies),
          known,
          device: deviceOf(c),
        })
        keepCookie(c, services.config, STUDIO_COOKIE, signedIn.token)
        keepCookie(c, services.config, KNOWN_STUDIO_COOKIE, signedIn.known, KNOWN_DAYS)
        const mode = (await getSchool(services.db)).shopMode
        keepCookie(c, services.config, MODE_COOKIE, mode)
        return c.json({ ok: true })
      },
    )
    .post('/recover', validate('json', v.object({ email: emailSchema })), async (c) => {
      await askCreatorPassword(services, c.req.valid('json').email, clientAddress(c, proxies))
      return c.json({ ok: true })
    })
    .post(
      '/password',
      countGuesses(services),
      validate('json', v.object({ token: v.pipe(v.string(), v.maxLength(200)), password: passwordSchema })),
      async (c) => {
        const { token, password } = c.req.valid('json')
        const set = await setCreatorPassword(services, token, password)
        keepCookie(c, services.config, STUDIO_COOKIE, set.token)
        keepCookie(c, services.config, KNOWN_STUDIO_COOKIE, services.secrets.mark(`creator ${set.email}`), KNOWN_DAYS)
        return c.json({ ok: true })
      },
    )
    .post(
      '/email',
      countGuesses(services),
      validate('json', v.object({ token: v.pipe(v.string(), v.maxLength(200)) })),
      async (c) => c.json(await confirmCreatorEmail(services, c.req.valid('json').token)),
    )
    .post('/sign-out', async (c) => {
      await closeSession(services, getCookie(c, STUDIO_COOKIE))
      dropCookie(c, services.config, STUDIO_COOKIE)
      dropCookie(c, services.config, MODE_COOKIE)
      return c.json({ ok: true })
    })
}

/** What a browser calls itself. */
function deviceOf(c: Context): string {
  return c.req.header('user-agent') ?? ''
}

/** The signed-in creator's own account. */
export function accountRoutes(services: Services) {
  const proxies = proxyList(services.config.trustedProxies)
  const token = (c: Context) => getCookie(c, STUDIO_COOKIE)
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', async (c) => {
      const { id, name, email } = c.get('creator')
      return c.json({ name, email, devices: await devicesOf(services, id, token(c)) })
    })
    .put('/name', validate('json', creatorNameSchema), async (c) => {
      await renameCreator(services, c.get('creator'), c.req.valid('json').name)
      return c.json({ ok: true })
    })
    .put('/email', validate('json', newEmailSchema), async (c) => {
      await askCreatorEmail(services, c.get('creator'), c.req.valid('json'), clientAddress(c, proxies))
      return c.json({ ok: true })
    })
    .put('/password', validate('json', newPasswordSchema), async (c) => {
      const from = { address: clientAddress(c, proxies), device: deviceOf(c) }
      const made = await changeCreatorPassword(services, c.get('creator'), c.req.valid('json'), from)
      keepCookie(c, services.config, STUDIO_COOKIE, made)
      return c.json({ ok: true })
    })
    .delete('/devices', async (c) => {
      await closeOthers(services, c.get('creator').id, token(c), null)
      return c.json({ ok: true })
    })
    .delete(
      '/devices/:id',
      validate('param', v.object({ id: v.pipe(v.string(), v.uuid('There is no such device.')) })),
      async (c) => {
        await closeOthers(services, c.get('creator').id, token(c), c.req.valid('param').id)
        return c.json({ ok: true })
      },
    )
}
