import { log } from '../log/log.ts'
import { describeError } from '../log/logError.ts'
import type { Job, JobName, JobSource } from './jobs.ts'

/** Works on the jobs of one name. */
export interface Handler {
  name: JobName
  /** So many jobs are taken at a time. */
  batch: number
  work: (jobs: Job[]) => Promise<ReadonlyMap<string, unknown>>
}

/**
 * A handler of one name.
 * @param work does the jobs. @returns what failed, by the job's id; where it throws, all of them did.
 */
export function handlerOf<N extends JobName>(
  name: N,
  batch: number,
  work: (jobs: Job<N>[]) => Promise<ReadonlyMap<string, unknown>>,
): Handler {
  // It is handed the jobs of its own name only.
  return { name, batch, work: (jobs) => work(jobs as Job<N>[]) }
}

/** In milliseconds. */
export interface Pauses {
  /** How often it is looked whether there is anything to do. */
  poll: number
  /** How long to wait after the queue did not answer: at first, and at most, doubled each time. */
  first: number
  most: number
}

export interface Consumer {
  /** Takes nothing more; resolves once what is under way is done. */
  stop: () => Promise<void>
}

const PAUSES: Pauses = { poll: 500, first: 500, most: 15_000 }

/**
 * Works on jobs until it is stopped, also through a time without a database: what was done is said as soon as it can be,
 * and nothing that fails here ends the process. A job of which nothing could be said is done again once its time is over,
 * as every job may be. One question for all names tells which handlers have something to do.
 */
export function consume(source: JobSource, handlers: readonly Handler[], pauses: Pauses = PAUSES): Consumer {
  let isStopping = false
  const sleepers = new Set<() => void>()
  const pause = (ms: number) =>
    new Promise<void>((resolve) => {
      if (isStopping) return resolve()
      const wake = () => {
        clearTimeout(timer)
        sleepers.delete(wake)
        resolve()
      }
      const timer = setTimeout(wake, ms)
      sleepers.add(wake)
    })

  /** Asks the queue until it answers, or nobody wants to know any more. */
  const ask = async <T>(what: string, call: () => Promise<T>): Promise<T | null> => {
    for (let wait = pauses.first; ; wait = Math.min(2 * wait, pauses.most)) {
      try {
        return await call()
      } catch (error) {
        log('error', `queue ${what}`, error)
        if (isStopping) return null
        await pause(wait)
      }
    }
  }

  /** Does all there is of one name. */
  const empty = async ({ name, batch, work }: Handler) => {
    while (!isStopping) {
      const jobs = (await ask(name, () => source.take(name, batch))) ?? []
      if (jobs.length === 0) return
      const failed = await work(jobs).catch(
        (error: unknown): ReadonlyMap<string, unknown> => new Map(jobs.map(({ id }) => [id, error])),
      )
      const done = jobs.filter(({ id }) => !failed.has(id)).map(({ id }) => id)
      if (done.length > 0) await ask(name, () => source.complete(done))
      for (const job of jobs.filter(({ id }) => failed.has(id))) {
        log('error', name, failed.get(job.id))
        await ask(name, () => source.fail(job, describeError(failed.get(job.id))))
      }
    }
  }

  const busy = new Map<Handler, Promise<void>>()
  const run = async () => {
    while (!isStopping) {
      const due = new Set((await ask('polling', () => source.due())) ?? [])
      for (const handler of handlers) {
        if (busy.has(handler) || !due.has(handler.name)) continue
        busy.set(
          handler,
          empty(handler).finally(() => busy.delete(handler)),
        )
      }
      await pause(pauses.poll)
    }
    await Promise.all(busy.values())
  }

  const running = run()
  return {
    stop: () => {
      isStopping = true
      for (const wake of [...sleepers]) wake()
      return running
    },
  }
}
