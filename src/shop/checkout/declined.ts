import { DECLINED } from '../../core/words/en/paying.ts'

const WHY: Record<string, string> = {
  'not-enough-money': DECLINED.notEnoughMoney,
  'refused-by-buyer': DECLINED.refusedByBuyer,
  expired: DECLINED.expired,
  'bad-token': DECLINED.badToken,
  'over-limit': DECLINED.overLimit,
  'approval-ended': DECLINED.approvalEnded,
  'not-arrived': DECLINED.notArrived,
  abandoned: DECLINED.abandoned,
}

/** Why a payment did not come, and what to do, in words for the buyer. */
export function formatDeclined(reason: string): string {
  return WHY[reason] ?? DECLINED.refused
}
