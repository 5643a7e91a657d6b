import { Hono } from 'hono'
import * as v from 'valibot'
import { offerContentSchema } from '../../core/content/offer.ts'
import { revisionSchema } from '../http/numbers.ts'
import { validate } from '../http/validate.ts'
import type { Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import {
  createOffer,
  deleteOffer,
  duplicateOffer,
  openOffer,
  publishOffer,
  reorderOffers,
  saveOfferDraft,
  setOfferRetired,
  setOnSale,
} from './service.ts'

const uuid = v.pipe(v.string(), v.uuid('There is no such offer.'))
const byId = v.object({ id: uuid })

export function offerRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .post('/', validate('json', v.object({ productId: uuid })), async (c) =>
      c.json(await createOffer(services, c.req.valid('json').productId), 201),
    )
    .put('/order', validate('json', v.object({ productId: uuid, ids: v.array(uuid) })), async (c) => {
      const { productId, ids } = c.req.valid('json')
      await reorderOffers(services, productId, ids)
      return c.json({ ok: true })
    })
    .get('/:id', validate('param', byId), async (c) =>
      c.json(await openOffer(services, c.req.valid('param').id, c.get('mode'))),
    )
    .put(
      '/:id/draft',
      validate('param', byId),
      validate('json', v.object({ baseRev: revisionSchema, content: offerContentSchema })),
      async (c) => {
        const { baseRev, content } = c.req.valid('json')
        const { draft, draftRev } = await saveOfferDraft(services, c.req.valid('param').id, baseRev, content)
        return c.json({ draft, draftRev })
      },
    )
    .post('/:id/publish', validate('param', byId), validate('json', v.object({ rev: revisionSchema })), async (c) => {
      await publishOffer(services, c.req.valid('param').id, c.req.valid('json').rev, c.get('creator').id)
      return c.json({ ok: true })
    })
    .put('/:id/on-sale', validate('param', byId), validate('json', v.object({ onSale: v.boolean() })), async (c) => {
      await setOnSale(services, c.req.valid('param').id, c.req.valid('json').onSale)
      return c.json({ ok: true })
    })
    .put('/:id/retired', validate('param', byId), validate('json', v.object({ isRetired: v.boolean() })), async (c) => {
      await setOfferRetired(services, c.req.valid('param').id, c.req.valid('json').isRetired)
      return c.json({ ok: true })
    })
    .post('/:id/duplicate', validate('param', byId), async (c) =>
      c.json(await duplicateOffer(services, c.req.valid('param').id), 201),
    )
    .delete('/:id', validate('param', byId), async (c) => {
      await deleteOffer(services, c.req.valid('param').id)
      return c.json({ ok: true })
    })
}
