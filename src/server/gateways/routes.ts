import { Hono } from 'hono'
import * as v from 'valibot'
import type { Services } from '../context.ts'
import { creatorOnly, type StudioEnv } from '../http/guard.ts'
import { validate } from '../http/validate.ts'
import { connectGateway, connectSchema, disconnectGateway, listGateways } from './service.ts'

export function gatewayRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', async (c) => c.json(await listGateways(services, c.get('mode'))))
    .post('/', validate('json', connectSchema), async (c) => {
      await connectGateway(services, c.get('mode'), c.req.valid('json'))
      return c.json({ ok: true })
    })
    .delete('/:adapter', validate('param', v.object({ adapter: v.string() })), async (c) => {
      await disconnectGateway(services, c.get('mode'), c.req.valid('param').adapter)
      return c.json({ ok: true })
    })
}
