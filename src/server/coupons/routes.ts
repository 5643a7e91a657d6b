import { Hono } from 'hono'
import * as v from 'valibot'
import { appliesToSchema, couponContentSchema } from '../../core/content/coupon.ts'
import { revisionSchema } from '../http/numbers.ts'
import { validate } from '../http/validate.ts'
import { inMode, type Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { answering, keyedByCreator } from '../session/keyed.ts'
import { giveCodesBack } from './givenBack.ts'
import { releaseHeld } from './held.ts'
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
import {
  askForCodes,
  codesCsv,
  countByState,
  importCodes,
  importCodesSchema,
  leftToMake,
  listCodes,
  makeCodesSchema,
  setWithdrawn,
} from './set.ts'

/** Codes of a set are listed so many at a time. */
const A_PAGE = 50

const byId = v.object({ id: v.pipe(v.string(), v.uuid('There is no such coupon.')) })

export function couponRoutes(services: Services) {
  const keyed = keyedByCreator(services)
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', async (c) => c.json(await listCoupons(services, c.get('mode'))))
    .post('/', validate('json', v.object({ appliesTo: appliesToSchema })), async (c) =>
      c.json(await createCoupon(services, c.req.valid('json').appliesTo), 201),
    )
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
    .post('/:id/release-held', validate('param', byId), async (c) => {
      const mode = c.get('mode')
      return c.json({ released: await releaseHeld(await inMode(services, mode), c.req.valid('param').id, mode) })
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
    .get(
      '/:id/codes',
      validate('param', byId),
      validate('query', v.object({ after: v.optional(v.pipe(v.string(), v.uuid('There is no such code.'))) })),
      async (c) => {
        const { id } = c.req.valid('param')
        const page = { after: c.req.valid('query').after ?? null, most: A_PAGE + 1 }
        const [counts, toMake, rows] = await Promise.all([
          countByState(services, id, c.get('mode')),
          leftToMake(services, id),
          listCodes(services, id, c.get('mode'), page),
        ])
        const shown = rows.slice(0, A_PAGE)
        return c.json({ counts, toMake, codes: shown, next: rows.length > A_PAGE ? (shown.at(-1)?.id ?? null) : null })
      },
    )
    .get('/:id/codes.csv', validate('param', byId), async (c) => {
      const csv = await codesCsv(services, c.req.valid('param').id, c.get('mode'))
      return c.body(csv, 200, {
        'content-type': 'text/csv; charset=utf-8',
        'content-disposition': 'attachment; filename="codes.csv"',
      })
    })
    .post('/:id/codes', validate('param', byId), validate('json', makeCodesSchema), keyed, async (c) =>
      c.json(await askForCodes(answering(c, services), c.req.valid('param').id, c.req.valid('json').count), 202),
    )
    .post('/:id/codes/import', validate('param', byId), validate('json', importCodesSchema), keyed, async (c) =>
      c.json(await importCodes(answering(c, services), c.req.valid('param').id, c.req.valid('json'))),
    )
    .put(
      '/:id/codes/withdrawn',
      validate('param', byId),
      validate(
        'json',
        v.object({
          /** Null: every code of the set. */
          ids: v.nullable(v.pipe(v.array(v.pipe(v.string(), v.uuid('There is no such code.'))), v.maxLength(1000))),
          isWithdrawn: v.boolean(),
        }),
      ),
      async (c) => {
        const { ids, isWithdrawn } = c.req.valid('json')
        return c.json({ changed: await setWithdrawn(services, c.req.valid('param').id, ids, isWithdrawn) })
      },
    )
    .delete('/:id', validate('param', byId), async (c) => {
      await deleteCoupon(services, c.req.valid('param').id)
      return c.json({ ok: true })
    })
}

const byOrder = v.object({ order: v.pipe(v.string(), v.uuid('There is no such order.')) })

/** What becomes of an order's codes. */
export function orderCodeRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .post('/orders/:order/codes/give-back', validate('param', byOrder), keyedByCreator(services), async (c) => {
      const mode = c.get('mode')
      return c.json(await giveCodesBack(answering(c, await inMode(services, mode)), mode, c.req.valid('param').order))
    })
}
