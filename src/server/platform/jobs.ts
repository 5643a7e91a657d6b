import { eq, inArray, sql } from 'drizzle-orm'
import type { Database, Queryable } from '../db/client.ts'
import { type Insert, insertAll, rowsOf } from '../db/insertAll.ts'
import type { Mode } from '../db/schema/columns.ts'
import { jobs as table } from '../db/schema/index.ts'
import type { MessageKind } from '../db/schema/messages.ts'

/** A link that an account asked for: the creator's new password, or a buyer's new address. */
export type AccountMail =
  | { kind: 'creator-password'; creatorId: string }
  | { kind: 'new-email'; personId: string; email: string }
  | { kind: 'creator-email'; creatorId: string; email: string }
  /** A message of a kind as buyers get it, to the creator who wants to see it. */
  | { kind: 'test'; creatorId: string; of: MessageKind; ownWords: string }
  /** Yesterday's sales, to the creator who wants them once a day. */
  | { kind: 'sold'; mode: Mode; day: string }

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

/**
 * When a job is done: after so many seconds; `once` names what need not be queued twice within a time, a minute by default.
 * Seconds are constants of the code: they are part of a statement's text, and each text is planned and kept once.
 */
export interface When {
  afterSeconds?: number
  once?: string
  onceInSeconds?: number
}

/** Queues jobs inside the caller's transaction: they exist if, and only if, it commits. */
export interface Jobs {
  send<N extends JobName>(tx: Queryable, name: N, data: JobData[N], when?: When): Promise<void>
  /** Several of one name, to be written together with other rows. */
  rows<N extends JobName>(name: N, data: readonly JobData[N][], when?: When): Insert
}

/** A job that a worker has taken. */
export interface Job<N extends JobName = JobName> {
  id: string
  name: N
  data: JobData[N]
  /** How often it was taken, this time included. */
  tries: number
}

/** Where workers find what is to be done, and say what became of it. */
export interface JobSource {
  /** The names of which something is to be done now. */
  due(): Promise<JobName[]>
  /** Takes so many at most. Nobody else gets them before {@link LEASE_SECONDS} are over. */
  take<N extends JobName>(name: N, atMost: number): Promise<Job<N>[]>
  complete(ids: readonly string[]): Promise<void>
  /** Lets it be tried again later, or, after the last try, leaves it as failed. */
  fail(job: Job, why: string): Promise<void>
}

/** A job of which nothing was heard for so long is done again: its worker has gone. */
const LEASE_SECONDS = 900

/** How often a job is tried in all; pauses in seconds, doubled each time, of which chance takes up to half. */
interface Tries {
  most: number
  pause: number
}
const TRIES: Tries = { most: 9, pause: 1 }
/**
 * Mail is tried so often that three days have passed with the last, however the pauses fall out. A message is given up
 * after that (messages/send.ts): a mail server may stand still over a weekend.
 */
const MAIL_TRIES: Tries = { most: 15, pause: 20 }

function triesOf(name: JobName): Tries {
  return name === 'message-send' || name === 'account-mail' ? MAIL_TRIES : TRIES
}

/** Queues jobs by rows in the product's own database, whose clock they go by. */
export const JOBS: Jobs = {
  send: (tx, name, data, when) => insertAll(tx, JOBS.rows(name, [data], when)),
  rows(name, all, { afterSeconds = 0, once, onceInSeconds = 60 } = {}) {
    return rowsOf(
      table,
      all.map((data) => ({ name, data, once })),
      {
        computed: {
          ...(afterSeconds > 0 && { runAt: `now() + make_interval(secs => ${Number(afterSeconds)})` }),
          ...(once !== undefined && {
            once: `r.once || ' ' || ${Number(onceInSeconds)} * floor(extract(epoch from now()) / ${Number(onceInSeconds)})`,
          }),
        },
        passesOver: true,
      },
    )
  },
}

/** No rows, for whoever queues jobs elsewhere than in a database. */
export const NO_JOBS: Insert = rowsOf(table, [])

/** The jobs in a database. */
export function jobsIn(db: Database): JobSource {
  return {
    async due() {
      const rows = await db
        .selectDistinct({ name: table.name })
        .from(table)
        .where(sql`${table.state} = 'waiting' and ${table.runAt} <= now()`)
      return rows.map(({ name }) => name as JobName)
    },
    async take<N extends JobName>(name: N, atMost: number) {
      const taken = await db
        .update(table)
        .set({ tries: sql`${table.tries} + 1`, runAt: sql`now() + make_interval(secs => ${LEASE_SECONDS})` })
        .where(
          sql`${table.id} = any (array (
            select id from ${table} where name = ${name} and state = 'waiting' and run_at <= now()
            order by run_at limit ${atMost} for update skip locked))`,
        )
        .returning({ id: table.id, data: table.data, tries: table.tries })
      return taken.map(({ id, data, tries }) => ({ id, name, data: data as JobData[N], tries }))
    },
    async complete(ids) {
      await db
        .update(table)
        .set({ state: 'done', endedAt: sql`now()` })
        .where(inArray(table.id, [...ids]))
    },
    async fail({ id, name, tries }, why) {
      const { most, pause } = triesOf(name)
      const ends = tries >= most
      const seconds = pause * 2 ** tries * (0.5 + Math.random() / 2)
      await db
        .update(table)
        .set({
          why,
          ...(ends
            ? { state: 'failed', endedAt: sql`now()` }
            : { runAt: sql`now() + make_interval(secs => ${seconds})` }),
        })
        .where(eq(table.id, id))
    },
  }
}
