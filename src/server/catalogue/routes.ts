import { Hono } from 'hono'
import { bodyLimit } from 'hono/body-limit'
import * as v from 'valibot'
import { courseContentSchema } from '../../core/content/course.ts'
import type { Services } from '../context.ts'
import { creatorOnly, type StudioEnv } from '../http/guard.ts'
import { fieldProblem } from '../http/problem.ts'
import { validate } from '../http/validate.ts'
import { keepPicture } from './pictures.ts'
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

const byId = v.object({ id: v.pipe(v.string(), v.uuid('There is no such course.')) })
const revision = v.pipe(v.number(), v.integer(), v.minValue(0))

export function catalogueRoutes(services: Services) {
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
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
      validate('json', v.object({ baseRev: revision, content: courseContentSchema })),
      async (c) => {
        const { baseRev, content } = c.req.valid('json')
        const { draft, draftRev, slug } = await saveCourseDraft(services, c.req.valid('param').id, baseRev, content)
        return c.json({ draft, draftRev, slug })
      },
    )
    .post('/courses/:id/publish', validate('param', byId), validate('json', v.object({ rev: revision })), async (c) => {
      await publishCourse(services, c.req.valid('param').id, c.req.valid('json').rev, c.get('creator').id)
      return c.json({ ok: true })
    })
    .post('/courses/:id/duplicate', validate('param', byId), async (c) =>
      c.json(await duplicateCourse(services, c.req.valid('param').id), 201),
    )
    .put(
      '/courses/:id/retired',
      validate('param', byId),
      validate('json', v.object({ isRetired: v.boolean() })),
      async (c) => {
        await setCourseRetired(services, c.req.valid('param').id, c.req.valid('json').isRetired)
        return c.json({ ok: true })
      },
    )
    .delete('/courses/:id', validate('param', byId), async (c) => {
      await deleteCourse(services, c.req.valid('param').id)
      return c.json({ ok: true })
    })
    .post(
      '/pictures',
      bodyLimit({
        maxSize: 16 * 1024 * 1024,
        onError: () => {
          throw fieldProblem('/file', 'This picture is over 12 MB. Make it smaller first.', 413)
        },
      }),
      async (c) => {
        const file = (await c.req.parseBody()).file
        if (!(file instanceof File)) throw fieldProblem('/file', 'Choose a picture.')
        return c.json(await keepPicture(services, new Uint8Array(await file.arrayBuffer())), 201)
      },
    )
}
