import { useRef } from 'react'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { Quote } from '../../core/quote/types.ts'
import { formatList } from '../../core/sentence/words.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { say } from '../../core/words/message.ts'
import type { ShopPage } from '../../server/client.ts'

/** So many later payments are read out; the page lists all. */
const MAX_READ = 3

/** What the order comes to, for screen readers, whenever something that was ticked or entered has changed it. */
export function Announced({ page: { school }, quote }: { page: ShopPage; quote: Quote }) {
  const money = (amount: number) => formatMoney(amount, school)
  const payments = quote.later
    .filter(({ pay }) => pay > 0)
    .slice(0, MAX_READ)
    .map(({ due, pay }) => say(CHECKOUT.onDay, { money: money(pay), day: formatDay(due, school.language) }))
  const today = money(quote.today.pay)
  const now =
    payments.length === 0
      ? say(CHECKOUT.nowToday, { money: today })
      : say(CHECKOUT.nowLater, { money: today, payments: formatList(payments) })
  const first = useRef(now)
  const hasChanged = useRef(false)
  if (now !== first.current) hasChanged.current = true
  return (
    <p role="status" className="sr-only">
      {hasChanged.current ? now : ''}
    </p>
  )
}
