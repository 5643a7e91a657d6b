import type { Placed } from '../../server/client.ts'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'

/** What a page that orders is doing: idle, sending, asking for approval, or waiting for an outcome. */
export type Phase =
  | { kind: 'idle' }
  | { kind: 'sending' }
  | { kind: 'confirming'; orderId: string; url: string }
  /** Begun at the gateway's own page, and not finished there. */
  | { kind: 'elsewhere'; orderId: string; url: string }
  | { kind: 'checking' }

/** So long it waits before it asks again what became of a payment. */
export const ASK_AGAIN_MS = 1500

/**
 * Leaves a payment that was to be approved: it is closed at the gateway, so that nothing is charged by it any more; says
 * how the order stands then. @throws ApiError 404.
 */
export function leaveOrder(orderId: string): Promise<Placed> {
  return answered(api.orders[':id'].leave.$post({ param: { id: orderId } }), orderId)
}

/** Asks how an order stands; while the server cannot be reached, it is still not known. @throws ApiError 404. */
export function askOrder(orderId: string): Promise<Placed> {
  return answered(api.orders[':id'].check.$post({ param: { id: orderId } }), orderId)
}

function answered(asked: ReturnType<(typeof api.orders)[':id']['check']['$post']>, orderId: string): Promise<Placed> {
  return unwrap(asked).catch((error: unknown) => {
    if (error instanceof ApiError && error.problem.status === 404) throw error
    return { state: 'checking', orderId }
  })
}
