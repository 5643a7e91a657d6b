import { sql } from 'drizzle-orm'
import pg from 'pg'
import PgBoss from 'pg-boss'
import { limitsOf, type Queryable, SERVICE_LIMITS } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import type { MessageKind } from '../db/schema/messages.ts'
import { log } from '../log/log.ts'

/** A link that an account asked for: the creator's new password, or a buyer's new address. */
export type AccountMail =
  | { kind: 'creator-password'; creatorId: string }
  | { kind: 'new-email'; personId: string; email: string }
  | { kind: 'creator-email'; creatorId: string; email: string }
  /** A message of a kind as buyers get it, to the creator who wants to see it. */
  | { kind: 'test'; creatorId: string; of: MessageKind; ownWords: string }
  /** Yesterday's sales, to the creator who wants them once a day. */
  | { kind: 'sold'; mode: Mode; day: string }

/**
 * Mail is tried again with growing pauses: so often that three days have passed with the last, however the pauses fall
 * out. A message is given up after that (messages/send.ts): a mail server may stand still over a weekend.
 */
const MAIL_RETRIES = { retryLimit: 14, retryDelay: 20, retryBackoff: true }
const RETRIES: Partial<Record<JobName, typeof MAIL_RETRIES>> = {
  'message-send': MAIL_RETRIES,
  'account-mail': MAIL_RETRIES,
}

/** The queues, and what each job carries. */
export interface JobData {
  /** Find out what became of an attempt that may have been left without an answer. */
  'attempt-lookup': { attemptId: string }
  /** Do for an agreement all that is to be done today. */
  'agreement-collect': { agreementId: string }
  /** Ask again for a refund that was not answered. */
  'refund-settle': { refundId: string }
  /** Go on moving practice time to where it is to be. */
  'practice-move': Record<string, never>
  /** Compare the gateways' books with ours. */
  reconcile: Record<string, never>
  /** Delete what has grown old and nobody needs. */
  purge: Record<string, never>
  /** Go on with what a change of a bundle's courses does for those who have it. */
  'bundle-grow': { growthId: string }
  /** Make the single-use codes that were asked for of a set. */
  'codes-make': { couponId: string }
  /** Make and send one message. */
  'message-send': { messageId: string }
  /** Make and send a link of an account: it is no message of a school to its buyers, and is always sent. */
  'account-mail': AccountMail
}

export type JobName = keyof JobData
const JOB_NAMES: readonly JobName[] = [
  'attempt-lookup',
  'agreement-collect',
  'refund-settle',
  'practice-move',
  'reconcile',
  'purge',
  'bundle-grow',
  'codes-make',
  'message-send',
  'account-mail',
]

/** When a job is done: after so many seconds; `once` names what need not be queued twice within a time, a minute by default. */
export interface When {
  afterSeconds?: number
  once?: string
  onceInSeconds?: number
}

/** Queues jobs inside the caller's transaction: they exist if, and only if, it commits. */
export interface Jobs {
  send<N extends JobName>(tx: Queryable, name: N, data: JobData[N], when?: When): Promise<void>
  /** Several of one name, in one statement. */
  sendAll<N extends JobName>(tx: Queryable, name: N, data: readonly JobData[N][], when?: When): Promise<void>
}

/** The queue in the product's own PostgreSQL. `work` also runs upkeep; senders need none. `close` ends its connections. */
export async function startJobs(
  databaseUrl: string,
  work: boolean,
): Promise<{ boss: PgBoss; jobs: Jobs; close: () => Promise<void> }> {
  const pool = new pg.Pool({ connectionString: databaseUrl, max: work ? 6 : 2, ...limitsOf(SERVICE_LIMITS) })
  pool.on('error', (error) => log('error', `jobs: ${error.message}`))
  const boss = new PgBoss({
    db: { executeSql: (text, values) => pool.query(text, values) },
    supervise: work,
    schedule: false,
    retryLimit: 8,
    retryDelay: 2,
    retryBackoff: true,
    // Longer than what is done once a day may be held back; done jobs are deleted after a week.
    archiveCompletedAfterSeconds: 90_000,
    deleteAfterDays: 7,
  })
  boss.on('error', (error) => log('error', `jobs: ${error.message}`))
  await boss.start()
  for (const name of JOB_NAMES) await boss.createQueue(name)
  const jobs: Jobs = {
    send: (tx, name, data, when = {}) => sendJob(boss, tx, name, data, when),
    sendAll: (tx, name, data, when = {}) => sendJobs(boss, tx, name, data, when),
  }
  const close = async () => {
    await boss.stop({ graceful: false })
    await pool.end()
  }
  return { boss, jobs, close }
}

async function sendJob<N extends JobName>(
  boss: PgBoss,
  tx: Queryable,
  name: N,
  data: JobData[N],
  { afterSeconds = 0, once, onceInSeconds = 60 }: When,
) {
  await boss.send(name, data, {
    startAfter: afterSeconds,
    ...RETRIES[name],
    ...(once === undefined ? {} : { singletonKey: once, singletonSeconds: onceInSeconds }),
    db: { executeSql: (text, values) => tx.execute(withValues(text, values)) },
  })
}

async function sendJobs<N extends JobName>(
  boss: PgBoss,
  tx: Queryable,
  name: N,
  all: readonly JobData[N][],
  { afterSeconds = 0, once, onceInSeconds = 60 }: When,
) {
  if (all.length === 0) return
  const how = {
    // The queue's own clock is the database's.
    startAfter: `${afterSeconds} seconds`,
    ...RETRIES[name],
    ...(once === undefined ? {} : { singletonKey: once, singletonSeconds: onceInSeconds }),
  }
  const jobs = all.map((data) => ({ name, data, ...how }))
  await boss.insert(jobs as PgBoss.JobInsert[], {
    db: {
      executeSql: (text, values) =>
        tx.execute(withValues(text.replace('json_to_recordset($1)', 'json_to_recordset($1::json)'), values)),
    },
  })
}

/**
 * The queue speaks in `$1` placeholders and may use one several times; Drizzle numbers every value
 * anew. So each use is written with a type of its own, which numbered placeholders would share.
 */
function withValues(text: string, values: unknown[]) {
  const pieces = text.split(/\$(\d+)/)
  return sql.join(pieces.map((piece, index) => (index % 2 === 0 ? sql.raw(piece) : typed(values[Number(piece) - 1]))))
}

function typed(value: unknown) {
  if (value === null || value === undefined) return sql.raw('null')
  if (typeof value === 'number' || typeof value === 'boolean') return sql.raw(String(value))
  return sql`${typeof value === 'string' ? value : JSON.stringify(value)}::text`
}
