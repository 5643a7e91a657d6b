import { Hono } from 'hono'
import * as v from 'valibot'
import { validate } from '../http/validate.ts'
import { inMode, type Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { answering, keyedByCreator } from '../session/keyed.ts'
import { cameSchema, giveSurplusBack, recordTransferReceived, takeMarkBack } from './marks.ts'
import { giveTransferUp, waitAgain } from './waiting.ts'

const byOrder = v.object({ order: v.pipe(v.string(), v.uuid('There is no such order.')) })
const byTransfer = v.object({ ...byOrder.entries, id: v.pipe(v.string(), v.uuid('There is no such transfer.')) })
const note = v.pipe(v.string(), v.trim(), v.nonEmpty('Say why. It is kept in the history.'), v.maxLength(300))

/** Money that a person says has come by bank transfer, or comes no more. */
export function transferRoutes(services: Services) {
  const keyed = keyedByCreator(services)
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .post('/orders/:order/transfers', validate('param', byOrder), validate('json', cameSchema), keyed, async (c) => {
      const mode = c.get('mode')
      await recordTransferReceived(
        answering(c, await inMode(services, mode)),
        mode,
        c.req.valid('param').order,
        c.req.valid('json'),
      )
      return c.json({ ok: true })
    })
    .post(
      '/orders/:order/transfers/:id/take-back',
      validate('param', byTransfer),
      validate('json', v.object({ note })),
      keyed,
      async (c) => {
        const mode = c.get('mode')
        const { order, id } = c.req.valid('param')
        await takeMarkBack(answering(c, await inMode(services, mode)), mode, order, id, c.req.valid('json').note)
        return c.json({ ok: true })
      },
    )
    .post('/orders/:order/transfers/give-up', validate('param', byOrder), keyed, async (c) => {
      const mode = c.get('mode')
      await giveTransferUp(answering(c, await inMode(services, mode)), mode, c.req.valid('param').order)
      return c.json({ ok: true })
    })
    .post('/orders/:order/transfers/wait-again', validate('param', byOrder), keyed, async (c) => {
      const mode = c.get('mode')
      await waitAgain(answering(c, await inMode(services, mode)), mode, c.req.valid('param').order)
      return c.json({ ok: true })
    })
    .post(
      '/orders/:order/transfers/:id/given-back',
      validate('param', byTransfer),
      validate('json', v.object({ note })),
      keyed,
      async (c) => {
        const mode = c.get('mode')
        const { order, id } = c.req.valid('param')
        await giveSurplusBack(answering(c, await inMode(services, mode)), mode, order, id, c.req.valid('json').note)
        return c.json({ ok: true })
      },
    )
}
