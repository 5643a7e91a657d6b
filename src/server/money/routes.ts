import { Hono } from 'hono'
import type { Services } from '../context.ts'
import { creatorOnly, type StudioEnv } from '../http/guard.ts'
import { validate } from '../http/validate.ts'
import { getSchool } from '../school/service.ts'
import { moneyCalendar, moneyCsv } from './files.ts'
import {
  exportQuery,
  lateQuery,
  listLate,
  listPayments,
  monthsQuery,
  paymentsBetween,
  paymentsQuery,
  paymentsToCome,
  spanQuery,
} from './service.ts'
import { sumMonths, sumSpan } from './spans.ts'

/** Expected and received, and the files made of it. */
export function moneyRoutes(services: Services) {
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
      return c.body(moneyCsv(rows, timeZone))
    })
    .get('/to-come.ics', async (c) => {
      const { rows, schoolName } = await paymentsToCome(services, c.get('mode'))
      const { language } = await getSchool(services.db)
      c.header('content-type', 'text/calendar; charset=utf-8')
      c.header('content-disposition', 'attachment; filename="payments-to-come.ics"')
      return c.body(moneyCalendar(schoolName, rows, language))
    })
}
