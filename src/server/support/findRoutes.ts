import { Hono } from 'hono'
import * as v from 'valibot'
import { validate } from '../http/validate.ts'
import { listPeople } from '../people/service.ts'
import type { Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { orderNumberIn } from './matching.ts'
import { listOrders } from './orders.ts'

const MAX_LISTED = 8
const findQuery = v.object({ search: v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(100)) })

/** Orders and people that fit what was typed; the order of that very number comes first. */
export function findRoutes(services: Services) {
  return new Hono<StudioEnv>().use(creatorOnly(services)).get('/', validate('query', findQuery), async (c) => {
    const { search } = c.req.valid('query')
    const mode = c.get('mode')
    const number = orderNumberIn(search, mode)
    const [found, exact, people] = await Promise.all([
      listOrders(services, mode, { search, state: 'all' }, MAX_LISTED),
      number === null ? null : listOrders(services, mode, { search: `#${number}`, state: 'all' }, MAX_LISTED),
      listPeople(services, mode, { search }),
    ])
    const first = exact?.orders.filter((order) => order.number === number) ?? []
    const rest = found.orders.filter((order) => order.number !== number)
    return c.json({ orders: [...first, ...rest].slice(0, MAX_LISTED), people: people.people.slice(0, MAX_LISTED) })
  })
}
