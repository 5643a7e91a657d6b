import { Hono } from 'hono'
import * as v from 'valibot'
import { bundleContentSchema } from '../../core/content/bundle.ts'
import { revisionSchema } from '../http/numbers.ts'
import { validate } from '../http/validate.ts'
import { inMode, type Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { answering, keyedByCreator } from '../session/keyed.ts'
import {
  createBundle,
  deleteBundle,
  duplicateBundle,
  openBundle,
  publishBundle,
  reorderBundles,
  saveBundleDraft,
  setBundleRetired,
} from './service.ts'

const uuid = v.pipe(v.string(), v.uuid('There is no such bundle.'))
const byId = v.object({ id: uuid })

export function bundleRoutes(services: Services) {
  const keyed = keyedByCreator(services)
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .post('/', validate('json', v.object({ title: bundleContentSchema.entries.title })), async (c) =>
      c.json(await createBundle(services, c.req.valid('json').title), 201),
    )
    .put('/order', validate('json', v.object({ ids: v.array(uuid) })), async (c) => {
      await reorderBundles(services, c.req.valid('json').ids)
      return c.json({ ok: true })
    })
    .get('/:id', validate('param', byId), async (c) =>
      // What its courses cost is read by the mode's clock, as the shop's page does.
      c.json(await openBundle(await inMode(services, c.get('mode')), c.req.valid('param').id)),
    )
    .put(
      '/:id/draft',
      validate('param', byId),
      validate('json', v.object({ baseRev: revisionSchema, content: bundleContentSchema })),
      async (c) => {
        const { baseRev, content } = c.req.valid('json')
        const { draft, draftRev, slug } = await saveBundleDraft(services, c.req.valid('param').id, baseRev, content)
        return c.json({ draft, draftRev, slug })
      },
    )
    .post(
      '/:id/publish',
      validate('param', byId),
      validate(
        'json',
        v.object({
          rev: revisionSchema,
          forHolders: v.optional(
            v.nullable(v.object({ opens: v.boolean(), closes: v.boolean(), notifies: v.boolean() })),
          ),
        }),
      ),
      keyed,
      async (c) => {
        const { rev, forHolders = null } = c.req.valid('json')
        await publishBundle(answering(c, services), c.req.valid('param').id, rev, c.get('creator').id, forHolders)
        return c.json({ ok: true })
      },
    )
    .post('/:id/duplicate', validate('param', byId), async (c) =>
      c.json(await duplicateBundle(services, c.req.valid('param').id), 201),
    )
    .put('/:id/retired', validate('param', byId), validate('json', v.object({ isRetired: v.boolean() })), async (c) => {
      await setBundleRetired(services, c.req.valid('param').id, c.req.valid('json').isRetired)
      return c.json({ ok: true })
    })
    .delete('/:id', validate('param', byId), async (c) => {
      await deleteBundle(services, c.req.valid('param').id)
      return c.json({ ok: true })
    })
}
