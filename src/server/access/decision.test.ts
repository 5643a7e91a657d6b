import { describe, expect, it } from 'vitest'
import { accessDecisionOn, type Grant, renewsOn } from './service.ts'

const TODAY = '2027-03-10'
const agreement = { id: 'a', state: 'active', kind: 'subscription', tries: 0, nextTry: TODAY } as const
const grant = (more: object = {}, of: object | null = {}) =>
  ({
    opens: '2027-01-01',
    closes: TODAY,
    suspendedFrom: null,
    endedAt: null,
    ...more,
    agreement: of && { ...agreement, ...of },
  }) as Grant
const stateOf = (one: Grant) => accessDecisionOn(TODAY, [one])

describe('on the day on which access would end', () => {
  it('it is open as long as nobody has tried to collect the payment of that day', () => {
    expect(stateOf(grant()).state).toBe('open')
    expect(stateOf(grant({ closes: null, suspendedFrom: TODAY })).state).toBe('open')
    expect(stateOf(grant({}, { nextTry: '2027-03-09' })).state).toBe('open')
  })

  it('it is shut once a try failed, where the try comes later, or none comes', () => {
    expect(stateOf(grant({}, { tries: 1 }))).toMatchObject({ state: 'closed', closed: TODAY, owes: null })
    expect(stateOf(grant({ closes: null, suspendedFrom: TODAY }, { tries: 1 }))).toMatchObject({
      state: 'closed',
      closed: TODAY,
      owes: 'a',
    })
    expect(stateOf(grant({}, { nextTry: '2027-03-11' })).state).toBe('closed')
    expect(stateOf(grant({}, { nextTry: null })).state).toBe('closed')
    expect(stateOf(grant({}, { state: 'cancelled' })).state).toBe('closed')
    expect(stateOf(grant({}, null)).state).toBe('closed')
  })
})

it('a subscription that goes on renews; one whose payment is late, a plan, or what never ends does not', () => {
  expect(renewsOn(grant())).toBe(TODAY)
  expect(renewsOn(grant({}, { tries: 1 }))).toBeNull()
  expect(renewsOn(grant({}, { kind: 'installments' }))).toBeNull()
  expect(renewsOn(grant({}, { state: 'stopped' }))).toBeNull()
  expect(renewsOn(grant({ closes: null }))).toBeNull()
})
