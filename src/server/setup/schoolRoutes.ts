import { Hono } from 'hono'
import * as v from 'valibot'
import { lookSchema } from '../../core/look/look.ts'
import { retriesSchema, setRetries } from '../collecting/policy.ts'
import { MODES } from '../db/schema/columns.ts'
import { validate } from '../http/validate.ts'
import { notificationsSchema, setNotifications } from '../outbox/notifications.ts'
import type { Services } from '../platform/context.ts'
import { clearPractice } from '../practice/practice.ts'
import { MAX_DAYS, practiceClock, startMove, stopMove } from '../practice/practiceTime.ts'
import {
  changeSchool,
  graceSchema,
  keepYearsSchema,
  mailSchema,
  openSchool,
  schoolSchema,
  setGrace,
  setKeepYears,
  setLook,
  setMail,
  setShopMode,
  setTerms,
  termsSchema,
} from '../school/service.ts'
import { keepCookie } from '../session/cookies.ts'
import { creatorOnly, MODE_COOKIE, type StudioEnv } from '../session/guard.ts'
import { answering, keyedByCreator } from '../session/keyed.ts'
import { giveTrialBack, goLiveList, openTrial } from './goLive.ts'

/** The school and the mode, for the signed-in creator. */
export function schoolRoutes(services: Services) {
  const keyed = keyedByCreator(services)
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
    .put('/look', validate('json', lookSchema), async (c) => c.json(await setLook(services, c.req.valid('json'))))
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
    .put('/notifications', validate('json', notificationsSchema), async (c) => {
      await setNotifications(services, c.req.valid('json'))
      return c.json({ ok: true })
    })
    .get('/live', async (c) => c.json(await goLiveList(services)))
    .post('/live/trial', async (c) => c.json(await openTrial(services)))
    .post('/live/trial/give-back', keyed, async (c) => c.json(await giveTrialBack(answering(c, services))))
    .get('/practice', async (c) => c.json(await practiceClock(services)))
    .post(
      '/practice/move',
      validate(
        'json',
        v.object({
          to: v.union([
            v.literal('next'),
            v.object({ days: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(MAX_DAYS)) }),
          ]),
        }),
      ),
      keyed,
      async (c) => {
        await startMove(answering(c, services), c.req.valid('json').to)
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
