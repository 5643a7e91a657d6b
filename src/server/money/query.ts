import * as v from 'valibot'
import { after, type Day, isDay } from '../../core/calendar/day.ts'
import { isId } from '../http/isId.ts'

/** How a scheduled payment stands on a day. */
export const PAYMENT_STATUSES = ['paid', 'awaited', 'late', 'given-up', 'to-come'] as const
export type PaymentStatus = (typeof PAYMENT_STATUSES)[number]

const uuid = v.pipe(v.string(), v.uuid('There is no such thing to look for.'))
/** What narrows the money that is looked at. */
const filters = {
  course: v.optional(uuid),
  offer: v.optional(uuid),
  paymentMethod: v.optional(v.pipe(v.string(), v.maxLength(40))),
  search: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(100)), ''),
}
const day = v.pipe(v.string(), v.check(isDay, 'This date does not exist.'))
const MAX_YEARS = 20
/** From a day to another, both included. */
const span = { from: day, until: day }
export interface DaySpan {
  from: Day
  until: Day
}

/** The last day does not lie before the first, nor too far from it. */
function inOrder<T extends DaySpan & Record<string, unknown>>() {
  return v.rawCheck<T>(({ dataset, addIssue }) => {
    if (!dataset.typed || dataset.issues) return
    const { from, until } = dataset.value
    const say = (message: string) =>
      addIssue({
        message,
        path: [{ type: 'object', origin: 'value', input: dataset.value, key: 'until', value: until }],
      })
    if (until < from) say('The last day is before the first.')
    else if (until > after(from, MAX_YEARS, { count: 1, unit: 'year' })) say(`At most ${MAX_YEARS} years at a time.`)
  })
}
/** Where a page ended: `<due>|<order>|<payment>`. */
function isCursor(text: string): boolean {
  const [due = '', order = '', payment = '', ...rest] = text.split('|')
  return rest.length === 0 && isDay(due) && isId(order) && isId(payment)
}

/** The same of movements: `<day>|<transaction>|<line>`. */
function isMovementCursor(text: string): boolean {
  const [on = '', transaction = '', line = '', ...rest] = text.split('|')
  return rest.length === 0 && isDay(on) && /^\d{1,15}$/.test(transaction) && (line === '' || isId(line))
}

const movementAfter = v.optional(v.pipe(v.string(), v.check(isMovementCursor, 'This page does not exist.')))
const pageAfter = v.optional(v.pipe(v.string(), v.check(isCursor, 'This page does not exist.')))
export const monthsQuery = v.object(filters)
export const spanQuery = v.pipe(v.object({ ...span, ...filters }), inOrder())
export const exportQuery = v.pipe(
  v.object({ ...span, status: v.optional(v.picklist(PAYMENT_STATUSES)), ...filters }),
  inOrder(),
)
export const paymentsQuery = v.pipe(
  v.object({ ...span, status: v.optional(v.picklist(PAYMENT_STATUSES)), after: pageAfter, ...filters }),
  inOrder(),
)
export const movementsQuery = v.pipe(v.object({ ...span, after: movementAfter, ...filters }), inOrder())
export const lateQuery = v.object({ status: v.picklist(['late', 'given-up']), after: pageAfter, ...filters })
export type MoneyFilters = v.InferOutput<typeof monthsQuery>

/** So many payments are read at a time. */
export const PAGE = 50
