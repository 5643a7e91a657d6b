import { Hono } from 'hono'
import * as v from 'valibot'
import { validate } from '../http/validate.ts'
import { accountsOf, enterPayout, payoutSchema, takePayoutBack } from '../ledger/payouts.ts'
import type { Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { answering, keyedByCreator } from '../session/keyed.ts'
import { moneyCalendar, movementsCsv, paymentsCsv } from './files.ts'
import { listMovements, movementsBetween } from './movements.ts'
import { listLate, listPayments, paymentsBetween, paymentsToCome } from './payments.ts'
import { productsQuery, sumProducts } from './products.ts'
import { exportQuery, lateQuery, monthsQuery, movementsQuery, paymentsQuery, spanQuery } from './query.ts'
import { sumMonths, sumSpan } from './spans.ts'

const byPayout = v.object({ id: v.pipe(v.string(), v.uuid('There is no such payout.')) })

/** Expected and received, the files made of it, and where the money is. */
export function moneyRoutes(services: Services) {
  const keyed = keyedByCreator(services)
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/months', validate('query', monthsQuery), async (c) =>
      c.json(await sumMonths(services, c.get('mode'), c.req.valid('query'))),
    )
    .get('/span', validate('query', spanQuery), async (c) =>
      c.json(await sumSpan(services, c.get('mode'), c.req.valid('query'))),
    )
    .get('/payments', validate('query', paymentsQuery), async (c) =>
      c.json(await listPayments(services, c.get('mode'), c.req.valid('query'))),
    )
    .get('/late', validate('query', lateQuery), async (c) =>
      c.json(await listLate(services, c.get('mode'), c.req.valid('query'))),
    )
    .get('/payments.csv', validate('query', exportQuery), async (c) => {
      const { from, until, ...query } = c.req.valid('query')
      const rows = await paymentsBetween(services, c.get('mode'), { from, until }, query)
      c.header('content-type', 'text/csv; charset=utf-8')
      c.header('content-disposition', `attachment; filename="payments-${from}-${until}.csv"`)
      const { timeZone } = await getSchool(services.db)
      return c.body(paymentsCsv(rows, timeZone))
    })
    .get('/movements', validate('query', movementsQuery), async (c) =>
      c.json(await listMovements(services, c.get('mode'), c.req.valid('query'))),
    )
    .get('/products', validate('query', productsQuery), async (c) =>
      c.json(await sumProducts(services, c.get('mode'), c.req.valid('query'))),
    )
    .get('/movements.csv', validate('query', spanQuery), async (c) => {
      const { from, until, ...query } = c.req.valid('query')
      const rows = await movementsBetween(services, c.get('mode'), { from, until }, query)
      c.header('content-type', 'text/csv; charset=utf-8')
      c.header('content-disposition', `attachment; filename="money-moved-${from}-${until}.csv"`)
      return c.body(movementsCsv(rows))
    })
    .get('/accounts', async (c) => c.json(await accountsOf(services, c.get('mode'))))
    .post('/payouts', validate('json', payoutSchema), keyed, async (c) => {
      await enterPayout(answering(c, services), c.get('mode'), c.req.valid('json'))
      return c.json({ ok: true })
    })
    .delete('/payouts/:id', validate('param', byPayout), keyed, async (c) => {
      await takePayoutBack(answering(c, services), c.get('mode'), c.req.valid('param').id)
      return c.json({ ok: true })
    })
    .get('/to-come.ics', async (c) => {
      const { rows, schoolName } = await paymentsToCome(services, c.get('mode'))
      const { language } = await getSchool(services.db)
      c.header('content-type', 'text/calendar; charset=utf-8')
      c.header('content-disposition', 'attachment; filename="payments-to-come.ics"')
      return c.body(moneyCalendar(schoolName, rows, language))
    })
}
