import type { Outcome } from '../../gateways/contract.ts'
import type { AttemptState } from '../db/schema/index.ts'

type Word = Exclude<Outcome['state'], 'absent'>

const UNANSWERED = {
  confirming: 'confirming',
  awaited: 'awaiting',
  collected: 'collected',
  declined: 'declined',
  abandoned: 'abandoned',
} as const satisfies Record<Word, AttemptState>

/**
 * What a gateway's report makes of an attempt, by the state that it has; what is not here changes nothing. Collected is
 * the end. Money that comes for what was declined or closed is collected all the same: it did move.
 */
const NEXT: Record<AttemptState, Partial<Record<Word, AttemptState>>> = {
  /** Stored; the gateway has been or is being called. */
  started: UNANSWERED,
  /** No answer came. */
  unknown: UNANSWERED,
  /** The buyer is asked to approve. */
  confirming: { awaited: 'awaiting', collected: 'collected', declined: 'declined', abandoned: 'abandoned' },
  /** The buyer has done their part; the money comes later. */
  awaiting: { collected: 'collected', declined: 'declined', abandoned: 'abandoned' },
  collected: {},
  declined: { collected: 'collected' },
  abandoned: { collected: 'collected' },
}

/** The state that an outcome leads to; null where it changes nothing. */
export function nextState(from: AttemptState, outcome: Outcome['state']): AttemptState | null {
  return outcome === 'absent' ? null : (NEXT[from][outcome] ?? null)
}
