import { formatDay, formatDayShort } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { Timeline, type TimelinePoint, type TimelinePointState } from '../../ui/Timeline.tsx'
import { PreviewSection } from '../frame/Places.tsx'
import { MessageRow } from '../messages/MessageRow.tsx'
import { useSession } from '../session/session.ts'
import { Journal } from './Journal.tsx'
import { isPaidTwice, type Order } from './order.ts'
import { paymentState } from './words.ts'

const KNOT_STATES: Record<string, TimelinePointState> = {
  paid: 'collected',
  'written off': 'given-up',
  'not retried': 'given-up',
  overdue: 'late',
  waiting: 'awaited',
  'to come': 'to-come',
}

/** What follows from an order: how it went, its messages, its journal. */
export function OrderMirror({ order }: { order: Order }) {
  const { school } = useSession()
  const money = { ...school, currency: order.currency }
  return (
    <>
      <PreviewSection label={`Order ${order.number}`}>
        <p className="display text-[19px] leading-snug font-medium">{summary(order, money)}</p>
        {order.lines.map((line) => (
          <div key={line.id} className="mt-2">
            {order.lines.length > 1 && <p className="text-[13px] font-medium">{line.title}</p>}
            <LineTimeline order={order} lineId={line.id} money={money} />
          </div>
        ))}
      </PreviewSection>
      {order.messages.length > 0 && (
        <PreviewSection label="Messages">
          {order.messages.map((message) => (
            <MessageRow key={message.id} message={message} />
          ))}
        </PreviewSection>
      )}
      <PreviewSection label="History">
        <Journal entries={order.journal} />
      </PreviewSection>
    </>
  )
}

/** The payments of one line and how long what it opened is open, on a time line. */
function LineTimeline({ order, lineId, money }: { order: Order; lineId: string; money: MoneyFormat }) {
  const { school } = useSession()
  const line = order.quote.lines[order.lines.find(({ id }) => id === lineId)?.position ?? 0]
  const grant = order.grants.find((other) => other.lineId === lineId && other.endedAt === null)
  const isClosed = grant?.suspendedFrom != null && grant.suspendedFrom <= order.today
  const points = order.payments
    .filter((payment) => payment.lineId === lineId)
    .map(
      (payment): TimelinePoint => ({
        day: payment.due,
        amount: formatMoney(payment.pay, money, true),
        state: KNOT_STATES[paymentState(payment, order)[1]] ?? 'to-come',
      }),
    )
  return (
    <Timeline
      start={order.quote.purchaseDay}
      startLabel={formatDayShort(order.quote.purchaseDay, order.today.slice(0, 4))}
      points={points}
      endless={line?.untilCancelled ?? false}
      ribbon={
        grant
          ? {
              label: isClosed
                ? `paused since ${formatDay(grant.suspendedFrom ?? '', school.language)}`
                : grant.membership
                  ? grant.membership.state === 'over'
                    ? 'closed with the membership'
                    : 'open as long as the membership lasts'
                  : grant.closes
                    ? `open until ${formatDay(grant.closes, school.language)}`
                    : 'open for good',
              opens: grant.opens,
              closes: isClosed
                ? grant.suspendedFrom
                : grant.membership?.state === 'over'
                  ? grant.membership.since
                  : grant.closes,
              graceDays: 0,
              isExtended: false,
              coverColor: grant.coverColor,
            }
          : null
      }
      language={school.language}
    />
  )
}

/** How an order stands, in a sentence or two: what was received of what, what is late, what is next. */
function summary(order: Order, money: MoneyFormat): string {
  const { agreements } = order
  const say = (amount: number) => formatMoney(amount, money)
  const sum = (list: readonly { pay: number }[]) => list.reduce((all, { pay }) => all + pay, 0)
  const givenBack = order.refunds
    .filter(({ state }) => state === 'refunded')
    .reduce((all, { amount }) => all + amount, 0)
  const back = givenBack > 0 ? ` ${say(givenBack)} refunded.` : ''
  if (order.state === 'paid' && agreements.length > 0) {
    const received = sum(order.payments.filter(({ state }) => state === 'collected'))
    // What goes on until it is cancelled comes to no sum, nor does what ended before.
    const isWhole =
      order.quote.committed !== null && agreements.every((one) => one.state !== 'cancelled' || one.isWrittenOff)
    const of = !isWhole ? '' : ` of ${say(sum(order.payments))}`
    const nexts = agreements.flatMap(({ next }) => (next?.on ? [{ on: next.on, pay: next.pay }] : []))
    const on = nexts.map((next) => next.on).sort()[0]
    // All that is charged on that day, of however many plans.
    const due = sum(nexts.filter((next) => next.on === on))
    const comes = on ? ` Next: ${say(due)} on ${formatDay(on, money.language)}.` : ''
    const owed = agreements.reduce((all, { toPay }) => all + toPay, 0)
    const late = owed > 0 ? ` ${say(owed)} is overdue.` : ''
    const [only] = order.lines.length === 1 ? agreements : []
    const ended = only?.state === 'cancelled' ? ' Cancelled.' : only?.state === 'stopped' ? ' Stopped.' : ''
    return `${say(received)}${of} received.${back}${late}${ended}${comes}`
  }
  const open = order.grants.filter(({ endedAt }) => endedAt === null).length
  if (order.state === 'paid' && order.payToday === 0) return `Nothing to pay. ${formatOpen(open, order.grants.length)}`
  if (order.state === 'paid') {
    const opened = isPaidTwice(order) ? 'This order gives no access.' : formatOpen(open, order.grants.length)
    return `${say(order.payToday)} received.${back} ${opened}`
  }
  if (order.awaited?.transfer)
    return `${formatMoney(order.awaited.amount - order.awaited.came, money)} is still to be received by bank transfer.`
  if (order.awaited) return `${formatMoney(order.payToday, money)} is on its way from the buyer’s bank.`
  if (order.state === 'paying')
    return `${formatMoney(order.payToday, money)} is being paid. The result appears here by itself.`
  return `${formatMoney(order.payToday, money)} was not received, and access is not open. The buyer can try again.`
}

/** How many of the courses that an order opened are open. */
function formatOpen(open: number, all: number): string {
  if (all > 1) return open === all ? `All ${all} courses are open.` : `${open} of ${all} courses are open.`
  return `Access is ${open > 0 ? 'open' : 'closed'}.`
}
