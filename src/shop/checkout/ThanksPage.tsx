import { sayDay } from '../../core/calendar/sayDay.ts'
import { formatMoney, formatRate, type MoneyFormat } from '../../core/money/format.ts'
import { isOneUntilCancelled } from '../../core/sentence/sentence.ts'
import { sayList } from '../../core/sentence/words.ts'
import type { Awaited, Bought, ShopPage, ThanksView } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { State } from '../../ui/State.tsx'
import { Part } from '../Part.tsx'
import { ResendLink } from '../people/ResendLink.tsx'
import { Sheet } from '../Sheet.tsx'

/** After paying: the receipt, and the course one click away. */
export default function ThanksPage({ page, view }: { page: ShopPage; view: ThanksView }) {
  if (view.order.state === 'paid') return <PaidSheet page={page} view={view} />
  return (
    <>
      <i hidden data-reload-ms={view.awaited ? 20_000 : 2500} />
      {view.awaited ? <AwaitedSheet page={page} view={view} awaited={view.awaited} /> : <UnpaidSheet view={view} />}
    </>
  )
}

function UnpaidSheet({ view }: { view: ThanksView }) {
  return (
    <Sheet narrow>
      <h1 className="text-[24px]">This order has not been paid.</h1>
      <p className="mt-2 mb-4 text-ink-2">Nothing was charged for it so far.</p>
      <a href={`/buy/${view.bought[0]?.course.slug}`} className={buttonClass('press')}>
        Back to the checkout
      </a>
    </Sheet>
  )
}

function PaidSheet({ page, view }: { page: ShopPage; view: ThanksView }) {
  const [first] = view.bought
  const several = view.bought.length > 1
  if (view.isPaidTwice) return <PaidTwiceSheet page={page} view={view} />
  if (!several && first?.hasEnded) return <EndedSheet page={page} view={view} />
  return (
    <Sheet>
      <div className="grid grid-cols-1 gap-8 md:grid-cols-[minmax(0,1fr)_380px]">
        <div className="min-w-0">
          <h1 className="text-[28px] md:text-[34px]">
            {several || !first
              ? `Thank you. ${view.bought.length} courses are yours.`
              : `Thank you. ${first.course.title} ${isOpenOr(first, page)}.`}
          </h1>
          <p className="mt-3 max-w-[52ch] text-[16px] text-ink-2">
            {!several && first?.closes && `It ${staysUntil(first.closes, page)} `}
            The receipt is on its way to <b className="font-semibold text-ink">{view.email}</b>.
          </p>
          {several && (
            <ul className="mt-5 max-w-[56ch] border-t border-line">
              {view.bought.map((thing) => (
                <li key={thing.course.slug} className="flex items-center gap-4 border-b border-line py-3">
                  <span className="min-w-0 flex-1">
                    <b className="font-semibold">{thing.course.title}</b>
                    <span className="block text-[14px] text-ink-2">{howItStands(thing, page)}</span>
                  </span>
                  {thing.isOpen && (
                    <a href={`/learn/${thing.course.slug}`} className={buttonClass('press')}>
                      Open<span className="sr-only"> {thing.course.title}</span>
                    </a>
                  )}
                </li>
              ))}
            </ul>
          )}
          {!several && first?.isOpen && (
            <p className="mt-5">
              <a href={`/learn/${first.course.slug}`} className={buttonClass('press', 'px-5 py-3 text-[16px]')}>
                Open the course
              </a>
            </p>
          )}
          {view.needsPassword && (
            <div className="mt-7 max-w-[56ch] border-l-[3px] border-acorn pl-4">
              <h2 className="text-[17px]">Come back from any device</h2>
              <p className="mt-1 text-ink-2">
                The message holds a link to set a password. It works once and ends after 24 hours.{' '}
                <Part name="resend" of={ResendLink} page={page} view={view} isInline />
              </p>
            </div>
          )}
        </div>
        <Receipt page={page} view={view} quote={view.quote} />
      </div>
    </Sheet>
  )
}

function isOpenOr({ isOpen, opens }: Bought, { school }: ShopPage): string {
  return isOpen ? 'is open' : `opens on ${sayDay(opens, school.language)}`
}

function staysUntil(closes: string, { school }: ShopPage): string {
  return `stays open until ${sayDay(closes, school.language)}; after that you can buy it again and go on where you were.`
}

/** One of several things, below its title. */
function howItStands(thing: Bought, page: ShopPage): string {
  const { closes, hasEnded } = thing
  if (hasEnded && closes) {
    return `It ended on ${sayDay(closes, page.school.language)}, before your money was received. ${page.school.name} was told, and will write to you about a refund.`
  }
  const until = closes ? `, until ${sayDay(closes, page.school.language)}` : ''
  const stands = thing.isOpen ? 'open' : isOpenOr(thing, page)
  return `${thing.offer} · ${stands}${until}`
}

/** The titles of what was bought, as they stand in a sentence. */
function titlesOf({ bought }: ThanksView): string {
  return sayList(bought.map(({ course }) => course.title))
}

/** The money came after another order had opened the course. */
function PaidTwiceSheet({ page, view }: { page: ShopPage; view: ThanksView }) {
  return (
    <Sheet>
      <div className="grid grid-cols-1 gap-8 md:grid-cols-[minmax(0,1fr)_380px]">
        <div className="min-w-0">
          <h1 className="text-[28px] md:text-[34px]">You have paid for {titlesOf(view)} twice.</h1>
          <p className="mt-3 max-w-[52ch] text-[16px] text-ink-2">
            Another order of yours had opened the course already. {page.school.name} was told, and refunds this one. A
            message about it is on its way to <b className="font-semibold text-ink">{view.email}</b>.
          </p>
        </div>
        <Receipt page={page} view={view} quote={view.quote} />
      </div>
    </Sheet>
  )
}

/** The money came after an access that ends on a date had ended. */
function EndedSheet({ page, view }: { page: ShopPage; view: ThanksView }) {
  return (
    <Sheet>
      <div className="grid grid-cols-1 gap-8 md:grid-cols-[minmax(0,1fr)_380px]">
        <div className="min-w-0">
          <h1 className="text-[28px] md:text-[34px]">
            {titlesOf(view)} ended on {sayDay(view.bought[0]?.closes ?? '', page.school.language)}.
          </h1>
          <p className="mt-3 max-w-[52ch] text-[16px] text-ink-2">
            Your money was received after that. {page.school.name} was told, and will write to you about a refund at{' '}
            <b className="font-semibold text-ink">{view.email}</b>.
          </p>
        </div>
        <Receipt page={page} view={view} quote={view.quote} />
      </div>
    </Sheet>
  )
}

/** The order waits for its money: on its way from a bank, or to be transferred with what stands here. */
function AwaitedSheet({ page, view, awaited }: { page: ShopPage; view: ThanksView; awaited: Awaited }) {
  const { transfer, amount, came } = awaited
  const money = (what: number) => formatMoney(what, page.school)
  const title = titlesOf(view)
  if (!transfer) {
    return (
      <Sheet narrow>
        <h1 className="text-[26px]">Thank you. {money(amount)} is on its way.</h1>
        <p className="mt-3">
          {opensOnceIt(view, page, 'the money is received')}, mostly within some hours. You can close this page: we will
          write to <b className="font-semibold">{view.email}</b>.
        </p>
        <p className="mt-4">
          <State shape="awaited">on its way from your bank</State>
        </p>
      </Sheet>
    )
  }
  const rows: [string, string][] = [
    ['Amount', money(amount - came)],
    ['To', transfer.holder],
    ['IBAN', transfer.iban],
    ...(transfer.bic ? [['BIC', transfer.bic] as [string, string]] : []),
    ['Reference', transfer.reference],
  ]
  return (
    <Sheet>
      <h1 className="text-[28px] md:text-[32px]">
        Thank you. Please transfer {money(amount - came)} for {title}.
      </h1>
      <p className="mt-3 max-w-[60ch] text-ink-2">
        {came > 0 && `${money(came)} of ${money(amount)} received so far. `}
        {opensOnceIt(view, page, 'the money is received')}. All of this is in the message to{' '}
        <b className="font-semibold text-ink">{view.email}</b> too; you can close this page.
      </p>
      {transfer.instructions && <p className="mt-3 max-w-[60ch] whitespace-pre-line">{transfer.instructions}</p>}
      <div className="mt-6 grid items-start gap-8 md:grid-cols-[1fr_auto]">
        <dl className="grid max-w-[560px] grid-cols-[110px_1fr]">
          {rows.map(([label, value]) => (
            <div key={label} className="col-span-2 grid grid-cols-subgrid border-b border-line py-2">
              <dt className="text-ink-3">{label}</dt>
              <dd className="font-semibold select-all [overflow-wrap:anywhere]">{value}</dd>
            </div>
          ))}
        </dl>
        {transfer.code && (
          <figure className="w-[190px]">
            <svg
              viewBox={`-4 -4 ${transfer.code.side + 8} ${transfer.code.side + 8}`}
              role="img"
              aria-label="QR code of this transfer"
              className="w-full rounded border border-line bg-white"
              shapeRendering="crispEdges"
            >
              <path d={transfer.code.path} fill="#000" />
            </svg>
            <figcaption className="mt-1.5 text-[13px] text-ink-2">Scan it with your banking app.</figcaption>
          </figure>
        )}
      </div>
      <p className="mt-6 flex flex-wrap items-center gap-x-4 gap-y-1 text-[14px]">
        <State shape="awaited">{`order ${view.order.number}, waiting for the transfer`}</State>
        {came === 0 && (
          <a className="link" href={`/buy/${view.bought[0]?.course.slug}`}>
            Use another payment method instead
          </a>
        )}
      </p>
    </Sheet>
  )
}

/** When what was ordered opens, of an order that waits for its money: a later opening stays what it is. */
function opensOnceIt(view: ThanksView, page: ShopPage, paid: string): string {
  const titles = titlesOf(view)
  const [first] = view.bought
  if (view.bought.length > 1) return `${titles} open as soon as ${paid}, or on the day on which they begin`
  return first && !first.isOpen
    ? `${titles} ${isOpenOr(first, page)}, once ${paid}`
    : `${titles} opens automatically as soon as ${paid}`
}

function Receipt({ page: { school }, view, quote }: { page: ShopPage; view: ThanksView; quote: ThanksView['quote'] }) {
  const { pay } = quote.today
  const row = 'flex justify-between gap-4 border-b border-line py-2'
  return (
    <section className="self-start rounded-lg border border-line bg-sheet-2 px-4 py-3.5 text-[14px]">
      <h2 className="text-[16px]">Receipt {view.order.number}</h2>
      <dl className="mt-1.5">
        {view.bought.flatMap(({ course, offer }, index) => {
          const own = view.rows.filter(({ line }) => line === index)
          return (own.length > 0 ? own : [{ name: null, price: 0 }]).map(({ name, price }) => (
            <div key={`${course.slug} ${name}`} className={row}>
              <dt className="min-w-0">
                {course.title}, {offer}
                {name && `: ${name}`}
              </dt>
              <dd>{formatMoney(price, school)}</dd>
            </div>
          ))
        })}
        {school.taxMode === 'exclusive' &&
          view.taxes.map(({ rate, tax }) => (
            <div key={rate} className={row}>
              <dt>VAT {formatRate(rate, school.language)}</dt>
              <dd>{formatMoney(tax, school)}</dd>
            </div>
          ))}
        <div className={`${row} font-semibold`}>
          <dt>Paid</dt>
          <dd>{formatMoney(pay, school)}</dd>
        </div>
        {school.taxMode === 'inclusive' &&
          view.taxes.map(({ rate, tax }) => (
            <div key={rate} className={`${row} text-ink-3`}>
              <dt>VAT {formatRate(rate, school.language)}, inside</dt>
              <dd>{formatMoney(tax, school)}</dd>
            </div>
          ))}
      </dl>
      {quote.later.length > 0 && (
        <p className="mt-3 text-ink-2">
          Next: {formatMoney(quote.later[0]?.pay ?? 0, school)} on {sayDay(quote.later[0]?.due ?? '', school.language)}
          {sayHowLong(quote, school)}. My courses shows all dates.
        </p>
      )}
      {view.receiptPdf && (
        <p className="mt-3">
          <a className="link" href={view.receiptPdf} target="_blank" rel="noopener">
            Receipt as PDF
          </a>
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

/** How the later payments go on; where no few words can say it, their dates do. */
function sayHowLong(quote: ThanksView['quote'], school: MoneyFormat): string {
  if (quote.committed !== null) return `; ${formatMoney(quote.committed, school)} in all`
  return isOneUntilCancelled(quote) ? ', and so on until you cancel' : ''
}
