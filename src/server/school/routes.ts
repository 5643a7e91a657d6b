import { type Context, Hono } from 'hono'
import { getCookie } from 'hono/cookie'
import * as v from 'valibot'
import { retriesSchema, setRetries } from '../collecting/policy.ts'
import type { Services } from '../context.ts'
import { MODES } from '../db/schema/columns.ts'
import { clientAddress, proxyList } from '../http/clientAddress.ts'
import { dropCookie, keepCookie } from '../http/cookies.ts'
import { chosenMode, creatorOnly, MODE_COOKIE, STUDIO_COOKIE, type StudioEnv } from '../http/guard.ts'
import { countGuesses } from '../http/guesses.ts'
import { validate } from '../http/validate.ts'
import { setTellings, tellingsSchema } from '../messages/tellings.ts'
import { confirmCreatorEmail, setCreatorPassword } from '../people/links.ts'
import {
  askCreatorEmail,
  changeCreatorPassword,
  creatorNameSchema,
  newEmailSchema,
  newPasswordSchema,
  renameCreator,
} from './account.ts'
import { giveTrialBack, goLiveList, openTrial } from './goLive.ts'
import { passwordSchema } from './passwords.ts'
import { clearPractice } from './practice.ts'
import { MOST_DAYS, practiceClock, startMove, stopMove } from './practiceTime.ts'
import {
  askCreatorPassword,
  changeSchool,
  emailSchema,
  findSchool,
  getSchool,
  graceSchema,
  keepYearsSchema,
  mailSchema,
  openSchool,
  schoolSchema,
  setGrace,
  setKeepYears,
  setMail,
  setShopMode,
  setTerms,
  setUp,
  setupSchema,
  signIn,
  termsSchema,
} from './service.ts'
import { closeOthers, closeSession, creatorOf, devicesOf } from './sessions.ts'

/** Marks a browser that has signed in to the studio before. */
const KNOWN_STUDIO_COOKIE = 'acorn_known_studio'
export const KNOWN_DAYS = 365

/** Before sign-in: what the studio must know to show its first screen, set-up, sign-in and out. */
export function sessionRoutes(services: Services) {
  const proxies = proxyList(services.config.trustedProxies)
  return new Hono()
    .get('/', async (c) => {
      const school = await findSchool(services.db)
      const creator = await creatorOf(services, getCookie(c, STUDIO_COOKIE))
      const mode = chosenMode(c) ?? 'practice'
      return c.json({ isSetUp: school !== null, creator, school: creator && school, mode: creator && mode })
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

/** The school and the mode, for the signed-in creator. */
export function schoolRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', async (c) => c.json(await openSchool(services)))
    .put('/', validate('json', schoolSchema), async (c) => {
      await changeSchool(services, c.req.valid('json'))
      return c.json({ ok: true })
    })
    .put(
      '/retries',
      validate('json', v.object({ days: retriesSchema, mayStop: v.optional(v.boolean(), false) })),
      async (c) => {
        const { days, mayStop } = c.req.valid('json')
        await setRetries(services, days, mayStop)
        return c.json({ ok: true })
      },
    )
    .put('/grace', validate('json', v.object({ days: graceSchema })), async (c) => {
      await setGrace(services, c.req.valid('json').days)
      return c.json({ ok: true })
    })
    .put('/mail', validate('json', mailSchema), async (c) => {
      await setMail(services, c.req.valid('json'))
      return c.json({ ok: true })
    })
    .put('/keep', validate('json', v.object({ years: keepYearsSchema })), async (c) => {
      await setKeepYears(services, c.req.valid('json').years)
      return c.json({ ok: true })
    })
    .put('/terms', validate('json', v.object({ terms: termsSchema })), async (c) => {
      await setTerms(services, c.req.valid('json').terms)
      return c.json({ ok: true })
    })
    .put('/tells', validate('json', tellingsSchema), async (c) => {
      await setTellings(services, c.req.valid('json'))
      return c.json({ ok: true })
    })
    .get('/live', async (c) => c.json(await goLiveList(services)))
    .post('/live/trial', async (c) => c.json(await openTrial(services)))
    .post('/live/trial/give-back', async (c) => c.json(await giveTrialBack(services)))
    .get('/practice', async (c) => c.json(await practiceClock(services)))
    .post(
      '/practice/move',
      validate(
        'json',
        v.object({
          to: v.union([
            v.literal('next'),
            v.object({ days: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(MOST_DAYS)) }),
          ]),
        }),
      ),
      async (c) => {
        await startMove(services, c.req.valid('json').to)
        return c.json({ ok: true }, 202)
      },
    )
    .delete('/practice/move', async (c) => {
      await stopMove(services)
      return c.json({ ok: true })
    })
    .delete('/practice', async (c) => {
      await clearPractice(services)
      return c.json({ ok: true })
    })
    .put('/mode', validate('json', v.object({ mode: v.picklist(MODES) })), async (c) => {
      keepCookie(c, services.config, MODE_COOKIE, c.req.valid('json').mode)
      return c.json({ ok: true })
    })
    .put('/shop-mode', validate('json', v.object({ mode: v.picklist(MODES) })), async (c) => {
      await setShopMode(services, c.req.valid('json').mode)
      return c.json({ ok: true })
    })
}
