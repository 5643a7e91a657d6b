import type { Context } from 'hono'
import type { ContentfulStatusCode } from 'hono/utils/http-status'

/** One field at fault; `at` is the RFC 6901 pointer into what was sent. */
export interface FieldError {
  at: string
  why: string
}

/**
 * An answer in the shape of RFC 9457, the only shape of error that the API gives.
 * `more` holds members that let a screen do something about it.
 */
export class Problem extends Error {
  override name = 'Problem'
  constructor(
    readonly status: ContentfulStatusCode,
    readonly code: string,
    readonly title: string,
    readonly errors: FieldError[] = [],
    readonly more: Record<string, unknown> = {},
  ) {
    super(title)
  }
}

export function notFound(what: string): Problem {
  return new Problem(404, 'not-found', `There is no such ${what}.`)
}

/** A problem with one field. */
export function fieldProblem(at: string, why: string, status: ContentfulStatusCode = 422): Problem {
  return new Problem(status, 'invalid', 'Something needs to be corrected.', [{ at, why }])
}

export function answerProblem(c: Context, problem: Problem): Response {
  const { status, code, title, errors, more } = problem
  return c.body(JSON.stringify({ type: `urn:young-acorn:${code}`, status, code, title, errors, ...more }), status, {
    'content-type': 'application/problem+json',
    'cache-control': 'no-store',
  })
}
