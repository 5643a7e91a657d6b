import { Hono } from 'hono'
import * as v from 'valibot'
import type { Services } from '../context.ts'
import { creatorOnly, type StudioEnv } from '../http/guard.ts'
import { validate } from '../http/validate.ts'
import { needsAttention } from './attention.ts'
import { listOrders, openOrder, ordersQuery, sumOrders } from './service.ts'

export function orderRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', validate('query', ordersQuery), async (c) =>
      c.json(await listOrders(services, c.get('mode'), c.req.valid('query'))),
    )
    .get('/attention', async (c) => c.json({ items: await needsAttention(services, c.get('mode')) }))
    .get('/sum', async (c) => c.json(await sumOrders(services, c.get('mode'))))
    .get(
      '/:id',
      validate('param', v.object({ id: v.pipe(v.string(), v.uuid('There is no such order.')) })),
      async (c) => c.json(await openOrder(services, c.get('mode'), c.req.valid('param').id)),
    )
}
