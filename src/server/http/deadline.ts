import type { MiddlewareHandler } from 'hono'
import { busy } from './unavailable.ts'

/** Longer than a gateway's answer may take, shorter than a browser waits. */
const REQUEST_SECONDS = 30

/**
 * Answers 503 where a request takes longer than `seconds`. What it began goes on: money that moves meanwhile is found
 * by its key.
 */
export function deadline(seconds = REQUEST_SECONDS): MiddlewareHandler {
  return async (_c, next) => {
    let timer: NodeJS.Timeout | undefined
    const late = new Promise<never>((_resolve, reject) => {
      timer = setTimeout(() => reject(busy()), seconds * 1000)
    })
    try {
      await Promise.race([next(), late])
    } finally {
      clearTimeout(timer)
    }
  }
}
