import { Hono } from 'hono'
import * as v from 'valibot'
import { validate } from '../http/validate.ts'
import { inMode, type Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { answering, keyedByCreator } from '../session/keyed.ts'
import { answerDispute, answerSchema, decideLost, lostSchema } from './disputes.ts'
import {
  refundLine,
  refundOutside,
  refundOutsideSchema,
  refundSchema,
  refundWhole,
  refundWholeSchema,
} from './service.ts'

const byOrder = v.object({ order: v.pipe(v.string(), v.uuid('There is no such order.')) })
const byDispute = v.object({ id: v.pipe(v.string(), v.uuid('There is no such dispute.')) })

/** Money that goes back: refunds and disputes. */
export function refundRoutes(services: Services) {
  const keyed = keyedByCreator(services)
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .post('/orders/:order/refunds', validate('param', byOrder), validate('json', refundSchema), keyed, async (c) => {
      const mode = c.get('mode')
      const theirs = answering(c, await inMode(services, mode))
      return c.json(await refundLine(theirs, mode, c.req.valid('param').order, c.req.valid('json')))
    })
    .post(
      '/orders/:order/refunds/whole',
      validate('param', byOrder),
      validate('json', refundWholeSchema),
      keyed,
      async (c) => {
        const mode = c.get('mode')
        const theirs = answering(c, await inMode(services, mode))
        return c.json(await refundWhole(theirs, mode, c.req.valid('param').order, c.req.valid('json')))
      },
    )
    .post(
      '/orders/:order/refunds/outside',
      validate('param', byOrder),
      validate('json', refundOutsideSchema),
      keyed,
      async (c) => {
        const mode = c.get('mode')
        await refundOutside(
          answering(c, await inMode(services, mode)),
          mode,
          c.req.valid('param').order,
          c.req.valid('json'),
        )
        return c.json({ ok: true })
      },
    )
    .post('/disputes/:id/answer', validate('param', byDispute), validate('json', answerSchema), keyed, async (c) => {
      const mode = c.get('mode')
      await answerDispute(
        answering(c, await inMode(services, mode)),
        mode,
        c.req.valid('param').id,
        c.req.valid('json'),
      )
      return c.json({ ok: true })
    })
    .post('/disputes/:id/access', validate('param', byDispute), validate('json', lostSchema), keyed, async (c) => {
      const mode = c.get('mode')
      await decideLost(answering(c, await inMode(services, mode)), mode, c.req.valid('param').id, c.req.valid('json'))
      return c.json({ ok: true })
    })
}
