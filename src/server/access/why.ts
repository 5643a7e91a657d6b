import { formatWhyGiven, formatWhyOpen } from '../../core/collecting/why.ts'
import { openingOn } from '../../core/quote/courseDay.ts'
import { readAgreement } from '../agreements/agreements.ts'
import type { Services } from '../platform/context.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { listGrants, titlesOf } from './service.ts'

/**
 * The grants of a buyer or an order, each with the reason why it is open until when; null where it was taken back.
 * `services` are of the grants' mode: it is said of the day that it is there.
 */
export async function explainGrants(services: Services, of: { personId: string } | { orderId: string }) {
  const { db } = services
  const [found, today, { language }] = await Promise.all([listGrants(services, of), schoolDay(services), getSchool(db)])
  const titles = await titlesOf(
    db,
    found.flatMap(({ membersOf }) => membersOf ?? []),
  )
  return Promise.all(
    found.map(async ({ agreementId, ...grant }) => {
      if (grant.endedAt) return { ...grant, why: null }
      if (!agreementId) {
        const { opens, closes, orderId, note } = grant
        const membership = grant.membership && {
          of: (grant.membersOf ?? []).map((id) => titles.get(id) ?? ''),
          isOpen: grant.membership.state === 'open',
          since: grant.membership.state === 'over' ? grant.membership.since : null,
        }
        return {
          ...grant,
          why: formatWhyGiven({ opens, closes, note: orderId ? null : (note ?? ''), membership, today, language }),
        }
      }
      const { phase, agreement, row } = await readAgreement(db, agreementId)
      const why = formatWhyOpen({
        phase: openingOn(phase, grant.opens),
        agreement,
        today,
        method: row.method,
        language,
      })
      return { ...grant, why }
    }),
  )
}
