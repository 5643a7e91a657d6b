import { Problem } from './problem.ts'

/** States of PostgreSQL (SQLSTATE) that pass: too slow, a lock not had in time, a deadlock, no connection left, ending. */
const PASSING = new Set(['57014', '55P03', '25P03', '40001', '40P01', '53300', '53400', '57P01', '57P02', '57P03'])
/** What the pool and the sockets say when no connection was had. */
const NO_CONNECTION =
  /timeout exceeded when trying to connect|connection terminated|not queryable|ECONNREFUSED|ECONNRESET/i

/** What is said where there is no database at all. */
const AWAY =
  /ECONNREFUSED|ENOENT|ENOTFOUND|57P03|57P01|the database system is (starting up|shutting down)|connection terminated unexpectedly/i

/** How soon a client may ask again, in seconds. */
const RETRY_AFTER_SECONDS = 2

/** The answer to a request that met a database with no room or time for it; null where the error is another. */
export function unavailable(error: unknown): Problem | null {
  for (let at = error, depth = 0; at instanceof Error && depth < 4; at = at.cause, depth++) {
    const { code } = at as { code?: unknown }
    if (AWAY.test(`${String(code)} ${at.message}`)) return away()
    if (
      PASSING.has(String(code)) ||
      String(code).startsWith('08') ||
      NO_CONNECTION.test(`${String(code)} ${at.message}`)
    )
      return busy()
  }
  return null
}

/** Answered where a request cannot be served at the moment, with when to ask again. */
export function busy(): Problem {
  return new Problem(503, 'busy', 'We are very busy at the moment. Nothing you typed is lost; try again.', [], {
    retryAfter: RETRY_AFTER_SECONDS,
  })
}

/** Answered where the database does not answer. */
function away(): Problem {
  return new Problem(
    503,
    'away',
    'This school cannot be reached at the moment. Nothing you typed is lost; try again in a minute.',
    [],
    {
      retryAfter: 30,
    },
  )
}
