import type { Services } from '../context.ts'
import { restoredSince } from './restored.ts'

const DAY_SECONDS = 86_400
/** While a restored school waits for a gateway that does not answer, it is asked again so often. */
const RESTORING_SECONDS = 60

/** Queues what is done once a day, whichever worker comes to it. */
export async function queueDaily({ db, jobs }: Pick<Services, 'db' | 'jobs'>): Promise<void> {
  await jobs.send(db, 'purge', {}, { once: 'purge', onceInSeconds: DAY_SECONDS })
  const onceInSeconds = (await restoredSince(db)) ? RESTORING_SECONDS : DAY_SECONDS
  await jobs.send(db, 'reconcile', {}, { once: `reconcile ${onceInSeconds}`, onceInSeconds })
}
