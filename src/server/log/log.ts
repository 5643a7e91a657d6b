import { AsyncLocalStorage } from 'node:async_hooks'
import { describeError } from './logError.ts'

export type Level = 'info' | 'warn' | 'error'

/** The id of the request that is being answered, for every line that is written meanwhile. */
const requests = new AsyncLocalStorage<string>()

/** Runs the answering of a request; its lines carry its id. */
export function withRequestId<T>(id: string, answer: () => T): T {
  return requests.run(id, answer)
}

/** What happens again and again is written once, and then how often it did, so often. */
const QUIET_MS = 60_000
/** So many different faults are told apart; more are written as they come. */
const MAX_SEEN = 500

const seen = new Map<string, { again: number; timer: NodeJS.Timeout }>()

/**
 * Writes a line to the log: time (RFC 3339, UTC), level, the request's id, and what happened. It holds no parameters and
 * no tokens: errors are told by {@link describeError}. A fault that repeats is written once, and after a minute how
 * often it came again.
 */
export function log(level: Level, what: string, error?: unknown): void {
  const text = error === undefined ? what : `${what}: ${describeError(error)}`
  if (level === 'info') {
    write(level, text)
    return
  }
  const known = seen.get(text)
  if (known) {
    known.again++
    return
  }
  write(level, text)
  if (seen.size >= MAX_SEEN) return
  const timer = setTimeout(() => {
    const again = seen.get(text)?.again ?? 0
    seen.delete(text)
    if (again > 0) write(level, `${text.split('\n')[0]} (${again} more within a minute)`)
  }, QUIET_MS)
  timer.unref()
  seen.set(text, { again: 0, timer })
}

/** Forgets what was written lately, for tests. */
export function forgetSeen(): void {
  for (const { timer } of seen.values()) clearTimeout(timer)
  seen.clear()
}

function write(level: Level, text: string): void {
  const id = requests.getStore()
  const line = `${new Date().toISOString()} ${level} ${id ?? '-'} ${text}`
  if (level === 'info') console.log(line)
  else console.error(line)
}
