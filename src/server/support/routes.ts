import { Hono } from 'hono'
import * as v from 'valibot'
import { validate } from '../http/validate.ts'
import { receiptOf } from '../orders/receipt.ts'
import { receiptPdf } from '../orders/receiptPdf.ts'
import type { Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { needsAttention } from './attention.ts'
import { itemsCsv, ordersCsv } from './files.ts'
import { listOrders, openOrder, ordersFor, ordersQuery, sumOrders } from './orders.ts'
import { recentDays } from './recent.ts'

export function orderRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', validate('query', ordersQuery), async (c) =>
      c.json(await listOrders(services, c.get('mode'), c.req.valid('query'))),
    )
    .get('/orders.csv', validate('query', ordersQuery), async (c) => {
      const { before: _before, ...query } = c.req.valid('query')
      c.header('content-type', 'text/csv; charset=utf-8')
      c.header('content-disposition', 'attachment; filename="orders.csv"')
      const { timeZone } = await getSchool(services.db)
      return c.body(ordersCsv(await ordersFor(services, c.get('mode'), query), timeZone))
    })
    .get('/items.csv', validate('query', ordersQuery), async (c) => {
      const { before: _before, ...query } = c.req.valid('query')
      c.header('content-type', 'text/csv; charset=utf-8')
      c.header('content-disposition', 'attachment; filename="order-items.csv"')
      const { timeZone } = await getSchool(services.db)
      return c.body(itemsCsv(await ordersFor(services, c.get('mode'), query), timeZone))
    })
    .get('/attention', async (c) => c.json({ items: await needsAttention(services, c.get('mode')) }))
    .get('/recent', async (c) => c.json(await recentDays(services, c.get('mode'))))
    .get('/sum', async (c) => c.json(await sumOrders(services, c.get('mode'))))
    .get(
      '/:id',
      validate('param', v.object({ id: v.pipe(v.string(), v.uuid('There is no such order.')) })),
      async (c) => c.json(await openOrder(services, c.get('mode'), c.req.valid('param').id)),
    )
    .get(
      '/:id/receipt.pdf',
      validate('param', v.object({ id: v.pipe(v.string(), v.uuid('There is no such order.')) })),
      async (c) => {
        const { id } = c.req.valid('param')
        await openOrder(services, c.get('mode'), id)
        const receipt = await receiptOf(services, id)
        const pdf = await receiptPdf(receipt)
        return c.body(new Uint8Array(pdf), 200, {
          'content-type': 'application/pdf',
          'content-disposition': `inline; filename="receipt-${receipt.number}.pdf"`,
        })
      },
    )
}
