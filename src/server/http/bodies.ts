import type { MiddlewareHandler } from 'hono'
import { bodyLimit } from 'hono/body-limit'
import { MAX_PICTURE_BYTES, PICTURE_TOO_LARGE } from '../../core/content/course.ts'
import { fieldProblem, Problem } from './problem.ts'

const KB = 1024
const MB = 1024 * KB

/** The largest bodies that are read, in bytes: of anybody, of the signed-in creator, of gateways. */
export const BODY_LIMITS = { anybody: 256 * KB, creator: 8 * MB, event: 64 * KB }
/** Pictures come as one part of a form; the rest of it is small. */
const FORM_ROOM = 64 * KB

/** Refuses a body over `bytes` before it is read, by its length or, where none is given, once that much has come. */
export function limitBody(bytes: number): MiddlewareHandler {
  const counted = bodyLimit({
    maxSize: bytes,
    onError: () => {
      throw new Problem(413, 'too-large', `This is more than ${Math.round(bytes / KB)} kB; that is too large.`)
    },
  })
  // A body whose length is told, and held to by the HTTP parser, need not become a stream, which costs what it holds.
  return (c, next) => {
    const length = c.req.header('content-length')
    const isTold = length !== undefined && c.req.header('transfer-encoding') === undefined
    return isTold && Number(length) <= bytes ? next() : counted(c, next)
  }
}

/** The same for an uploaded picture, said at its field. */
export function limitPicture(): MiddlewareHandler {
  return bodyLimit({
    maxSize: MAX_PICTURE_BYTES + FORM_ROOM,
    onError: () => {
      throw fieldProblem('/file', PICTURE_TOO_LARGE, 413)
    },
  })
}
