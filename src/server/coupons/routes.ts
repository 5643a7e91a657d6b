import { Hono } from 'hono'
import * as v from 'valibot'
import { couponContentSchema } from '../../core/content/coupon.ts'
import { revisionSchema } from '../http/numbers.ts'
import { validate } from '../http/validate.ts'
import type { Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import {
  createCoupon,
  deleteCoupon,
  duplicateCoupon,
  endCoupon,
  listCoupons,
  openCoupon,
  publishCoupon,
  saveCouponDraft,
  setCouponRetired,
} from './service.ts'

const byId = v.object({ id: v.pipe(v.string(), v.uuid('There is no such coupon.')) })

export function couponRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', async (c) => c.json(await listCoupons(services, c.get('mode'))))
    .post('/', async (c) => c.json(await createCoupon(services), 201))
    .get('/:id', validate('param', byId), async (c) =>
      c.json(await openCoupon(services, c.req.valid('param').id, c.get('mode'))),
    )
    .put(
      '/:id/draft',
      validate('param', byId),
      validate('json', v.object({ baseRev: revisionSchema, content: couponContentSchema })),
      async (c) => {
        const { baseRev, content } = c.req.valid('json')
        const { draft, draftRev } = await saveCouponDraft(services, c.req.valid('param').id, baseRev, content)
        return c.json({ draft, draftRev })
      },
    )
    .post('/:id/publish', validate('param', byId), validate('json', v.object({ rev: revisionSchema })), async (c) => {
      await publishCoupon(services, c.req.valid('param').id, c.req.valid('json').rev, c.get('creator').id)
      return c.json({ ok: true })
    })
    .post('/:id/end', validate('param', byId), async (c) => {
      await endCoupon(services, c.req.valid('param').id)
      return c.json({ ok: true })
    })
    .put('/:id/retired', validate('param', byId), validate('json', v.object({ isRetired: v.boolean() })), async (c) => {
      await setCouponRetired(services, c.req.valid('param').id, c.req.valid('json').isRetired)
      return c.json({ ok: true })
    })
    .post('/:id/duplicate', validate('param', byId), async (c) =>
      c.json(await duplicateCoupon(services, c.req.valid('param').id), 201),
    )
    .delete('/:id', validate('param', byId), async (c) => {
      await deleteCoupon(services, c.req.valid('param').id)
      return c.json({ ok: true })
    })
}
