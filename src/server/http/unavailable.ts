import { Problem } from './problem.ts'

/**
 * States of PostgreSQL (SQLSTATE) that pass: too slow, a lock not had in time, a deadlock, ending, and the classes of
 * missing room (disk, memory, connections), of what the system under it failed at, and of the connection.
 */
const PASSING = /^(57014|55P03|25P0[23]|40001|40P01|57P0[1-5]|53...|58...|08...)$/
/** What the pool and the sockets say when no connection was had, or the one that was had broke. */
const NO_CONNECTION =
  /timeout exceeded when trying to connect|connection terminated|query read timeout|not queryable|EPIPE|ECONNABORTED|ECONNRESET|ETIMEDOUT/i

/** What is said where there is no database at all. */
const AWAY =
  /ECONNREFUSED|ENOENT|ENOTFOUND|EAI_AGAIN|EHOSTUNREACH|ENETUNREACH|57P0[1-3]|the database system is (starting up|shutting down|in recovery mode)|connection terminated unexpectedly/i

/** How soon a client may ask again, in seconds. */
const RETRY_AFTER_SECONDS = 2

/** The answer to a request that met a database with no room or time for it; null where the error is another. */
export function unavailable(error: unknown): Problem | null {
  for (let at = error, depth = 0; at instanceof Error && depth < 4; at = at.cause, depth++) {
    const { code } = at as { code?: unknown }
    if (AWAY.test(`${String(code)} ${at.message}`)) return away()
    if (PASSING.test(String(code)) || NO_CONNECTION.test(`${String(code)} ${at.message}`)) return busy()
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
