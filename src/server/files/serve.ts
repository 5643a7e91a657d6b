import type { Context } from 'hono'
import type { Queryable } from '../db/client.ts'
import { readFile, type StoredFile } from './store.ts'

/** Addresses of files name what is in them for ever: nobody has to ask again. */
const FOR_EVER = 'public, max-age=31536000, immutable'

/**
 * Answers with a stored file, or the range of it that was asked for (RFC 9110, section 14), without holding more than a
 * part of it. Who has it already is told so (`ETag`). Of several ranges at once the whole is sent.
 */
export function serveFile(c: Context, db: Queryable, file: StoredFile): Response {
  const tag = `"${file.checksum}"`
  const headers: Record<string, string> = {
    'content-type': file.type,
    'cache-control': FOR_EVER,
    etag: tag,
    'accept-ranges': 'bytes',
  }
  const known = c.req
    .header('if-none-match')
    ?.split(',')
    .map((one) => one.trim().replace(/^W\//, ''))
  if (known?.some((one) => one === tag || one === '*')) return c.body(null, 304, headers)
  const condition = c.req.header('if-range')
  const asked = condition === undefined || condition === tag ? c.req.header('range') : undefined
  const range = asked === undefined ? null : rangeOf(asked, file.length)
  if (range === 'outside') return c.body(null, 416, { ...headers, 'content-range': `bytes */${file.length}` })
  const { from, to } = range ?? { from: 0, to: file.length - 1 }
  headers['content-length'] = String(to - from + 1)
  if (range) headers['content-range'] = `bytes ${from}-${to}/${file.length}`
  const status = range ? 206 : 200
  if (c.req.method === 'HEAD') return c.body(null, status, headers)
  return c.body(streamed(readFile(db, file, from, to)), status, headers)
}

/** One range of bytes; null where it is not understood, or there are several: then the whole is sent. */
export function rangeOf(header: string, length: number): { from: number; to: number } | 'outside' | null {
  const [, first, last] = /^bytes=(\d{0,15})-(\d{0,15})$/.exec(header.trim()) ?? []
  if (first === undefined || last === undefined || (first === '' && last === '')) return null
  if (first === '') {
    const count = Math.min(Number(last), length)
    return count === 0 ? 'outside' : { from: length - count, to: length - 1 }
  }
  const [from, to] = [Number(first), last === '' ? length - 1 : Math.min(Number(last), length - 1)]
  if (from >= length) return 'outside'
  return from > to ? null : { from, to }
}

/** Read as fast as it is taken, and no further. */
function streamed(parts: AsyncGenerator<Buffer>): ReadableStream<Uint8Array> {
  return new ReadableStream({
    async pull(controller) {
      const { value, done } = await parts.next()
      if (done) controller.close()
      else controller.enqueue(new Uint8Array(value))
    },
    async cancel() {
      await parts.return(undefined)
    },
  })
}
