import { useCallback, useRef } from 'react'
import { ApiError, type JsonAnswer, unwrap } from './problem.ts'

/** The header that names one act, so that the server does it once, however often it is sent. */
export interface KeyHeader {
  'idempotency-key': string
}

/** A new key. Made of random bytes, which a browser has on a plain connection too, where it has no `randomUUID`. */
function newKey(): string {
  return [...crypto.getRandomValues(new Uint8Array(16))].map((byte) => byte.toString(16).padStart(2, '0')).join('')
}

/** Whether an act has its answer. One that failed, or was answered by nobody, may have been done all the same. */
function isAnswered(error: unknown): boolean {
  return error instanceof ApiError && error.problem.status > 0 && error.problem.status < 500
}

/**
 * Sends acts that the server does once for a key. The key is the same until an answer came, so that pressing again after a
 * lost answer does nothing twice; after an answer the next press is another act.
 */
export class Once {
  #key: string | null = null

  /** The body of a good answer. @throws ApiError for any other, and where no answer came. */
  async send<T>(call: (header: KeyHeader) => Promise<JsonAnswer<T>>): Promise<T> {
    this.#key ??= newKey()
    try {
      const answer = await unwrap(call({ 'idempotency-key': this.#key }))
      this.#key = null
      return answer
    } catch (error) {
      if (isAnswered(error)) this.#key = null
      throw error
    }
  }
}

/** Sends one act. @throws ApiError as {@link unwrap}. */
export type SendOnce = <T>(call: (header: KeyHeader) => Promise<JsonAnswer<T>>) => Promise<T>

/** Returns what sends one act of a dialog or page with a key of its own. Each act of a screen takes one. */
export function useOnce(): SendOnce {
  const once = useRef<Once>(undefined)
  once.current ??= new Once()
  const { current } = once
  return useCallback<SendOnce>((call) => current.send(call), [current])
}
