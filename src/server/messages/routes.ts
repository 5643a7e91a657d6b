import { Hono } from 'hono'
import * as v from 'valibot'
import type { Services } from '../context.ts'
import { creatorOnly, type StudioEnv } from '../http/guard.ts'
import { validate } from '../http/validate.ts'
import { emailSchema } from '../school/service.ts'
import { openOutbox, readMessage, sendAgain, sendOnceMore } from './outbox.ts'

const byId = v.object({ id: v.pipe(v.string(), v.uuid('There is no such message.')) })

/** What is on its way to buyers. */
export function messageRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', async (c) => c.json(await openOutbox(services, c.get('mode'))))
    .get('/:id', validate('param', byId), async (c) =>
      c.json(await readMessage(services, c.get('mode'), c.req.valid('param').id)),
    )
    .post('/:id/again', validate('param', byId), validate('json', v.object({ email: emailSchema })), async (c) => {
      await sendOnceMore(services, c.get('mode'), c.req.valid('param').id, c.req.valid('json').email)
      return c.json({ ok: true })
    })
    .post('/:id/send', validate('param', byId), async (c) => {
      await sendAgain(services, c.get('mode'), c.req.valid('param').id)
      return c.json({ ok: true })
    })
}
