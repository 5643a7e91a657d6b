import { addDays } from '../../core/calendar/day.ts'
import { MODES } from '../db/schema/columns.ts'
import type { Services } from '../platform/context.ts'
import { restoredSince } from '../platform/restored.ts'
import { dayFor, findSchool } from '../school/service.ts'

const DAY_SECONDS = 86_400
/** While a restored school waits for a gateway that does not answer, it is asked again so often. */
const RESTORING_SECONDS = 60

/** Queues what is done once a day, whichever worker comes to it. */
export async function queueDaily({ db, jobs, now }: Pick<Services, 'db' | 'jobs' | 'now'>): Promise<void> {
  await queueSold({ db, jobs, now })
  await jobs.send(db, 'purge', {}, { once: 'purge', onceInSeconds: DAY_SECONDS })
  const onceInSeconds = (await restoredSince(db)) ? RESTORING_SECONDS : DAY_SECONDS
  await jobs.send(db, 'reconcile', {}, { once: `reconcile ${onceInSeconds}`, onceInSeconds })
}

/** Yesterday's sales, where the creator wants to hear of them once a day; each day once. */
async function queueSold({ db, jobs, now }: Pick<Services, 'db' | 'jobs' | 'now'>): Promise<void> {
  const school = await findSchool(db)
  if (school?.saleNotices !== 'daily') return
  for (const mode of MODES) {
    const aheadMs = mode === 'practice' ? school.practiceAheadMs : 0
    const day = addDays(dayFor(school, new Date(now().getTime() + aheadMs)), -1)
    const once = `sold ${mode} ${day}`
    await jobs.send(db, 'account-mail', { kind: 'sold', mode, day }, { once, onceInSeconds: 7 * DAY_SECONDS })
  }
}
