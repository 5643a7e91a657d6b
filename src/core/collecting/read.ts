import { after, type Day } from '../calendar/day.ts'
import { dayIn } from '../calendar/instant.ts'
import { below, fail, isGiven, readArray, readChoice, readObject, readWhole, refuseFields } from '../document/reader.ts'
import { readQuoteRequest } from '../quote/read.ts'
import type { QuoteRequest } from '../quote/types.ts'
import { readDay } from '../terms/read.ts'

export interface RehearsalEvent {
  on: Day
  line: number
  what: 'pay' | 'cancel'
  when: 'now' | 'period-end'
}

export interface Rehearsal {
  request: QuoteRequest
  retryAfterDays: number[]
  attempts: ('ok' | 'declined')[]
  events: RehearsalEvent[]
  until: Day
}

/** What is tried again, and when, where a school has set nothing. */
const USUAL_RETRIES: readonly number[] = [1, 3, 7]

const FIELDS = new Set(['quote', 'policy', 'attempts', 'events', 'until'])
const POLICY_FIELDS = new Set(['retryAfterDays'])
const EVENT_FIELDS = new Set(['on', 'line', 'what', 'when'])
const MAX_LISTED = Number.MAX_SAFE_INTEGER

/**
 * Reads the rehearse command's input (collecting rules, section 5).
 * @throws DocumentError with the pointer of the field at fault; those of the quote begin with /quote.
 */
export function readRehearsal(document: unknown): Rehearsal {
  const fields = readObject(document, '', FIELDS)
  const request = readQuoteRequest(fields.quote, '/quote')
  const purchaseDay = dayIn(request.timeZone, request.at)
  const until = readDay(fields.until, '/until')
  if (until < purchaseDay) fail('/until', `must not be before ${purchaseDay}, the purchase day`)
  if (until > after(purchaseDay, 10, { count: 1, unit: 'year' }))
    fail('/until', 'must be within ten years of the purchase')
  return {
    request,
    until,
    retryAfterDays: readPolicy(fields.policy),
    attempts: readArray(fields.attempts, '/attempts', 0, MAX_LISTED).map((outcome, index) =>
      readChoice(outcome, below('/attempts', index), ['ok', 'declined']),
    ),
    events: readArray(fields.events, '/events', 0, MAX_LISTED).map((event, index) =>
      readEvent(event, below('/events', index), request, purchaseDay, until),
    ),
  }
}

function readPolicy(value: unknown): number[] {
  if (!isGiven(value)) return [...USUAL_RETRIES]
  const { retryAfterDays } = readObject(value, '/policy', POLICY_FIELDS)
  if (!isGiven(retryAfterDays)) return [...USUAL_RETRIES]
  const at = '/policy/retryAfterDays'
  let before = 0
  return readArray(retryAfterDays, at, 0, 8).map((item, index) => {
    const days = readWhole(item, below(at, index), 1, 60)
    if (days <= before) fail(below(at, index), 'must be later than the one before it')
    before = days
    return days
  })
}

function readEvent(value: unknown, at: string, request: QuoteRequest, from: Day, until: Day): RehearsalEvent {
  const fields = readObject(value, at, EVENT_FIELDS)
  const what = readChoice(fields.what, below(at, 'what'), ['pay', 'cancel'])
  if (what === 'pay') refuseFields(fields, at, ['when'], 'belongs to a cancel')
  const on = readDay(fields.on, below(at, 'on'))
  if (on < from || on > until) fail(below(at, 'on'), `must lie between ${from} and ${until}`)
  const lineAt = below(at, 'line')
  if (!isGiven(fields.line)) fail(lineAt, 'is missing')
  const line = readWhole(fields.line, lineAt, 0, request.lines.length - 1)
  if (what === 'pay') return { on, line, what, when: 'period-end' }
  if (request.lines[line]?.offer.terms.kind !== 'subscription')
    fail(lineAt, 'is no subscription, and only those are cancelled')
  return { on, line, what, when: readChoice(fields.when, below(at, 'when'), ['now', 'period-end']) }
}
