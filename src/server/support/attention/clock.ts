import { untrustedClock } from '../../platform/clock.ts'
import type { Finder } from './item.ts'

/** A process whose clock differs from the database’s: it collects no real money. */
export const clock: Finder = async ({ db, mode }) => {
  const untrusted = mode === 'live' ? await untrustedClock(db) : null
  if (!untrusted) return []
  const ofNoOrder = { orderId: null, number: null, buyer: '', course: 'Collecting', amount: null, currency: '' }
  return [{ ...ofNoOrder, next: null, since: untrusted.at.toISOString(), why: untrusted.says }]
}
