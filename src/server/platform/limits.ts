import { RateLimiterPostgres, RateLimiterRes } from 'rate-limiter-flexible'
import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import type { Database } from '../db/client.ts'
import { Problem } from '../http/problem.ts'

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
  /** Discount codes that do not exist. */
  'code:ip': { points: 30, seconds: QUARTER },
  'code:range': { points: 150, seconds: QUARTER },
  'code:browser': { points: 15, seconds: QUARTER },
  /** Baskets that a browser begins. */
  'basket:ip': { points: 60, seconds: HOUR },
  'basket:range': { points: 300, seconds: HOUR },
  /** Links and codes that do not exist. */
  'guess:ip': { points: 60, seconds: HOUR },
  'guess:range': { points: 300, seconds: HOUR },
} as const satisfies Record<string, Ceiling>
export type LimitName = keyof typeof CEILINGS

/** By whom something is counted, by the limit's name; where a key is null that limit does not count. */
export type Counted = Partial<Record<LimitName, string | null>>

/** Counts what may not be asked for without end, shared by all servers through the database. */
export class Limits {
  private readonly limiters: Map<LimitName, RateLimiterPostgres>

  /**
   * @param points the ceilings that differ from {@link CEILINGS}, by name, or one factor for all of them.
   */
  constructor(db: Database, points: Partial<Record<LimitName, number>> | number = {}) {
    this.limiters = new Map(
      (Object.entries(CEILINGS) as [LimitName, Ceiling][]).map(([name, ceiling]) => [
        name,
        new RateLimiterPostgres({
          storeClient: db.$client,
          storeType: 'pool',
          tableName: 'rate_limits',
          tableCreated: true,
          clearExpiredByTimeout: false,
          keyPrefix: name,
          points: typeof points === 'number' ? ceiling.points * points : (points[name] ?? ceiling.points),
          duration: ceiling.seconds,
        }),
      ]),
    )
  }

  /**
   * Counts one try by each key, in the order given: check and count are one statement, so that a thousand at once pass
   * no ceiling. @throws Problem 429 with when to try again, at the first that is used up.
   */
  async count(by: Counted, title: string = REFUSED.tooManyTries): Promise<void> {
    for (const [name, key] of entriesOf(by)) {
      const wait = await this.take(name, key)
      if (wait > 0) throw tooMany(title, wait)
    }
  }

  /** Counts one, and says whether that was still within the ceiling. */
  async isWithin(name: LimitName, key: string): Promise<boolean> {
    return (await this.take(name, key)) === 0
  }

  /** Takes back what was counted for something that turned out well. */
  async giveBack(by: Counted): Promise<void> {
    await Promise.all(entriesOf(by).map(([name, key]) => this.limiter(name).reward(key, 1)))
  }

  /** Forgets everything that was counted by these keys. */
  async forget(by: Counted): Promise<void> {
    await Promise.all(entriesOf(by).map(([name, key]) => this.limiter(name).delete(key)))
  }

  /** @returns seconds until the next try is free; 0 where this one was. */
  private async take(name: LimitName, key: string): Promise<number> {
    try {
      await this.limiter(name).consume(key)
      return 0
    } catch (error) {
      if (error instanceof RateLimiterRes) return Math.max(1, Math.ceil(error.msBeforeNext / 1000))
      throw error
    }
  }

  private limiter(name: LimitName): RateLimiterPostgres {
    return this.limiters.get(name) as RateLimiterPostgres
  }
}

function entriesOf(by: Counted): [LimitName, string][] {
  return (Object.entries(by) as [LimitName, string | null][]).flatMap(([name, key]) =>
    key === null ? [] : [[name, key.slice(0, 200)] as [LimitName, string]],
  )
}

function tooMany(title: string, seconds: number): Problem {
  const says =
    seconds < 90
      ? say(REFUSED.againInSeconds, { title, count: seconds })
      : say(REFUSED.againInMinutes, { title, count: Math.ceil(seconds / 60) })
  return new Problem(429, 'slow-down', says, [], { retryAfter: seconds })
}
