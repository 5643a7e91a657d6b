import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import { formatTitles } from '../../core/sentence/words.ts'
import { MY } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import type { MyView, PlanShown, ShopPage, WaitingOrder } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { State } from '../../ui/State.tsx'
import { sayWith } from '../../ui/sayWith.ts'
import { TransferDetails } from '../checkout/TransferDetails.tsx'
import { formatPlan, PlanTimeline } from '../collecting/plan.tsx'
import { Part } from '../Part.tsx'
import { Details } from '../people/Details.tsx'

/** Everything the buyer holds, until when, and the way in. */
export default function MyPage({ page, view }: { page: ShopPage; view: MyView }) {
  return (
    <main className="mx-auto w-[760px] max-w-[calc(100%-32px)] pt-6">
      <h1 className="text-[30px]">{MY.title}</h1>
      {view.waiting.map((order) => (
        <Waiting key={order.id} order={order} page={page} />
      ))}
      {!page.visitor && view.courses.length > 0 && (
        <p className="mt-3 text-ink-2">
          {sayWith(MY.fromBrowser, {
            signIn: (
              <a className="link" href="/sign-in?then=%2Fmy">
                {MY.signIn}
              </a>
            ),
          })}
        </p>
      )}
      {view.courses.length === 0 && view.waiting.length === 0 && (
        <p className="mt-4 text-ink-2">
          {sayWith(MY.none, {
            see: (
              <a className="link" href="/">
                {MY.see}
              </a>
            ),
          })}
        </p>
      )}
      <ul className="mt-5 grid gap-3">
        {view.courses.map((course) => (
          <li key={course.slug} className="flex overflow-hidden rounded-lg border border-line bg-sheet">
            <span className={`w-3 flex-none ${COVER_CLASS[course.coverColor]}`} />
            <div className="flex flex-1 flex-wrap items-center gap-x-4 gap-y-3 p-4">
              <div className="min-w-0 flex-1 basis-[240px]">
                <h2 className="text-[18px]">{course.title}</h2>
                <p className="text-[14px] text-ink-2">{until(course, page.school.language)}</p>
              </div>
              {course.state === 'open' && (
                <a href={`/learn/${course.slug}`} className={buttonClass('press')}>
                  {MY.open}
                </a>
              )}
              {course.owes && (
                <a href={`/my/plan/${course.owes}`} className={buttonClass('press')}>
                  {MY.pay}
                </a>
              )}
              {course.state === 'closed' && !course.owes && (
                <a href={course.buy} className={buttonClass('quiet')}>
                  {MY.buyAgain}
                </a>
              )}
            </div>
          </li>
        ))}
      </ul>
      {view.plans.length > 0 && <h2 className="mt-9 text-[22px]">{MY.plans}</h2>}
      {view.plans.map((plan, index) => (
        <Plan key={`${plan.course}-${index}`} plan={plan} language={page.school.language} />
      ))}
      {view.orders.length > 0 && (
        <>
          <h2 className="mt-9 text-[22px]">{MY.receipts}</h2>
          <ul className="mt-3 rounded-lg border border-line bg-sheet px-5 py-1.5">
            {view.orders.map(({ id, number, course, paidOn }) => (
              <li
                key={id}
                className="flex flex-wrap items-baseline justify-between gap-x-4 border-b border-line py-2 last:border-0"
              >
                <span className="min-w-0">{say(MY.receipt, { number, course })}</span>
                <span className="text-[14px] text-ink-2">
                  {paidOn && formatDay(paidOn, page.school.language)} ·{' '}
                  <a className="link" href={`/thanks/${id}/receipt.pdf`} target="_blank" rel="noopener">
                    {MY.pdf}
                  </a>
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      {page.visitor && <Part name="details" of={Details} page={page} view={view} />}
    </main>
  )
}

/** An order that waits for its money: what to transfer, and where to. */
function Waiting({ order: { id, number, titles, awaited }, page }: { order: WaitingOrder; page: ShopPage }) {
  const { amount, came, transfer } = awaited
  const money = (what: number) => formatMoney(what, page.school)
  const left = { money: money(amount - came), came: money(came), all: money(amount) }
  return (
    <section className="mt-4 rounded-lg border border-line bg-sheet px-5 py-4">
      <p className="text-[14px]">
        <State shape="awaited">{MY.waiting}</State>
      </p>
      <h2 className="mt-1 text-[18px]">
        <a className="link" href={`/thanks/${id}`}>
          {say(MY.waitingOrder, { number, courses: formatTitles(titles) })}
        </a>
      </h2>
      <p className="mt-1 text-ink-2">
        {say(transfer ? (came > 0 ? MY.waitingRest : MY.waitingTransfer) : MY.onItsWay, left)}
      </p>
      {transfer && <TransferDetails amount={left.money} transfer={transfer} />}
    </section>
  )
}

/** One agreement: what was paid, what comes next, and by which card. */
function Plan({ plan, language }: { plan: PlanShown; language: string }) {
  const money = { currency: plan.currency, language }
  return (
    <section className="mt-3 rounded-lg border border-line bg-sheet px-5 py-4">
      <div className="flex flex-wrap items-baseline justify-between gap-x-4">
        <h3 className="text-[17px]">{say(MY.plan, { course: plan.course, offer: plan.offer })}</h3>
        <a className="link" href={`/my/plan/${plan.id}`}>
          {plan.state === 'active' || plan.state === 'stopped' ? MY.manage : MY.details}
        </a>
      </div>
      <p className="mt-1 mb-2 text-ink-2">{formatPlan(plan, money)}</p>
      <PlanTimeline plan={plan} language={language} />
    </section>
  )
}

function until(course: MyView['courses'][number], language: string): string {
  const { state, opens, closes, lessons, owes, renews, hangsOnPayments } = course
  const on = (day: string) => ({ lessons: say(MY.lessons, { count: lessons }), day: formatDay(day, language) })
  if (state === 'opens-later' && opens) return say(MY.opensOn, on(opens))
  if (owes && closes) return say(MY.paused, on(closes))
  if (renews) return say(MY.renews, on(renews))
  if (state === 'closed' && closes) return say(MY.ended, on(closes))
  if (closes) return say(MY.until, on(closes))
  return say(hangsOnPayments ? MY.whilePaid : MY.forGood, { lessons: say(MY.lessons, { count: lessons }) })
}
