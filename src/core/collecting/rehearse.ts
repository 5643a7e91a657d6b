import { addDays, after, type Day } from '../calendar/day.ts'
import { quote } from '../quote/quote.ts'
import { anchorOf } from '../quote/schedule.ts'
import type { Quote, QuotedLine, QuotedOffer, QuoteRequest } from '../quote/types.ts'
import { type AccessBasis, closesAsItStands, isOpenOn, paidAtPurchase } from './access.ts'
import {
  type Agreement,
  afterCancelled,
  afterCollected,
  afterDeclined,
  beginAgreement,
  nextPayment,
  owes,
  payableOn,
  taskOn,
  tryDays,
} from './agreement.ts'
import type { Rehearsal, RehearsalEvent } from './read.ts'

type What =
  | 'collected'
  | 'settled'
  | 'declined'
  | 'stopped'
  | 'completed'
  | 'cancelled'
  | 'nothing-due'
  | 'nothing-to-cancel'

export interface LogRow {
  on: Day
  line: number
  what: What
  n: number | null
  pay: number | null
}

export interface RehearsedLine {
  offer: string
  state: 'none' | 'paid' | 'active' | 'overdue' | 'completed' | 'stopped' | 'cancelled'
  collected: number
  late: number
  toCome: number | null
  next: { n: number; on: Day; pay: number } | null
  access: { from: Day; to: Day | null }[]
  closes: Day | null
}

export interface Rehearsed {
  placed: boolean
  first: { pay: number; outcome: 'ok' | 'declined' | 'none' }
  log: LogRow[]
  lines: RehearsedLine[]
}

/** One line on its way through the days. */
interface Running {
  index: number
  basis: AccessBasis
  quoted: QuotedLine
  agreement: Agreement | null
  paidAtPurchase: number
  access: { from: Day; to: Day | null }[]
}

/**
 * Runs an order day by day from its purchase to `until`: a loop around the questions that whoever
 * collects asks too (collecting rules, section 5). Deterministic; no clock.
 * @throws DocumentError as the quote does, with pointers under /quote.
 */
export function rehearse({ request, retryAfterDays, attempts, events, until }: Rehearsal): Rehearsed {
  const quoted = quote(withHorizon(request, until), '/quote')
  const outcomes = attempts[Symbol.iterator]()
  const attempt = () => outcomes.next().value ?? 'ok'
  const { pay } = quoted.today
  const outcome = pay === 0 ? 'none' : attempt()
  if (outcome === 'declined') return notPlaced(quoted)

  const lines = quoted.lines.map((line, index) => begin(line, index, request, quoted.purchaseDay))
  const log: LogRow[] = []
  for (let day = quoted.purchaseDay; day <= until; day = addDays(day, 1)) {
    for (const event of events) if (event.on === day) log.push(...happen(lines[event.line] as Running, event))
    for (const line of lines) log.push(...work(line, retryAfterDays, day, attempt))
    for (const line of lines) noteAccess(line, day)
  }
  return {
    placed: true,
    first: { pay, outcome },
    log,
    lines: lines.map((line) => figures(line, until, retryAfterDays)),
  }
}

/** Lists as many payments of what runs until cancelled as can be due by then, and the one after. */
function withHorizon(request: QuoteRequest, until: Day): QuoteRequest {
  const purchaseDay = quote(request, '/quote').purchaseDay
  let horizon = 1
  for (const { offer } of request.lines) {
    const { terms } = offer
    if (terms.kind !== 'subscription' || terms.payments !== null) continue
    const anchor = anchorOf(terms, purchaseDay)
    while (after(anchor, horizon - 1, terms.every) <= until) horizon++
  }
  return { ...request, horizon }
}

function notPlaced({ today, lines }: Quote): Rehearsed {
  const none = { state: 'none' as const, collected: 0, late: 0, toCome: 0, next: null, access: [], closes: null }
  return {
    placed: false,
    first: { pay: today.pay, outcome: 'declined' },
    log: [],
    lines: lines.map(({ offer }) => ({ offer, ...none })),
  }
}

function begin(quoted: QuotedLine, index: number, request: QuoteRequest, purchaseDay: Day): Running {
  const offer = request.lines[index]?.offer as QuotedOffer
  const agreement = beginAgreement(quoted, offer.terms.kind, purchaseDay)
  const basis = { ...offer, purchaseDay, placedOn: purchaseDay }
  return { index, basis, quoted, agreement, paidAtPurchase: paidAtPurchase(quoted, purchaseDay), access: [] }
}

/** What the buyer or the creator does, and what follows. */
function happen(line: Running, { on, what, when }: RehearsalEvent): LogRow[] {
  const row = (said: What, n: number | null = null, pay: number | null = null): LogRow => ({
    on,
    line: line.index,
    what: said,
    n,
    pay,
  })
  const { agreement } = line
  if (what === 'cancel') {
    const cancelled = agreement && afterCancelled(agreement, on, when)
    if (!cancelled) return [row('nothing-to-cancel')]
    line.agreement = cancelled
    return [row('cancelled')]
  }
  const payable = agreement ? payableOn(agreement, on) : []
  if (payable.length === 0) return [row('nothing-due')]
  const rows = payable.map(({ n, pay }) => row(pay === 0 ? 'settled' : 'collected', n, pay))
  for (const _ of payable) line.agreement = afterCollected(line.agreement as Agreement, on)
  return line.agreement?.state === 'completed' ? [...rows, row('completed')] : rows
}

/** Does for a line all that is to be done on a day. */
function work(line: Running, retryAfterDays: readonly number[], day: Day, attempt: () => 'ok' | 'declined'): LogRow[] {
  const rows: LogRow[] = []
  const add = (what: What, n: number | null = null, pay: number | null = null) =>
    rows.push({ on: day, line: line.index, what, n, pay })
  for (;;) {
    const task = line.agreement && taskOn(line.agreement, retryAfterDays, day)
    if (!task || !line.agreement) return rows
    const { n, pay } = task.payment
    const isCollected = task.do === 'settle' || attempt() === 'ok'
    line.agreement = isCollected
      ? afterCollected(line.agreement, day)
      : afterDeclined(line.agreement, retryAfterDays, day)
    add(isCollected ? (task.do === 'settle' ? 'settled' : 'collected') : 'declined', n, pay)
    if (line.agreement.state === 'completed' || line.agreement.state === 'stopped') add(line.agreement.state)
  }
}

function noteAccess(line: Running, day: Day): void {
  const isOpen = isOpenOn(day, line.basis, line.agreement, line.paidAtPurchase)
  const last = line.access.at(-1)
  if (isOpen && last?.to !== null) line.access.push({ from: day, to: null })
  else if (!isOpen && last?.to === null) last.to = day
}

function figures(line: Running, until: Day, retryAfterDays: readonly number[]): RehearsedLine {
  const { agreement, quoted, basis } = line
  const sum = (list: readonly { pay: number }[]) => list.reduce((all, { pay }) => all + pay, 0)
  const once = quoted.payments.filter(({ n }) => n === 0)
  const numbered = quoted.payments.filter(({ n }) => n > 0)
  const paid = agreement ? numbered.slice(0, agreement.collected) : numbered
  const unpaid = agreement && owes(agreement) ? numbered.slice(agreement.collected) : []
  const due = unpaid.filter((payment) => payment.due <= until)
  return {
    offer: quoted.offer,
    state: stateOf(agreement, due.length > 0),
    collected: sum(once) + sum(paid),
    late: sum(due),
    toCome: agreement?.endless && agreement.state === 'active' ? null : sum(unpaid),
    next: agreement && nextOf(agreement, until, retryAfterDays),
    access: line.access,
    closes: closesAsItStands(basis, agreement, line.paidAtPurchase),
  }
}

function stateOf(agreement: Agreement | null, isLate: boolean): RehearsedLine['state'] {
  if (!agreement) return 'paid'
  return agreement.state === 'active' && isLate ? 'overdue' : agreement.state
}

/** The next payment, and the first day after `until` on which it would be tried or settled. */
function nextOf(agreement: Agreement, until: Day, retryAfterDays: readonly number[]): RehearsedLine['next'] {
  const payment = nextPayment(agreement)
  if (agreement.state !== 'active' || !payment) return null
  const on = tryDays(agreement, retryAfterDays)
    .slice(agreement.tries)
    .find((day) => day > until)
  return on === undefined ? null : { n: payment.n, on, pay: payment.pay }
}
