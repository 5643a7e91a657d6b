import { formatDay, formatDayShort } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { PLAN_SAYS } from '../../core/words/en/plan.ts'
import { say } from '../../core/words/message.ts'
import type { PlanPayment, PlanShown } from '../../server/client.ts'
import { Timeline, type TimelinePointState } from '../../ui/Timeline.tsx'

type Reported = Pick<PlanShown, 'payments' | 'next' | 'method' | 'state' | 'endless' | 'currency'>

const KNOTS: Record<PlanPayment['state'], TimelinePointState> = {
  collected: 'collected',
  'to-come': 'to-come',
  late: 'late',
  'written-off': 'given-up',
}

/** What was paid once to begin, and is no regular payment: "Set-up fee €24.00". */
function formatNamed(payments: readonly PlanPayment[], money: MoneyFormat): string {
  return payments
    .flatMap(({ name, pay }) => (name ? [say(PLAN_SAYS.named, { name, money: formatMoney(pay, money) })] : []))
    .join(', ')
}

/** The payments of an agreement on their thread. */
export function PlanTimeline({ plan, language }: { plan: Reported; language: string }) {
  const first = plan.payments[0]?.due ?? ''
  const money = { currency: plan.currency, language }
  return (
    <Timeline
      start={first}
      startLabel={formatDayShort(first)}
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
export function formatPlan({ payments, next, method, state, endless }: Reported, money: MoneyFormat): string {
  const sum = (list: PlanPayment[]) =>
    formatMoney(
      list.reduce((all, { pay }) => all + pay, 0),
      money,
    )
  const paid = payments.filter((payment) => payment.state === 'collected')
  const named = formatNamed(payments, money)
  const values = { paid: sum(paid), all: sum(payments), named }
  const isNothing = paid.every(({ pay }) => pay === 0)
  const alone = isNothing ? PLAN_SAYS.nothing : say(named ? PLAN_SAYS.paidNamed : PLAN_SAYS.paid, values)
  const came = endless || state === 'cancelled' ? alone : say(named ? PLAN_SAYS.paidOfNamed : PLAN_SAYS.paidOf, values)
  switch (state) {
    case 'completed':
      return say(PLAN_SAYS.completed, { paid: alone })
    case 'cancelled':
      return say(PLAN_SAYS.cancelled, { paid: came })
    case 'stopped':
      return say(PLAN_SAYS.stopped, { paid: came })
    case 'active': {
      if (!next) return came
      const following = { paid: came, money: formatMoney(next.pay, money), day: formatDay(next.on, money.language) }
      if (!method) return say(next.isAgain ? PLAN_SAYS.again : PLAN_SAYS.next, following)
      return say(next.isAgain ? PLAN_SAYS.againBy : PLAN_SAYS.nextBy, { ...following, method })
    }
  }
}
