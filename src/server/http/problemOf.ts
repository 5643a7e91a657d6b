import { HTTPException } from 'hono/http-exception'
import { GatewayUnreachable } from '../../gateways/contract.ts'
import { Problem } from './problem.ts'
import { unavailable } from './unavailable.ts'

/** What is answered for anything that was thrown. */
export function problemOf(error: unknown): Problem {
  if (error instanceof Problem) return error
  if (error instanceof HTTPException) return new Problem(error.status, 'bad-request', 'This request cannot be read.')
  if (error instanceof GatewayUnreachable) {
    return new Problem(502, 'gateway-unreachable', 'The gateway does not answer at the moment. Try again later.')
  }
  return (
    unavailable(error) ??
    refusedByDatabase(error) ??
    new Problem(500, 'broken', 'Something went wrong on our side. Nothing you typed is lost; try again.')
  )
}

/**
 * What the database refuses of its own: two requests at the same instant for what may be once, and values that it
 * does not hold. The services refuse both themselves, with better words; this is the net below them.
 */
function refusedByDatabase(error: unknown): Problem | null {
  for (let at = error, depth = 0; at instanceof Error && depth < 4; at = at.cause, depth++) {
    const { code } = at as { code?: unknown }
    if (code === '23505' || code === '23503') {
      return new Problem(409, 'changed-elsewhere', 'This was changed at the same moment. Check it and try again.')
    }
    if (typeof code === 'string' && /^22[0-9A-Z]{3}$/.test(code)) {
      return new Problem(422, 'invalid', 'A value of this request cannot be stored. Nothing was changed.')
    }
  }
  return null
}
