import type { Database } from '../db/client.ts'

interface Waiting<T, R> {
  item: T
  done: (result: R) => void
  failed: (error: unknown) => void
}

/**
 * Does for several what costs as much for one: what is asked for while a batch is under way waits for it, and is done
 * in the next. Whoever asks alone waits for nobody.
 */
export class Together<T, R> {
  #waiting: Waiting<T, R>[] = []
  #isRunning = false
  readonly #most: number
  readonly #run: (items: readonly T[]) => Promise<readonly R[]>

  /**
   * @param most so many are done in one batch.
   * @param run gives the results in the order of the items. A batch that fails is run again for each by itself, so that
   * none fails for another's fault: what failed must have done nothing, or be harmless twice.
   */
  constructor(most: number, run: (items: readonly T[]) => Promise<readonly R[]>) {
    this.#most = most
    this.#run = run
  }

  ask(item: T): Promise<R> {
    return new Promise((done, failed) => {
      this.#waiting.push({ item, done, failed })
      if (!this.#isRunning) this.#go()
    })
  }

  async #alone({ item, done, failed }: Waiting<T, R>): Promise<void> {
    try {
      const [result] = await this.#run([item])
      done(result as R)
    } catch (error) {
      failed(error)
    }
  }

  async #go(): Promise<void> {
    this.#isRunning = true
    while (this.#waiting.length > 0) {
      const batch = this.#waiting.splice(0, this.#most)
      try {
        const results = await this.#run(batch.map(({ item }) => item))
        for (const [index, { done }] of batch.entries()) done(results[index] as R)
      } catch (error) {
        if (batch.length === 1) batch[0]?.failed(error)
        else for (const one of batch) await this.#alone(one)
      }
    }
    this.#isRunning = false
  }
}

/** The same for statements: all that is asked of one database goes together. */
export function togetherIn<T, R>(
  most: number,
  run: (db: Database, items: readonly T[]) => Promise<readonly R[]>,
): (db: Database, item: T) => Promise<R> {
  const byDatabase = new WeakMap<Database, Together<T, R>>()
  return (db, item) => {
    const queue = byDatabase.get(db) ?? new Together<T, R>(most, (items) => run(db, items))
    byDatabase.set(db, queue)
    return queue.ask(item)
  }
}
