import { Hono } from 'hono'
import * as v from 'valibot'
import { ARRANGEMENTS } from '../../core/checkoutPages/arrangements.ts'
import { pageContentSchema } from '../../core/content/checkoutPage.ts'
import { revisionSchema } from '../http/numbers.ts'
import { validate } from '../http/validate.ts'
import type { Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { listPages, openPage, pageVersion, pageVersions, publishPage, savePageDraft } from './bench.ts'
import { createPage, deletePage, makeMain, movePage, setPageRetired } from './make.ts'

const id = v.pipe(v.string(), v.uuid('There is no such page.'))
const byId = v.object({ id })
const newPage = v.object({
  productId: v.pipe(v.string(), v.uuid('There is no such product.')),
  name: v.pipe(v.string(), v.trim(), v.nonEmpty('A page needs a name.'), v.maxLength(80, 'Use at most 80 characters.')),
  from: v.union([v.object({ arrangement: v.picklist(ARRANGEMENTS) }), v.object({ copyOf: id })]),
  takesOver: v.optional(v.boolean(), false),
})
const addressSchema = v.pipe(
  v.string(),
  v.trim(),
  v.nonEmpty('Write an address.'),
  v.regex(/^[a-z0-9]+(-[a-z0-9]+)*$/, 'Use small letters, digits and hyphens, like spring-class.'),
  v.maxLength(60, 'Use at most 60 characters.'),
)

/** Checkout pages as their creator shapes them. */
export function checkoutPageRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/', async (c) => c.json(await listPages(services)))
    .post('/', validate('json', newPage), async (c) => c.json(await createPage(services, c.req.valid('json')), 201))
    .get('/:id', validate('param', byId), async (c) => c.json(await openPage(services, c.req.valid('param').id)))
    .put(
      '/:id/draft',
      validate('param', byId),
      validate('json', v.object({ baseRev: revisionSchema, content: pageContentSchema })),
      async (c) => {
        const { baseRev, content } = c.req.valid('json')
        const { draft, draftRev } = await savePageDraft(services, c.req.valid('param').id, baseRev, content)
        return c.json({ draft, draftRev })
      },
    )
    .post('/:id/publish', validate('param', byId), validate('json', v.object({ rev: revisionSchema })), async (c) => {
      await publishPage(services, c.req.valid('param').id, c.req.valid('json').rev, c.get('creator').id)
      return c.json({ ok: true })
    })
    .put('/:id/address', validate('param', byId), validate('json', v.object({ slug: addressSchema })), async (c) => {
      await movePage(services, c.req.valid('param').id, c.req.valid('json').slug)
      return c.json({ ok: true })
    })
    .put('/:id/main', validate('param', byId), async (c) => {
      await makeMain(services, c.req.valid('param').id)
      return c.json({ ok: true })
    })
    .put('/:id/retired', validate('param', byId), validate('json', v.object({ isRetired: v.boolean() })), async (c) => {
      await setPageRetired(services, c.req.valid('param').id, c.req.valid('json').isRetired)
      return c.json({ ok: true })
    })
    .delete('/:id', validate('param', byId), async (c) => {
      await deletePage(services, c.req.valid('param').id)
      return c.json({ ok: true })
    })
    .get('/:id/versions', validate('param', byId), async (c) =>
      c.json(await pageVersions(services, c.req.valid('param').id)),
    )
    .get(
      '/:id/versions/:version',
      validate(
        'param',
        v.object({ id, version: v.pipe(v.string(), v.regex(/^\d{1,9}$/, 'There is no such version.')) }),
      ),
      async (c) => {
        const { id: pageId, version } = c.req.valid('param')
        return c.json(await pageVersion(services, pageId, Number(version)))
      },
    )
}
