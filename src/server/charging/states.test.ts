import { expect, it } from 'vitest'
import { ATTEMPT_STATES, OPEN_ATTEMPTS } from '../db/schema/index.ts'
import { nextState } from './states.ts'

it.each(ATTEMPT_STATES)('%s is left by no word that comes late', (state) => {
  const isOpen = OPEN_ATTEMPTS.includes(state)
  expect(nextState(state, 'absent')).toBeNull()
  for (const word of ['declined', 'abandoned'] as const) expect(nextState(state, word)).toBe(isOpen ? word : null)
  expect(nextState(state, 'collected')).toBe(state === 'collected' ? null : 'collected')
  expect(nextState(state, 'awaited')).toBe(isOpen && state !== 'awaiting' ? 'awaiting' : null)
  expect(nextState(state, 'confirming')).toBe(state === 'started' || state === 'unknown' ? 'confirming' : null)
})
