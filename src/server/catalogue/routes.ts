import { Hono } from 'hono'
import * as v from 'valibot'
import { courseContentSchema } from '../../core/content/course.ts'
import { frontContentSchema } from '../../core/content/front.ts'
import { revisionSchema } from '../http/numbers.ts'
import { validate } from '../http/validate.ts'
import type { Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { answering, keyedByCreator } from '../session/keyed.ts'
import { firstSteps } from './firstSteps.ts'
import { openFront, publishFront, saveFrontDraft } from './front.ts'
import {
  createCourse,
  deleteCourse,
  duplicateCourse,
  listShelf,
  openCourse,
  publishCourse,
  reorderCourses,
  saveCourseDraft,
  setCourseRetired,
} from './service.ts'
import { usesOf, usesQuery } from './uses.ts'

const byId = v.object({ id: v.pipe(v.string(), v.uuid('There is no such course.')) })

export function catalogueRoutes(services: Services) {
  const keyed = keyedByCreator(services)
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .get('/first-steps', async (c) => c.json(await firstSteps(services, c.get('mode'))))
    .get('/shelf', async (c) => c.json(await listShelf(services)))
    .post('/courses', validate('json', v.object({ title: courseContentSchema.entries.title })), async (c) =>
      c.json(await createCourse(services, c.req.valid('json').title), 201),
    )
    .put('/courses/order', validate('json', v.object({ ids: v.array(v.pipe(v.string(), v.uuid())) })), async (c) => {
      await reorderCourses(services, c.req.valid('json').ids)
      return c.json({ ok: true })
    })
    .get('/courses/:id', validate('param', byId), async (c) =>
      c.json(await openCourse(services, c.req.valid('param').id)),
    )
    .put(
      '/courses/:id/draft',
      validate('param', byId),
      validate('json', v.object({ baseRev: revisionSchema, content: courseContentSchema })),
      async (c) => {
        const { baseRev, content } = c.req.valid('json')
        const { draft, draftRev, slug } = await saveCourseDraft(services, c.req.valid('param').id, baseRev, content)
        return c.json({ draft, draftRev, slug })
      },
    )
    .post(
      '/courses/:id/publish',
      validate('param', byId),
      validate('json', v.object({ rev: revisionSchema })),
      keyed,
      async (c) => {
        await publishCourse(
          answering(c, services),
          c.req.valid('param').id,
          c.req.valid('json').rev,
          c.get('creator').id,
        )
        return c.json({ ok: true })
      },
    )
    .post('/courses/:id/duplicate', validate('param', byId), async (c) =>
      c.json(await duplicateCourse(services, c.req.valid('param').id), 201),
    )
    .put(
      '/courses/:id/retired',
      validate('param', byId),
      validate(
        'json',
        v.object({ isRetired: v.boolean(), inBundles: v.optional(v.nullable(v.picklist(['keep', 'take-out']))) }),
      ),
      async (c) => {
        const { isRetired, inBundles = null } = c.req.valid('json')
        await setCourseRetired(services, c.req.valid('param').id, isRetired, inBundles)
        return c.json({ ok: true })
      },
    )
    .delete('/courses/:id', validate('param', byId), async (c) => {
      await deleteCourse(services, c.req.valid('param').id)
      return c.json({ ok: true })
    })
    .get('/uses', validate('query', usesQuery), async (c) => c.json(await usesOf(services, c.req.valid('query'))))
    .get('/front', async (c) => c.json(await openFront(services)))
    .put(
      '/front/draft',
      validate('json', v.object({ baseRev: revisionSchema, content: frontContentSchema })),
      async (c) => {
        const { baseRev, content } = c.req.valid('json')
        const { draft, draftRev } = await saveFrontDraft(services, baseRev, content)
        return c.json({ draft, draftRev })
      },
    )
    .post('/front/publish', validate('json', v.object({ rev: revisionSchema })), async (c) => {
      await publishFront(services, c.req.valid('json').rev, c.get('creator').id)
      return c.json({ ok: true })
    })
}
