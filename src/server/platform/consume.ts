import type PgBoss from 'pg-boss'
import { log } from '../log/log.ts'
import { describeError } from '../log/logError.ts'
import type { JobData, JobName } from './jobs.ts'

/** How jobs are fetched, and how it is said what became of them. */
export type JobSource = Pick<PgBoss, 'fetch' | 'complete' | 'fail'>

export interface Consuming {
  /** So many jobs are fetched at a time. */
  batch: number
  /** How long to wait where there was nothing to do, in milliseconds. */
  pollMs: number
  /** How long to wait after the queue did not answer: at first, and at most, doubled each time. */
  pauseMs?: { first: number; most: number }
}

/** Works on one queue. */
export interface Consumer {
  /** Fetches nothing more; resolves once what is under way is done. */
  stop: () => Promise<void>
}

type Job<N extends JobName> = PgBoss.Job<JobData[N]>

const PAUSE_MS = { first: 500, most: 15_000 }

/**
 * Works on the jobs of a queue until it is stopped, also through a time without a database: what was done is said as soon
 * as it can be, and nothing that fails here ends the process. A job of which nothing could be said is done again once its
 * time is over, as every job may be.
 * @param work does the jobs. @returns what failed, by the job's id; where it throws, all of them did.
 */
export function consume<N extends JobName>(
  source: JobSource,
  name: N,
  { batch, pollMs, pauseMs = PAUSE_MS }: Consuming,
  work: (jobs: Job<N>[]) => Promise<ReadonlyMap<string, unknown>>,
): Consumer {
  let isStopping = false
  let wake = () => {}
  const pause = (ms: number) =>
    new Promise<void>((resolve) => {
      if (isStopping) return resolve()
      const timer = setTimeout(resolve, ms)
      wake = () => {
        clearTimeout(timer)
        resolve()
      }
    })

  /** Asks the queue until it answers, or nobody wants to know any more. */
  const ask = async <T>(call: () => Promise<T>): Promise<T | null> => {
    for (let wait = pauseMs.first; ; wait = Math.min(2 * wait, pauseMs.most)) {
      try {
        return await call()
      } catch (error) {
        log('error', `queue ${name}`, error)
        if (isStopping) return null
        await pause(wait)
      }
    }
  }

  const run = async () => {
    while (!isStopping) {
      const jobs = (await ask(() => source.fetch<JobData[N]>(name, { batchSize: batch }))) ?? []
      if (jobs.length === 0) {
        await pause(pollMs)
        continue
      }
      const failed = await work(jobs).catch(
        (error: unknown): ReadonlyMap<string, unknown> => new Map(jobs.map(({ id }) => [id, error])),
      )
      const done = jobs.filter(({ id }) => !failed.has(id)).map(({ id }) => id)
      if (done.length > 0) await ask(() => source.complete(name, done))
      for (const [id, error] of failed) {
        log('error', name, error)
        await ask(() => source.fail(name, id, { why: describeError(error) }))
      }
    }
  }

  const running = run()
  return {
    stop: () => {
      isStopping = true
      wake()
      return running
    },
  }
}
