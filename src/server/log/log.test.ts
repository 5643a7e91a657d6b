import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { forgetSeen, log, withRequestId } from './log.ts'

let lines: string[] = []
beforeEach(() => {
  vi.useFakeTimers({ now: new Date('2027-01-31T09:30:00Z') })
  lines = []
  for (const how of ['log', 'error'] as const) {
    vi.spyOn(console, how).mockImplementation((line: string) => void lines.push(line))
  }
})
afterEach(() => {
  forgetSeen()
  vi.useRealTimers()
  vi.restoreAllMocks()
})

it('a line has its time, its level and the request’s id', async () => {
  log('info', 'ready')
  await withRequestId('4f3a', async () => log('error', 'GET /my', new TypeError('x is no function')))
  expect(lines[0]).toBe('2027-01-31T09:30:00.000Z info - ready')
  expect(lines[1]).toMatch(/^2027-01-31T09:30:00.000Z error 4f3a GET \/my: TypeError: x is no function\n/)
})

it('a fault that repeats is written once, and then how often it came again', () => {
  for (let times = 0; times < 38; times++) log('error', 'sweep: no connection')
  log('error', 'another')
  expect(lines).toHaveLength(2)
  vi.advanceTimersByTime(60_000)
  expect(lines[2]).toMatch(/error - sweep: no connection \(37 more within a minute\)$/)
  expect(lines).toHaveLength(3)
  log('error', 'sweep: no connection')
  expect(lines).toHaveLength(4)
})
