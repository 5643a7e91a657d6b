import { Hono } from 'hono'
import * as v from 'valibot'
import { PAGE_STATES } from '../../core/checkoutPages/states.ts'
import { pageContentSchema } from '../../core/content/checkoutPage.ts'
import { validate } from '../http/validate.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import type { Renderer } from './renderer.ts'
import { shopPage } from './shopPage.ts'
import { pageInState } from './states.ts'
import type { PageOnBench } from './views.ts'

/** What the bench shows of a checkout page that is being shaped: the shop's own view of it, in any state. */
export function pageBenchRoutes(base: Services, renderer: Renderer) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(base))
    .post(
      '/:id/shown',
      validate('param', v.object({ id: v.pipe(v.string(), v.uuid('There is no such page.')) })),
      validate('json', v.object({ content: pageContentSchema, state: v.picklist(PAGE_STATES) })),
      async (c) => {
        const mode = c.get('mode')
        const services = await inMode(base, mode)
        const school = await getSchool(base.db)
        const asked = { id: c.req.valid('param').id, ...c.req.valid('json'), mode }
        const { view, visitor, withoutForm, isSelling } = await pageInState(services, school, asked)
        if (view.name === 'notice') {
          const page = withoutForm ? { facts: withoutForm, form: null } : null
          return c.json<PageOnBench>({ notice: view, page, isSelling })
        }
        const page = shopPage(school, { mode, basket: null, isOwnView: false, visitor, view })
        const form = await renderer.form(page)
        return c.json<PageOnBench>({ notice: null, page: { facts: view.page.facts, form }, isSelling })
      },
    )
}
