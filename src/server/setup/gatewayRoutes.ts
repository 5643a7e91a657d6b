import { Hono } from 'hono'
import * as v from 'valibot'
import { connectGateway, connectSchema, disconnectGateway, orderGateways, pauseGateway } from '../gateways/service.ts'
import { setTransfer, transferSchema } from '../gateways/transferSettings.ts'
import { validate } from '../http/validate.ts'
import type { Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { answering, keyedByCreator } from '../session/keyed.ts'
import { listUnknown, refundUnknown, settleUnknown } from '../upkeep/unknown.ts'
import { listGateways, whatStops } from './overview.ts'

const byId = v.object({ id: v.pipe(v.string(), v.uuid('There is no such payment.')) })
const note = v.pipe(
  v.string(),
  v.trim(),
  v.nonEmpty('Say why. It is kept in the history.'),
  v.maxLength(300, 'Use at most 300 characters.'),
)
const byAdapter = v.object({ adapter: v.pipe(v.string(), v.maxLength(40)) })

export function gatewayRoutes(services: Services) {
  const keyed = keyedByCreator(services)
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', async (c) => c.json(await listGateways(services, c.get('mode'))))
    .post('/', validate('json', connectSchema), async (c) => {
      await connectGateway(services, c.get('mode'), c.req.valid('json'))
      return c.json({ ok: true })
    })
    .get('/unknown', async (c) => c.json({ payments: await listUnknown(services, c.get('mode')) }))
    .post('/unknown/:id/refund', validate('param', byId), keyed, async (c) => {
      await refundUnknown(answering(c, services), c.get('mode'), c.req.valid('param').id)
      return c.json({ ok: true })
    })
    .post('/unknown/:id/settle', validate('param', byId), validate('json', v.object({ note })), keyed, async (c) => {
      await settleUnknown(answering(c, services), c.get('mode'), c.req.valid('param').id, c.req.valid('json').note)
      return c.json({ ok: true })
    })
    .put('/transfer', validate('json', transferSchema), async (c) => {
      await setTransfer(services, c.get('mode'), c.req.valid('json'))
      return c.json({ ok: true })
    })
    .put('/order', validate('json', v.object({ order: v.pipe(v.array(v.string()), v.maxLength(20)) })), async (c) => {
      await orderGateways(services, c.get('mode'), c.req.valid('json').order)
      return c.json({ ok: true })
    })
    .put(
      '/:adapter/pause',
      validate('param', byAdapter),
      validate('json', v.object({ isPaused: v.boolean(), displace: v.optional(v.boolean(), false) })),
      async (c) => {
        const { isPaused, displace } = c.req.valid('json')
        await pauseGateway(services, c.get('mode'), c.req.valid('param').adapter, isPaused, displace)
        return c.json({ ok: true })
      },
    )
    .get('/:adapter/stops', validate('param', byAdapter), async (c) =>
      c.json(await whatStops(services, c.get('mode'), c.req.valid('param').adapter)),
    )
    .delete('/:adapter', validate('param', byAdapter), async (c) => {
      await disconnectGateway(services, c.get('mode'), c.req.valid('param').adapter)
      return c.json({ ok: true })
    })
}
