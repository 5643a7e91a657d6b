import { describe, expect, it } from 'vitest'
import { accessDecisionOn, type Grant, type Held, renewsOn, withMemberships } from './decision.ts'

const TODAY = '2027-03-10'
const agreement = { id: 'a', state: 'active', kind: 'subscription', tries: 0, nextTry: TODAY } as const
const grant = (more: object = {}, of: object | null = {}) =>
  ({
    opens: '2027-01-01',
    closes: TODAY,
    suspendedFrom: null,
    endedAt: null,
    membership: null,
    membersOf: null,
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

describe('what hangs on a membership', () => {
  let ids = 0
  /** A grant of a person for good, of a course, by a line that sells a product. */
  const held = (courseId: string, productId: string | null, more: object = {}) =>
    ({
      ...grant({ closes: null }, null),
      id: `g${++ids}`,
      personId: 'ada',
      courseId,
      productId,
      endedOn: null,
      ...more,
    }) as Held
  const state = (one: Held, ...others: Held[]) =>
    accessDecisionOn(TODAY, withMemberships(TODAY, [one], [one, ...others]))
  const extra = held('extra', 'extra', { membersOf: ['club'] })

  it('is open while the course is, however it was come by, or what the bundle opened', () => {
    expect(state(extra).state).toBe('closed')
    expect(state(extra, held('club', 'club')).state).toBe('open')
    expect(state(extra, held('club', null)).state).toBe('open')
    expect(state(extra, held('other', 'club')).state).toBe('open')
    expect(state(extra, held('other', 'other')).state).toBe('closed')
    expect(state(extra, held('club', 'club', { personId: 'bea' })).state).toBe('closed')
  })

  it('is shut from the day on which the last of its memberships ended, and open again with the next', () => {
    const ended = held('club', 'club', { endedAt: new Date(), endedOn: '2027-02-01' })
    const over = held('club', 'club', { closes: '2027-03-01' })
    expect(state(extra, ended, over)).toMatchObject({ state: 'closed', closed: '2027-03-01', owes: null })
    expect(state(extra, ended, over, held('club', 'club')).state).toBe('open')
    expect(state(extra, over, held('club', 'club', { opens: '2027-04-01' }))).toEqual({
      state: 'opens-later',
      opens: '2027-04-01',
    })
  })

  it('is opened again by paying what its membership owes', () => {
    const late = { suspendedFrom: '2027-03-01', agreement: { ...agreement, kind: 'installments', tries: 1 } }
    expect(state(extra, held('club', 'club', late))).toMatchObject({ state: 'closed', owes: 'a' })
  })

  it('hangs on what hangs itself; two that hang on each other alone are shut', () => {
    const between = held('between', 'between', { membersOf: ['club'] })
    const last = held('last', 'last', { membersOf: ['between'] })
    expect(state(last, between, held('club', 'club')).state).toBe('open')
    expect(state(last, between).state).toBe('closed')
    const round = held('round', 'round', { membersOf: ['last'] })
    const back = { ...last, membersOf: ['round'] } as Held
    expect(state(round, back).state).toBe('closed')
  })

  it('opens no sooner than by itself, nor for longer', () => {
    const club = held('club', 'club')
    expect(state({ ...extra, opens: '2027-04-01' }, club)).toEqual({ state: 'opens-later', opens: '2027-04-01' })
    expect(state({ ...extra, closes: '2027-03-01' }, club)).toMatchObject({ state: 'closed', closed: '2027-03-01' })
  })
})
