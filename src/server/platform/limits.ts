import { inArray, sql } from 'drizzle-orm'
import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import type { Database } from '../db/client.ts'
import { rateLimits } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { Together } from './together.ts'

interface Ceiling {
  points: number
  /** After so many seconds what was counted first begins to be forgotten. */
  seconds: number
}

const HOUR = 3600
const QUARTER = 900

/**
 * What may be asked for how often, before it is answered 429. `<what>:<by whom>`; docs/operations.md explains them, and
 * the setting `LIMITS` raises or lowers each.
 */
export const CEILINGS = {
  'sign-in:ip': { points: 30, seconds: QUARTER },
  'sign-in:range': { points: 150, seconds: QUARTER },
  /** Wrong passwords of an account, from browsers that never signed in to it. */
  'sign-in:account': { points: 10, seconds: QUARTER },
  /** The same from one browser that did, which strangers cannot use up. */
  'sign-in:browser': { points: 10, seconds: QUARTER },
  /** Orders that were declined or left unpaid, so that cards are not tried out. */
  'order:ip': { points: 40, seconds: HOUR },
  'order:range': { points: 200, seconds: HOUR },
  'order:browser': { points: 20, seconds: HOUR },
  'order:email': { points: 20, seconds: HOUR },
  /** Orders of nothing, each of which sends a message to whatever address was typed. */
  'free:ip': { points: 20, seconds: HOUR },
  'free:range': { points: 100, seconds: HOUR },
  'free:email': { points: 10, seconds: HOUR },
  /** Links sent anew. */
  'mail:ip': { points: 20, seconds: HOUR },
  'mail:range': { points: 100, seconds: HOUR },
  'mail:email': { points: 5, seconds: HOUR },
  'mail:moment': { points: 1, seconds: 60 },
  /** Different discount codes that a browser enters, by a link too; those of placed orders are given back. */
  'code:ip': { points: 60, seconds: QUARTER },
  'code:range': { points: 300, seconds: QUARTER },
  'code:browser': { points: 15, seconds: QUARTER },
  /** The same code once more in the same browser, which is free. */
  'code:seen': { points: 1, seconds: QUARTER },
  /** Refusals that are kept for who is not signed in, should they ask once more by the same key. */
  'refused:ip': { points: 200, seconds: HOUR },
  /** Baskets that a browser begins. */
  'basket:ip': { points: 60, seconds: HOUR },
  'basket:range': { points: 300, seconds: HOUR },
  /** Links and codes that do not exist. */
  'guess:ip': { points: 60, seconds: HOUR },
  'guess:range': { points: 300, seconds: HOUR },
} as const satisfies Record<string, Ceiling>
export type LimitName = keyof typeof CEILINGS

/** Longer keys are cut off. */
const MAX_KEY = 200

/** So many requests are counted by one statement. */
const AT_ONCE = 50

/** By whom something is counted, by the limit's name; where a key is null that limit does not count. */
export type Counted = Partial<Record<LimitName, string | null>>

/** Counts what may not be asked for without end, shared by all servers through the database. */
export class Limits {
  readonly #db: Database
  readonly #points: (name: LimitName) => number
  readonly #taking = new Together<readonly Entry[], readonly number[]>(AT_ONCE, (all) => this.#takeAll(all))
  readonly #givingBack = new Together<readonly Entry[], undefined>(AT_ONCE, (all) => this.#giveBackAll(all))

  /**
   * @param points the ceilings that differ from {@link CEILINGS}, by name, or one factor for all of them.
   */
  constructor(db: Database, points: Partial<Record<LimitName, number>> | number = {}) {
    this.#db = db
    this.#points = (name) =>
      typeof points === 'number' ? CEILINGS[name].points * points : (points[name] ?? CEILINGS[name].points)
  }

  /**
   * Counts one try by each key, all in one statement that checks too, so that a thousand at once pass no ceiling. What
   * stands behind the first that is used up is not counted. @throws Problem 429 with when to try again.
   */
  async count(by: Counted, title: string = REFUSED.tooManyTries): Promise<void> {
    const asked = entriesOf(by)
    const waits = await this.#take(asked)
    const usedUp = waits.findIndex((wait) => wait > 0)
    if (usedUp < 0) return
    await this.#giveBack(asked.slice(usedUp + 1))
    throw tooMany(title, waits[usedUp] as number)
  }

  /** Counts one, and says whether that was still within the ceiling. */
  async isWithin(name: LimitName, key: string): Promise<boolean> {
    return (await this.within(name, [key])).length > 0
  }

  /** Counts one by each key of a limit. @returns those with which it was still within the ceiling. */
  async within(name: LimitName, keys: readonly string[]): Promise<string[]> {
    const waits = await this.#take(keys.map((key): Entry => [name, key.slice(0, MAX_KEY)]))
    return keys.filter((_key, index) => waits[index] === 0)
  }

  /** Counts so many by each key, all or none. @returns the seconds until there is room for one; 0 where they were counted. */
  async spend(by: Counted, times: number): Promise<number> {
    const asked = repeated(entriesOf(by), times)
    const wait = Math.max(0, ...(await this.#take(asked)))
    if (wait > 0) await this.#giveBack(asked)
    return wait
  }

  /** Takes back what was counted for something that turned out well. */
  async giveBack(by: Counted, times = 1): Promise<void> {
    await this.#giveBack(repeated(entriesOf(by), times))
  }

  /** Forgets everything that was counted by these keys. */
  async forget(by: Counted): Promise<void> {
    await this.#db.delete(rateLimits).where(inArray(rateLimits.key, entriesOf(by).map(keyOf)))
  }

  /** Counts one by each. @returns for each the seconds until the next try is free; 0 where this one was. */
  async #take(asked: readonly Entry[]): Promise<readonly number[]> {
    return asked.length === 0 ? [] : this.#taking.ask(asked)
  }

  async #giveBack(asked: readonly Entry[]): Promise<void> {
    if (asked.length > 0) await this.#givingBack.ask(asked)
  }

  /**
   * Counts for all who ask at once; what was counted longer ago than its time begins anew. Rows are taken in the order of
   * their keys, so that two servers that count alike never wait for each other.
   */
  async #takeAll(all: readonly (readonly Entry[])[]): Promise<number[][]> {
    const now = Date.now()
    const tries = timesOf(all)
    const rows = [...tries].map(([key, { name, times }]) => ({
      key,
      times,
      expire: now + CEILINGS[name].seconds * 1000,
    }))
    const counted = await this.#db.execute<{ key: string; points: number; left: number }>(sql`
      insert into ${rateLimits} as c (key, points, expire)
      select r.key, r.times, r.expire
      from jsonb_to_recordset(${JSON.stringify(rows)}::jsonb) as r (key text, times int, expire bigint) order by 1
      on conflict (key) do update set
        points = excluded.points + case when c.expire > ${now}::bigint then c.points else 0 end,
        expire = case when c.expire > ${now}::bigint then c.expire else excluded.expire end
      returning key, points, (expire - ${now}::bigint)::float8 as left`)
    const byKey = new Map(counted.rows.map(({ key, points, left }) => [key, { before: points, left }]))
    for (const [key, { times }] of tries) (byKey.get(key) as { before: number }).before -= times
    return all.map((asked) =>
      asked.map((entry) => {
        const count = byKey.get(keyOf(entry)) as { before: number; left: number }
        count.before++
        return count.before <= this.#points(entry[0]) ? 0 : Math.max(1, Math.ceil(count.left / 1000))
      }),
    )
  }

  async #giveBackAll(all: readonly (readonly Entry[])[]): Promise<undefined[]> {
    const rows = [...timesOf(all)].map(([key, { times }]) => ({ key, times }))
    await this.#db.execute(sql`
      insert into ${rateLimits} as c (key, points, expire)
      select r.key, r.times, 0 from jsonb_to_recordset(${JSON.stringify(rows)}::jsonb) as r (key text, times int) order by 1
      on conflict (key) do update set points = greatest(c.points - excluded.points, 0)`)
    return all.map(() => undefined)
  }
}

/** How often each key is named. */
function timesOf(all: readonly (readonly Entry[])[]): Map<string, { name: LimitName; times: number }> {
  const found = new Map<string, { name: LimitName; times: number }>()
  for (const entry of all.flat()) {
    const key = keyOf(entry)
    found.set(key, { name: entry[0], times: (found.get(key)?.times ?? 0) + 1 })
  }
  return found
}

type Entry = readonly [LimitName, string]

const keyOf = ([name, key]: Entry): string => `${name}:${key}`

function entriesOf(by: Counted): Entry[] {
  return (Object.entries(by) as [LimitName, string | null][]).flatMap(([name, key]): Entry[] =>
    key === null ? [] : [[name, key.slice(0, MAX_KEY)]],
  )
}

const repeated = (entries: readonly Entry[], times: number): Entry[] =>
  Array.from({ length: times }, () => entries).flat()

/** That something was tried too often, with when to try it again. */
export function againIn(title: string, seconds: number): string {
  return seconds < 90
    ? say(REFUSED.againInSeconds, { title, count: seconds })
    : say(REFUSED.againInMinutes, { title, count: Math.ceil(seconds / 60) })
}

function tooMany(title: string, seconds: number): Problem {
  return new Problem(429, 'slow-down', againIn(title, seconds), [], { retryAfter: seconds })
}
