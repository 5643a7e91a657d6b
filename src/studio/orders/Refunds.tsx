import { useState } from 'react'
import { Link } from 'react-router'
import { toast } from 'sonner'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { withoutShares } from '../../core/collecting/phase.ts'
import { shareOfCourses, shareRefund } from '../../core/collecting/refund.ts'
import { formatMoney, formatPlain, type MoneyFormat } from '../../core/money/format.ts'
import { readMoney } from '../../core/money/parse.ts'
import { formatList } from '../../core/sentence/words.ts'
import { Button } from '../../ui/Button.tsx'
import { formatDate } from '../../ui/dates.ts'
import { State, type StateShape } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { TextField } from '../frame/TextField.tsx'
import { NoteDialog } from '../people/NoteDialog.tsx'
import { useSession } from '../session/session.ts'
import { AccessChoice, formatRefundDone } from './AccessChoice.tsx'
import type { Order } from './order.ts'
import { WholeRefunds, wholePayments } from './WholeRefunds.tsx'

type Refund = Order['refunds'][number]
const STATES: Record<Refund['state'], readonly [StateShape, string]> = {
  refunded: ['received', 'refunded'],
  started: ['awaited', 'requested, no answer yet'],
  refused: ['failed', 'refused'],
}

/** What was given back of an order, and the way to give more, line by line. */
export function Refunds({ order, money }: { order: Order; money: MoneyFormat }) {
  const [lineId, setLineId] = useState<string | null>(null)
  const lines = order.lines.map((line) => {
    const charges = order.charges.filter((charge) => charge.lineId === line.id)
    return { line, left: charges.reduce((sum, charge) => sum + charge.left, 0) }
  })
  return (
    <>
      {order.refunds.length > 0 && (
        <ul className="mb-2 text-[13.5px]">
          {order.refunds.map((refund) => {
            const [shape, word] = STATES[refund.state]
            return (
              <li key={refund.id} className="border-b border-line py-2">
                <p className="flex flex-wrap items-baseline justify-between gap-x-4">
                  <State shape={shape}>{word}</State>
                  <span>{formatMoney(refund.amount, money)}</span>
                </p>
                <p className="text-[13px] text-ink-2">
                  {formatDay(refund.day, money.language)} · “{refund.note}”
                  {refund.state !== 'refused' && ` · ${refund.access === 'close' ? 'access ended' : 'access kept'}`}
                  {order.lines.length > 1 && ` · ${order.lines.find(({ id }) => id === refund.lineId)?.title}`}
                  {refund.courseIds && ` · for ${coursesOf(order, refund)}`}
                  {refund.isOutside && ` · by other means: ${refund.reference}`}
                  {refund.why && ` · ${refund.why}`}
                </p>
              </li>
            )
          })}
        </ul>
      )}
      <p className="flex flex-wrap gap-x-4 gap-y-1 pt-[5px] text-[13.5px]">
        {lines.map(({ line, left }) =>
          left > 0 ? (
            <Button key={line.id} kind="link" onClick={() => setLineId(line.id)}>
              Refund{order.lines.length > 1 ? ` ${line.title}` : ''}…
            </Button>
          ) : null,
        )}
        <WholeRefunds order={order} money={money} />
        {lines.every(({ left }) => left === 0) && wholePayments(order).length === 0 && (
          <span className="text-ink-2">
            {order.disputes.some(({ state }) => state === 'open' || state === 'contested')
              ? 'This payment is disputed, so it cannot be refunded as well. Answer the dispute.'
              : 'Nothing is left to refund.'}
          </span>
        )}
      </p>
      {lineId && <RefundDialog order={order} lineId={lineId} money={money} onClose={() => setLineId(null)} />}
    </>
  )
}

/** The titles of the courses of a bundle that a refund was for. */
function coursesOf(order: Order, { lineId, courseIds }: Refund): string {
  const courses = order.lines.find(({ id }) => id === lineId)?.courses ?? []
  return formatList(courses.flatMap(({ courseId, title }) => (courseIds?.includes(courseId) ? [title] : [])))
}

/** Money that came for what another order had opened, line by line; it is refunded from here. */
export function PaidTwice({ order, money }: { order: Order; money: MoneyFormat }) {
  const [lineId, setLineId] = useState<string | null>(null)
  return (
    <>
      {order.lines.map((line) => {
        if (!line.duplicateOf) return null
        const charges = order.charges.filter((charge) => charge.lineId === line.id)
        const isLeft = charges.some(({ amount, given }) => amount > given)
        return (
          <p key={line.id} className="mt-3 rounded-field bg-late-soft px-3 py-2">
            <b className="font-semibold">Paid twice{order.lines.length > 1 ? `: ${line.title}` : ''}.</b>{' '}
            <Link className="link" to={`/studio/orders/${line.duplicateOf}`}>
              Another order
            </Link>{' '}
            had opened the course before this money was received, so this order does not open it again.{' '}
            {charges.some(({ left }) => left > 0) ? (
              <Button kind="link" onClick={() => setLineId(line.id)}>
                Refund it…
              </Button>
            ) : (
              // A gateway that refunds whole payments only: the ways there are stand with the refunds.
              isLeft && (
                <a className="link" href="#refunds">
                  Refund it…
                </a>
              )
            )}
          </p>
        )
      })}
      {lineId && <RefundDialog order={order} lineId={lineId} money={money} onClose={() => setLineId(null)} />}
    </>
  )
}

/** Money that came after an access that ends on a date had ended; it is refunded from here. */
export function TooLate({ order, money }: { order: Order; money: MoneyFormat }) {
  const [isRefunding, setRefunding] = useState(false)
  const grant = order.grants.find(
    ({ opens, closes, endedAt }) => endedAt === null && closes !== null && closes <= opens,
  )
  const charge = order.charges.find(({ left }) => left > 0)
  if (!grant?.closes || !charge) return null
  return (
    <p className="mt-3 rounded-field bg-late-soft px-3 py-2">
      <b className="font-semibold">Paid too late.</b> Access ended on {formatDay(grant.closes, money.language)}, before
      the money was received. Refund it, or{' '}
      <Link className="link" to={`/studio/people/${order.person.id}`}>
        give the course by hand
      </Link>
      .{' '}
      <Button kind="link" onClick={() => setRefunding(true)}>
        Refund it…
      </Button>
      {isRefunding && (
        <RefundDialog order={order} lineId={charge.lineId} money={money} onClose={() => setRefunding(false)} />
      )}
    </p>
  )
}

type Line = Order['lines'][number]

/** What the courses of a line weigh in a payment: one that it no longer pays for, nothing. */
function weightsFor({ courses }: Line, n: number): number[] {
  return courses.map(({ weight, paidThrough }) => (paidThrough !== null && n > paidThrough ? 0 : weight))
}

/** The shares of some courses of a bundle in what was collected, less what went back for them. */
export function shareOfLine(order: Order, line: Line, ids: readonly string[]): number {
  const places = (of: readonly string[]) => of.map((id) => line.courses.findIndex(({ courseId }) => courseId === id))
  const collected = order.payments.flatMap(({ lineId, state, pay, n }) =>
    lineId === line.id && state === 'collected' ? [{ n, amount: pay }] : [],
  )
  const given = order.refunds.flatMap(({ lineId, state, amount, courseIds }) =>
    lineId === line.id && state !== 'refused' ? [{ amount, of: courseIds && places(courseIds) }] : [],
  )
  return shareOfCourses(collected, (n) => weightsFor(line, n), places(ids), given)
}

interface WhichCoursesProps {
  courses: Line['courses']
  chosen: readonly string[] | null
  error: string | undefined
  choose: (ids: readonly string[] | null) => void
}

/** Of a bundle: all of it, or some of its courses. */
function WhichCourses({ courses, chosen, error, choose }: WhichCoursesProps) {
  return (
    <fieldset>
      <legend className="text-[13px] font-semibold">What it is for</legend>
      <label className="mt-1 flex items-center gap-2">
        <input type="radio" name="what-for" checked={chosen === null} onChange={() => choose(null)} />
        The whole bundle
      </label>
      <label className="mt-1 flex items-center gap-2">
        <input type="radio" name="what-for" checked={chosen !== null} onChange={() => choose([])} />
        Some of its courses
      </label>
      {chosen !== null && (
        <ul className="mt-1 ml-6 max-h-[160px] overflow-auto">
          {courses.map(({ courseId, title }) => (
            <li key={courseId}>
              <label className="flex items-center gap-2 py-0.5">
                <input
                  type="checkbox"
                  checked={chosen.includes(courseId)}
                  onChange={(event) =>
                    choose(event.target.checked ? [...chosen, courseId] : chosen.filter((id) => id !== courseId))
                  }
                />
                {title}
              </label>
            </li>
          ))}
        </ul>
      )}
      {error && (
        <p role="alert" className="text-[13px] font-medium text-failed">
          {error}
        </p>
      )}
      {chosen !== null && chosen.length > 0 && (
        <p className="mt-1 text-[13px] text-ink-2">Proposed is their share of what was paid. You can change it.</p>
      )}
    </fieldset>
  )
}

/** What is still to be paid for a line, and what of it would be left without some of its courses. */
function laterOf(order: Order, line: Line, ids: readonly string[]) {
  const due = order.payments.filter(({ lineId, state, n }) => lineId === line.id && state === 'due' && n > 0)
  const places = ids.map((id) => line.courses.findIndex(({ courseId }) => courseId === id))
  const left = due.map((payment) => withoutShares(payment, { mode: 'none' }, weightsFor(line, payment.n), places).pay)
  const sum = (all: readonly number[]) => all.reduce((one, next) => one + next, 0)
  const isEndless = line.quoted.untilCancelled
  const next = due[0]
  if (!next || ids.length === 0) return null
  return {
    count: isEndless ? null : due.length,
    /** Of what goes on until cancelled each payment, else all of them. */
    now: isEndless ? next.pay : sum(due.map(({ pay }) => pay)),
    lowered: isEndless ? (left[0] ?? 0) : sum(left),
  }
}

interface LaterChoiceProps {
  later: NonNullable<ReturnType<typeof laterOf>>
  lowers: boolean
  choose: (lowers: boolean) => void
  money: MoneyFormat
}

/** What becomes of later payments where some courses of a bundle are refunded and closed. */
function LaterChoice({ later: { count, now, lowered }, lowers, choose, money }: LaterChoiceProps) {
  const many = count === null ? 'each later payment' : count === 1 ? 'one later payment' : `${count} later payments`
  const ways = [
    [true, `Take the share of these courses off: ${formatMoney(lowered, money)} is left to pay`],
    [false, 'Leave them as they are'],
  ] as const
  return (
    <fieldset>
      <legend className="text-[13px] font-semibold">
        Still to be paid: {formatMoney(now, money)}, {many}
      </legend>
      {ways.map(([value, label]) => (
        <label key={label} className="mt-1 flex items-center gap-2">
          <input type="radio" name="later" checked={lowers === value} onChange={() => choose(value)} />
          {label}
        </label>
      ))}
    </fieldset>
  )
}

interface RefundDialogProps {
  order: Order
  lineId: string
  money: MoneyFormat
  onClose: () => void
}

/** How much goes back, the ways it goes, and what becomes of the course. */
function RefundDialog({ order, lineId, money, onClose }: RefundDialogProps) {
  const charges = order.charges.filter((charge) => charge.lineId === lineId)
  const left = charges.reduce((sum, charge) => sum + charge.left, 0)
  // Of a bundle, the courses that it is for; null: all of it.
  const [chosen, setChosen] = useState<readonly string[] | null>(null)
  const line = order.lines.find(({ id }) => id === lineId)
  const isOpen = order.grants.some(
    (grant) =>
      grant.lineId === lineId && grant.endedAt === null && (chosen === null || chosen.includes(grant.courseId)),
  )
  const agreement = order.agreements.find((other) => other.lineId === lineId)
  const courses = line?.courses ?? []
  const propose = (ids: readonly string[] | null) =>
    ids === null || !line ? left : Math.min(left, shareOfLine(order, line, ids))
  const [typed, setTyped] = useState(formatPlain(left, money))
  const isTwice = line?.duplicateOf != null
  const [access, setAccess] = useState<'keep' | 'close' | null>(isTwice ? 'keep' : null)
  const read = readMoney(typed, money)
  const tooMuch = read.ok && read.amount > left ? `At most ${formatMoney(left, money)} can be refunded.` : undefined
  const shares = read.ok && !tooMuch ? shareRefund(charges, read.amount) : null
  // One course of several leaves the agreement as it is.
  const isOfAll = chosen === null || chosen.length === courses.length
  const hasLaterPayments = agreement?.state === 'active' && isOfAll
  // What is still to be paid for the bundle can be lowered by what its closed courses have of it.
  const later = line && !isOfAll && access === 'close' && agreement?.isOwed ? laterOf(order, line, chosen ?? []) : null
  const [lowers, setLowers] = useState(true)
  const several = charges.length > 1
  const { school } = useSession()
  return (
    <NoteDialog
      title={`Refund for ${line?.title ?? ''}`}
      text={`Up to ${formatMoney(left, money)} can be refunded. The buyer is told.`}
      firstNote={isTwice ? 'Paid twice' : ''}
      action={read.ok && read.amount > 0 ? `Refund ${formatMoney(read.amount, money)}` : 'Refund'}
      run={async (note, once) => {
        const amount = read.ok ? read.amount : Number.NaN
        const lowersLater = later !== null && lowers
        const json = { lineId, amount, courseIds: chosen && [...chosen], access: access as 'keep', lowersLater, note }
        const { refunded, waiting, refused } = await once((header) =>
          api.settling.orders[':order'].refunds.$post({ param: { order: order.id }, json, header }),
        )
        toast(refused ?? formatRefundDone(refunded, waiting, money))
      }}
      onClose={onClose}
    >
      {({ error, forget }) => (
        <>
          {courses.length > 1 && !isTwice && (
            <WhichCourses
              courses={courses}
              chosen={chosen}
              error={error?.at('/courseIds')}
              choose={(ids) => {
                forget()
                setChosen(ids)
                setTyped(formatPlain(propose(ids), money))
              }}
            />
          )}
          <TextField
            label="How much"
            error={read.ok ? (tooMuch ?? error?.at('/amount')) : read.why}
            inputMode="decimal"
            value={typed}
            onChange={(text) => {
              forget()
              setTyped(text)
            }}
          />
          {shares && shares.length > 0 && (
            <ul className="text-[13px] text-ink-2">
              {shares.map(({ chargeId, amount }) => {
                const charge = charges.find(({ id }) => id === chargeId)
                return (
                  <li key={chargeId}>
                    {formatMoney(amount, money)}
                    {several && charge?.at && ` of ${formatDate(charge.at, school.timeZone)}`}{' '}
                    {charge?.isByHand
                      ? 'by hand: transfer it from your bank; this notes it'
                      : `through ${charge?.gateway}, to ${charge?.method ?? 'where it came from'}`}
                  </li>
                )
              })}
            </ul>
          )}
          {/* What opened nothing has nothing to close. */}
          {!isTwice && (
            <AccessChoice
              access={access}
              isOpen={isOpen}
              hasLaterPayments={hasLaterPayments}
              isMissing={error?.at('/access') !== undefined}
              choose={(next) => {
                forget()
                setAccess(next)
              }}
            />
          )}
          {later && <LaterChoice later={later} lowers={lowers} choose={setLowers} money={money} />}
        </>
      )}
    </NoteDialog>
  )
}
