import { useEffect } from 'react'
import { sayDay } from '../../core/calendar/sayDay.ts'
import { formatMoney, formatRate } from '../../core/money/format.ts'
import type { ShopPage, ThanksView } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { State } from '../../ui/State.tsx'
import { ResendLink } from '../people/ResendLink.tsx'
import { Sheet } from '../ShopFrame.tsx'

/** After paying: the receipt, and the course one click away. */
export default function ThanksPage({ page, view }: { page: ShopPage; view: ThanksView }) {
  const { order, course, quote } = view
  const isPaid = order.state === 'paid'
  useEffect(() => {
    if (isPaid) return
    const timer = setTimeout(() => location.reload(), 2500)
    return () => clearTimeout(timer)
  }, [isPaid])
  if (!isPaid) {
    return (
      <Sheet narrow>
        <h1 className="text-[24px]">This order is not paid.</h1>
        <p className="mt-2 mb-4 text-ink-2">Nothing was charged for it so far.</p>
        <a href={`/buy/${course.slug}`} className={buttonClass('press')}>
          Back to the checkout
        </a>
      </Sheet>
    )
  }
  return (
    <Sheet>
      <div className="grid gap-8 md:grid-cols-[1fr_380px]">
        <div>
          <h1 className="text-[28px] md:text-[34px]">
            Thank you. {course.title} {view.isOpen ? 'is open' : `opens on ${sayDay(view.opens, page.school.language)}`}
            .
          </h1>
          <p className="mt-3 max-w-[52ch] text-[16px] text-ink-2">
            {view.closes &&
              `It stays open until ${sayDay(view.closes, page.school.language)}; after that you can buy it again and go on where you were. `}
            The receipt is on its way to <b className="font-semibold text-ink">{view.email}</b>.
          </p>
          {view.isOpen && (
            <p className="mt-5">
              <a href={`/learn/${course.slug}`} className={buttonClass('press', 'px-5 py-3 text-[16px]')}>
                Open the course
              </a>
            </p>
          )}
          {view.needsPassword && (
            <div className="mt-7 max-w-[56ch] border-l-[3px] border-acorn pl-4">
              <h2 className="text-[17px]">Come back from any device</h2>
              <p className="mt-1 text-ink-2">
                The message holds a link to set a password. It works once and ends after 24 hours.{' '}
                <ResendLink email={view.email} />
              </p>
            </div>
          )}
        </div>
        <Receipt page={page} view={view} quote={quote} />
      </div>
    </Sheet>
  )
}

function Receipt({ page: { school }, view, quote }: { page: ShopPage; view: ThanksView; quote: ThanksView['quote'] }) {
  const { price, discount, tax, pay } = quote.today
  const rate = formatRate(view.taxRate, school.language)
  const row = 'flex justify-between gap-4 border-b border-line py-2'
  return (
    <section className="self-start rounded-lg border border-line bg-sheet-2 px-4 py-3.5 text-[14px]">
      <h2 className="text-[16px]">Receipt {view.order.number}</h2>
      <dl className="mt-1.5">
        <div className={row}>
          <dt>
            {view.course.title}, {view.offer}
          </dt>
          <dd>{formatMoney(price - discount, school)}</dd>
        </div>
        {school.taxMode === 'exclusive' && (
          <div className={row}>
            <dt>VAT {rate}</dt>
            <dd>{formatMoney(tax, school)}</dd>
          </div>
        )}
        <div className={`${row} font-semibold`}>
          <dt>Paid</dt>
          <dd>{formatMoney(pay, school)}</dd>
        </div>
        {school.taxMode === 'inclusive' && tax > 0 && (
          <div className={`${row} text-ink-3`}>
            <dt>VAT {rate}, inside</dt>
            <dd>{formatMoney(tax, school)}</dd>
          </div>
        )}
      </dl>
      {quote.later.length > 0 && (
        <p className="mt-3 text-ink-2">
          Next: {formatMoney(quote.later[0]?.pay ?? 0, school)} on {sayDay(quote.later[0]?.due ?? '', school.language)}
          {quote.committed === null
            ? ', and so on until you cancel'
            : `; ${formatMoney(quote.committed, school)} in all`}
          . My courses shows what comes when.
        </p>
      )}
      <p className="mt-3 flex flex-wrap items-center gap-x-2">
        <State shape="received">{pay > 0 ? 'received' : 'nothing due today'}</State>
        {view.order.paidOn && (
          <span className="text-ink-2">
            {sayDay(view.order.paidOn, school.language)}
            {view.order.method && `, ${view.order.method}`}
          </span>
        )}
      </p>
    </section>
  )
}
