import { Hono } from 'hono'
import { serveFile } from '../files/serve.ts'
import { isId } from '../http/isId.ts'
import { notFound } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { pictureFile } from './pictures.ts'
import { findVideo } from './videos.ts'

/** Stored pictures and videos at addresses that name what is in them for ever. Their ids are what nobody can guess. */
export function mediaFiles({ db }: Services) {
  return new Hono()
    .get('/pictures/:id/:width{[0-9]{2,4}}', async (c) => {
      const { id, width } = c.req.param()
      if (!isId(id)) throw notFound('picture')
      return serveFile(c, db, await pictureFile(db, id, Number(width)))
    })
    .get('/pictures/*', () => {
      throw notFound('picture')
    })
    .get('/videos/:id', async (c) => {
      const { id } = c.req.param()
      if (!isId(id)) throw notFound('video')
      return serveFile(c, db, (await findVideo(db, id)).file)
    })
    .get('/videos/:id/captions', async (c) => {
      const { id } = c.req.param()
      const captions = isId(id) ? (await findVideo(db, id)).video.captions : null
      if (captions === null) throw notFound('captions')
      // They can be replaced under the same address.
      return c.body(captions, 200, { 'content-type': 'text/vtt; charset=utf-8', 'cache-control': 'no-cache' })
    })
    .get('/videos/*', () => {
      throw notFound('video')
    })
}
