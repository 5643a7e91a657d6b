import { log } from '../log/log.ts'
import { mapConcurrently } from './mapConcurrently.ts'

/** So many are done at a time where each stands alone. */
const ALONE_AT_ONCE = 4

/** How many batches failed in this process, by what they do. */
const failures = new Map<string, number>()

/** How many batches of a name failed since this process began, and were done again one at a time. */
export function failedBatches(name: string): number {
  return failures.get(name) ?? 0
}

/**
 * Does several in one go, which costs about as much as doing one. What a batch leaves, and all of a batch that fails, is
 * done again as batches of one by the same `run`, so that what is wrong with one goes wrong for it alone. A failed batch
 * is logged with its ids, and counted.
 * @param name what is done, for the log.
 * @param run does its items in one transaction and returns those that it leaves: of one item, none. What fails must have
 * done nothing.
 * @returns what went wrong, by id.
 */
export async function inOneGo<T>(
  name: string,
  items: readonly T[],
  idOf: (item: T) => string,
  run: (items: readonly T[]) => Promise<readonly T[]>,
): Promise<Map<string, unknown>> {
  const failed = new Map<string, unknown>()
  const alone = items.length > 1 ? await leftBy(name, items, idOf, run) : items
  await mapConcurrently(ALONE_AT_ONCE, alone, async (item) => {
    try {
      await run([item])
    } catch (error) {
      failed.set(idOf(item), error)
    }
  })
  return failed
}

async function leftBy<T>(
  name: string,
  items: readonly T[],
  idOf: (item: T) => string,
  run: (items: readonly T[]) => Promise<readonly T[]>,
): Promise<readonly T[]> {
  try {
    return await run(items)
  } catch (error) {
    const count = failedBatches(name) + 1
    failures.set(name, count)
    log('warn', `${name}: batch ${count} that failed, done again one by one: ${items.map(idOf).join(', ')}`, error)
    return items
  }
}
