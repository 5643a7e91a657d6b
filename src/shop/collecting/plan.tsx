import { sayDay, sayDayShort } from '../../core/calendar/sayDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import type { PlanPayment, PlanShown } from '../../server/client.ts'
import { Timeline, type TimelinePointState } from '../../ui/Timeline.tsx'

type Told = Pick<PlanShown, 'payments' | 'next' | 'method' | 'state' | 'endless' | 'currency'>

const KNOTS: Record<PlanPayment['state'], TimelinePointState> = {
  collected: 'collected',
  'to-come': 'to-come',
  late: 'late',
  'let-go': 'given-up',
}

/** What was paid once to begin, and is no regular payment: "Set-up fee €24.00". */
function sayNamed(payments: readonly PlanPayment[], money: MoneyFormat): string {
  return payments.flatMap(({ name, pay }) => (name ? [`${name} ${formatMoney(pay, money)}`] : [])).join(', ')
}

/** The payments of an agreement on their thread. */
export function PlanTimeline({ plan, language }: { plan: Told; language: string }) {
  const first = plan.payments[0]?.due ?? ''
  const money = { currency: plan.currency, language }
  return (
    <Timeline
      start={first}
      startLabel={sayDayShort(first)}
      points={plan.payments.map(({ due, pay, state }) => ({
        day: due,
        amount: formatMoney(pay, money, true),
        state: KNOTS[state],
      }))}
      endless={plan.endless && plan.state === 'active'}
      ribbon={null}
      language={language}
    />
  )
}

/** What was paid, and what comes next, in a sentence or two. */
export function sayPlan({ payments, next, method, state, endless }: Told, money: MoneyFormat): string {
  const sum = (list: PlanPayment[]) =>
    formatMoney(
      list.reduce((all, { pay }) => all + pay, 0),
      money,
    )
  const paid = payments.filter((payment) => payment.state === 'collected')
  const named = sayNamed(payments, money)
  const came = `${sum(paid)}${endless || state === 'cancelled' ? '' : ` of ${sum(payments)}`} paid${named ? ` (${named} included)` : ''}.`
  const by = method ? `, by ${method}` : ''
  switch (state) {
    case 'completed':
      return `${sum(paid)} paid${named ? ` (${named} included)` : ''}. Nothing more is charged.`
    case 'cancelled':
      return `${came} Cancelled: nothing more is charged.`
    case 'stopped':
      return `${came} A payment failed, and we do not retry it any more.`
    case 'active': {
      if (!next) return came
      const amount = formatMoney(next.pay, money)
      const when = sayDay(next.on, money.language)
      return next.isAgain
        ? `${came} A payment of ${amount} failed; we retry it on ${when}${by}.`
        : `${came} Next: ${amount} on ${when}${by}.`
    }
  }
}
