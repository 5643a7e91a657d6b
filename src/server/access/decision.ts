import type { Day } from '../../core/calendar/day.ts'
import { later } from '../../core/calendar/day.ts'
import type { agreements, grants } from '../db/schema/index.ts'

/** A grant, and where payments go on for it, what they stand at. */
export type GrantAlone = typeof grants.$inferSelect & {
  agreement: Pick<typeof agreements.$inferSelect, 'id' | 'state' | 'kind' | 'tries' | 'nextTry'> | null
}

/** The same, and how the membership stands on which it hangs; null where it hangs on none. */
export type Grant = GrantAlone & { membership: Membership | null }

/** A membership: some grants of which one must be open. `since`: the day on which the last of them ended. */
export type Membership =
  | { state: 'open' }
  | { state: 'opens-later'; opens: Day }
  | { state: 'over'; since: Day | null; owes: string | null }

/** Why a visitor may or may not enter a course today. */
export type AccessDecision =
  | { state: 'open'; grant: Grant }
  | { state: 'opens-later'; opens: string }
  /** `owes`: the agreement whose unpaid payment shut it, which paying opens again. */
  | { state: 'closed'; closed: string; owes: string | null; grant: Grant }
  | { state: 'no-grant' }

/**
 * Judges a visitor's grants of one course on a day: open when opens ≤ day < closes (pricing rules, section 8),
 * no payment is overdue past its grace (collecting rules, section 4), and the membership that it depends on, if any, is
 * open (selling rules, section 2a). The best of several grants counts.
 */
export function accessDecisionOn(day: string, held: readonly Grant[]): AccessDecision {
  const notEnded = held.filter((grant) => grant.endedAt === null)
  const open = notEnded.find((grant) => isOpenByItself(day, grant) && isMember(grant))
  if (open) return { state: 'open', grant: open }
  const [opens] = notEnded.flatMap((grant) => opensLater(day, grant)).sort()
  if (opens) return { state: 'opens-later', opens }
  const [last] = notEnded
    .map((grant) => ({ grant, end: endOf(grant) ?? endOfMembership(grant) }))
    .filter(({ end }) => end !== null)
    .sort((a, b) => ((a.end as string) < (b.end as string) ? 1 : -1))
  if (!last) return { state: 'no-grant' }
  const { closes, suspendedFrom, agreement, membership } = last.grant
  const isClosed = suspendedFrom !== null && (closes === null || day < closes)
  const owes = isClosed && agreement ? agreement.id : null
  return {
    state: 'closed',
    closed: last.end as string,
    owes: owes ?? (membership?.state === 'over' ? membership.owes : null),
    grant: last.grant,
  }
}

function isMember({ membership }: Grant): boolean {
  return membership === null || membership.state === 'open'
}

function isOpenByItself(day: Day, grant: GrantAlone): boolean {
  return grant.endedAt === null && grant.opens <= day && isStillOpen(day, grant)
}

/** The day on which a grant opens that is not open yet; none where it is over. */
function opensLater(day: Day, { opens, membership }: Grant): Day[] {
  if (membership?.state === 'over') return []
  if (membership?.state === 'opens-later') return [later(opens, membership.opens)]
  return opens > day ? [opens] : []
}

function endOfMembership({ membership, opens }: Grant): Day | null {
  return membership?.state === 'over' ? (membership.since ?? opens) : null
}

/** A grant of somebody with what the line sells that opened it; null where it was given. */
export type Held = GrantAlone & { productId: string | null; endedOn: Day | null }

/**
 * Adds to each grant the state of its membership on a day. Memberships may depend on other memberships; two that depend
 * only on each other are closed.
 * @param all every grant of the same people, ended ones included.
 */
export function withMemberships(day: Day, held: readonly GrantAlone[], all: readonly Held[]): Grant[] {
  const matching = ({ personId, membersOf }: GrantAlone) =>
    all.filter(
      (one) =>
        one.personId === personId &&
        (membersOf?.includes(one.courseId) || (one.productId !== null && membersOf?.includes(one.productId))),
    )
  const open = new Set(all.filter((one) => one.membersOf === null && isOpenByItself(day, one)).map(({ id }) => id))
  for (let before = -1; before < open.size; ) {
    before = open.size
    for (const one of all) {
      if (isOpenByItself(day, one) && matching(one).some(({ id }) => open.has(id))) open.add(one.id)
    }
  }
  return held.map((grant): Grant => {
    if (grant.membersOf === null) return { ...grant, membership: null }
    const memberships = matching(grant)
    if (memberships.some(({ id }) => open.has(id))) return { ...grant, membership: { state: 'open' } }
    const [opens] = memberships.flatMap((one) => (one.endedAt === null && one.opens > day ? [one.opens] : [])).sort()
    if (opens) return { ...grant, membership: { state: 'opens-later', opens } }
    const ends = memberships.flatMap((one) => one.endedOn ?? endOf(one) ?? []).sort()
    const owing = memberships.find(({ endedAt, suspendedFrom, agreement }) => !endedAt && suspendedFrom && agreement)
    return { ...grant, membership: { state: 'over', since: ends.at(-1) ?? null, owes: owing?.agreement?.id ?? null } }
  })
}

/**
 * The day until which a subscription is paid that goes on, and on which it renews; null of any other grant. Its closing
 * day, grace included, comes only if that payment fails.
 */
export function renewsOn({ closes, agreement }: GrantAlone): string | null {
  const isOngoing = agreement?.state === 'active' && agreement.kind === 'subscription' && agreement.tries === 0
  return closes !== null && isOngoing ? agreement.nextTry : null
}

/** The first day on which a grant does not open as things stand: it closes, or an unpaid payment shuts it. */
function endOf({ closes, suspendedFrom }: GrantAlone): string | null {
  return closes !== null && suspendedFrom !== null
    ? closes < suspendedFrom
      ? closes
      : suspendedFrom
    : (closes ?? suspendedFrom)
}

/** A payment that nobody has tried to collect yet, though it is its day, is not the buyer's fault. */
function isStillOpen(day: string, grant: GrantAlone): boolean {
  const end = endOf(grant)
  if (end === null || day < end) return true
  const { agreement } = grant
  return (
    agreement?.state === 'active' && agreement.tries === 0 && agreement.nextTry !== null && agreement.nextTry <= day
  )
}
