import { Hono } from 'hono'
import * as v from 'valibot'
import { MESSAGE_KINDS } from '../db/schema/index.ts'
import { validate } from '../http/validate.ts'
import type { Services } from '../platform/context.ts'
import { emailSchema, getSchool } from '../school/service.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { sampleOf } from './samples.ts'
import { openOutbox, readMessage, sendAgain, sendOnceMore, sendTest } from './sent.ts'

const sampleSchema = v.object({
  kind: v.picklist(MESSAGE_KINDS),
  ownWords: v.optional(v.pipe(v.string(), v.maxLength(600, 'Use at most 600 characters.')), ''),
})
const byId = v.object({ id: v.pipe(v.string(), v.uuid('There is no such message.')) })

/** What is on its way to buyers. */
export function messageRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', async (c) => c.json(await openOutbox(services, c.get('mode'))))
    .post('/sample', validate('json', sampleSchema), async (c) => {
      const { kind, ownWords } = c.req.valid('json')
      const { subject, html } = await sampleOf(services, await getSchool(services.db), kind, ownWords)
      return c.json({ subject, html })
    })
    .post('/test', validate('json', sampleSchema), async (c) => {
      const { kind, ownWords } = c.req.valid('json')
      await sendTest(services, c.get('creator'), kind, ownWords)
      return c.json({ ok: true })
    })
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
