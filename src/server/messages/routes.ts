import { Hono } from 'hono'
import * as v from 'valibot'
import type { Services } from '../context.ts'
import { creatorOnly, type StudioEnv } from '../http/guard.ts'
import { validate } from '../http/validate.ts'
import { openOutbox, sendAgain } from './outbox.ts'

const byId = v.object({ id: v.pipe(v.string(), v.uuid('There is no such message.')) })

/** What is on its way to buyers. */
export function messageRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', async (c) => c.json(await openOutbox(services, c.get('mode'))))
    .post('/:id/send', validate('param', byId), async (c) => {
      await sendAgain(services, c.get('mode'), c.req.valid('param').id)
      return c.json({ ok: true })
    })
}
