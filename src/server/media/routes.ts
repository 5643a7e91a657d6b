import { Hono } from 'hono'
import pLimit from 'p-limit'
import * as v from 'valibot'
import { MAX_CAPTIONS } from '../../core/content/captions.ts'
import { limitPicture } from '../http/bodies.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import { busy } from '../http/unavailable.ts'
import { validate } from '../http/validate.ts'
import type { Services } from '../platform/context.ts'
import { creatorOnly, type StudioEnv } from '../session/guard.ts'
import { cutPicture, keepPicture } from './pictures.ts'
import { beginVideo, finishVideo, setCaptions, takeVideoPart, uploadOf } from './videos.ts'

const byId = v.object({ id: v.pipe(v.string(), v.uuid('There is no such file.')) })
const percent = v.pipe(v.number(), v.minValue(0), v.maxValue(100))

/** So many uploaded pictures are read into memory at a time; others wait before they are. */
const UPLOADS_AT_ONCE = 2
/** So many wait, before more are told to come again. */
const MAX_WAITING = 30

/** Pictures and videos that a creator uploads. A video comes in parts, and is gone on with where it was left. */
export function mediaRoutes(services: Services) {
  const uploads = pLimit(UPLOADS_AT_ONCE)
  return new Hono<StudioEnv>()
    .use(creatorOnly(services))
    .post('/pictures', limitPicture(), async (c) => {
      if (uploads.pendingCount >= MAX_WAITING) throw busy()
      return uploads(async () => {
        const { file } = await c.req.parseBody().catch(() => {
          throw new Problem(400, 'bad-request', 'This form could not be read.')
        })
        if (!(file instanceof File)) throw fieldProblem('/file', 'Choose a picture.')
        return c.json(await keepPicture(services, new Uint8Array(await file.arrayBuffer())), 201)
      })
    })
    .post(
      '/pictures/:id/cut',
      validate('param', byId),
      validate('json', v.object({ x: percent, y: percent, width: percent, height: percent })),
      async (c) => c.json(await cutPicture(services, c.req.valid('param').id, c.req.valid('json')), 201),
    )
    .post(
      '/videos',
      validate('json', v.object({ length: v.pipe(v.number(), v.safeInteger(), v.minValue(1, 'This file is empty.')) })),
      async (c) => c.json(await beginVideo(services, c.req.valid('json').length), 201),
    )
    .get('/videos/:id', validate('param', byId), async (c) => c.json(await uploadOf(services, c.req.valid('param').id)))
    .put(
      '/videos/:id/parts/:n',
      validate(
        'param',
        v.object({ ...byId.entries, n: v.pipe(v.string(), v.regex(/^\d{1,4}$/, 'There is no such part.')) }),
      ),
      async (c) => {
        const { id, n } = c.req.valid('param')
        await takeVideoPart(services, id, Number(n), Buffer.from(await c.req.arrayBuffer()))
        return c.json({ ok: true })
      },
    )
    .post(
      '/videos/:id/finish',
      validate('param', byId),
      validate('json', v.object({ name: v.pipe(v.string(), v.maxLength(200)) })),
      async (c) => {
        const { fileId, ...video } = await finishVideo(services, c.req.valid('param').id, c.req.valid('json').name)
        return c.json({ ...video, hasCaptions: video.captions !== null })
      },
    )
    .put(
      '/videos/:id/captions',
      validate('param', byId),
      validate('json', v.object({ captions: v.nullable(v.pipe(v.string(), v.maxLength(MAX_CAPTIONS))) })),
      async (c) => {
        await setCaptions(services, c.req.valid('param').id, c.req.valid('json').captions)
        return c.json({ ok: true })
      },
    )
}
