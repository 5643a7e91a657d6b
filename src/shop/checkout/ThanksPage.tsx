import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { steadyFrom } from '../../core/quote/later.ts'
import { formatTitles, titlesInQuotes } from '../../core/sentence/words.ts'
import { BASKET } from '../../core/words/en/basket.ts'
import { RECEIPT } from '../../core/words/en/receipt.ts'
import { THANKS } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import type { Awaited, Bought, ShopPage, ThanksView } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { State } from '../../ui/State.tsx'
import { sayWith } from '../../ui/sayWith.ts'
import { Part } from '../Part.tsx'
import { ResendLink } from '../people/ResendLink.tsx'
import { ReceiptLines } from '../receipt/ReceiptLines.tsx'
import { Sheet } from '../Sheet.tsx'
import { TransferDetails } from './TransferDetails.tsx'

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
      <h1 className="text-[24px]">{THANKS.unpaid}</h1>
      <p className="mt-2 mb-4 text-ink-2">{THANKS.nothingCharged}</p>
      <a href={view.bought[0]?.product.buy} className={buttonClass('press')}>
        {THANKS.backToCheckout}
      </a>
    </Sheet>
  )
}

function PaidSheet({ page, view }: { page: ShopPage; view: ThanksView }) {
  const [first] = view.bought
  const several = view.bought.length > 1 || (first?.courses.length ?? 0) > 1
  // What a bundle opens is counted course by course, and what two things open once.
  const number = new Set(view.bought.flatMap(({ courses }) => courses.map(({ slug }) => slug))).size
  if (view.bought.every(({ isPaidTwice }) => isPaidTwice)) return <PaidTwiceSheet page={page} view={view} />
  if (!several && first?.hasEnded) return <EndedSheet page={page} view={view} />
  return (
    <Sheet>
      <div className="grid grid-cols-1 gap-8 md:grid-cols-[minmax(0,1fr)_380px]">
        <div className="min-w-0">
          <h1 className="text-[28px] md:text-[34px]">
            {view.bought.length > 1 || !first || isOpenInPart(first)
              ? say(THANKS.several, { count: number })
              : first.isOpen
                ? say(THANKS.isOpen, { course: first.product.title })
                : say(THANKS.opensOn, {
                    course: first.product.title,
                    day: formatDay(first.opens, page.school.language),
                  })}
          </h1>
          <p className="mt-3 max-w-[52ch] text-[16px] text-ink-2">
            {!several &&
              first?.closes &&
              `${say(THANKS.closes, { day: formatDay(first.closes, page.school.language) })} `}
            {!several &&
              first?.membership &&
              `${say(THANKS.whileMember, { titles: titlesInQuotes(first.membership, 'or') })} `}
            {sayWith(THANKS.receiptSent, { email: <Email view={view} /> })}
          </p>
          {several && (
            <ul className="mt-5 max-w-[56ch] border-t border-line">
              {view.bought.map((thing) => (
                <li key={thing.product.slug} className="flex flex-wrap items-center gap-x-4 border-b border-line py-3">
                  <span className="min-w-0 flex-1">
                    <b className="font-semibold">{thing.product.title}</b>
                    <span className="block text-[14px] text-ink-2">{howItStands(thing, page)}</span>
                  </span>
                  {thing.isOpen && thing.courses.length === 1 && <OpenCourse course={thing.courses[0]} />}
                  {thing.courses.length > 1 && <CoursesOf thing={thing} page={page} />}
                </li>
              ))}
            </ul>
          )}
          {!several && first?.isOpen && (
            <p className="mt-5">
              <a href={`/learn/${first.courses[0]?.slug}`} className={buttonClass('press', 'px-5 py-3 text-[16px]')}>
                {THANKS.openCourse}
              </a>
            </p>
          )}
          <Followers page={page} view={view} />
          {view.needsPassword && (
            <div className="mt-7 max-w-[56ch] border-l-[3px] border-acorn pl-4">
              <h2 className="text-[17px]">{THANKS.comeBack}</h2>
              <p className="mt-1 text-ink-2">
                {sayWith(THANKS.password, {
                  again: <Part name="resend" of={ResendLink} page={page} view={view} isInline />,
                })}
              </p>
            </div>
          )}
        </div>
        <Receipt page={page} view={view} />
      </div>
    </Sheet>
  )
}

/** Some courses of a bundle are open, and others not yet. */
function isOpenInPart({ courses, isOpen }: Bought): boolean {
  return isOpen && courses.some((course) => !course.isOpen)
}

function OpenCourse({ course }: { course: Pick<Bought['courses'][number], 'slug' | 'title'> | undefined }) {
  if (!course) return null
  return (
    <a href={`/learn/${course.slug}`} className={buttonClass('press')}>
      {THANKS.open}
      <span className="sr-only"> {course.title}</span>
    </a>
  )
}

/** The courses of a bundle, each with its way in where it is open. */
function CoursesOf({ thing: { courses, opens: first, isPaidTwice }, page }: { thing: Bought; page: ShopPage }) {
  const day = (when: string) => formatDay(when, page.school.language)
  return (
    <ul className="mt-2 w-full">
      {courses.map((course) => (
        <li key={course.slug} className="flex items-center gap-4 border-t border-line py-2 pl-4">
          <span className="min-w-0 flex-1">
            {course.title}
            {!course.isOpen && course.opens > first && (
              <span className="block text-[14px] text-ink-2">
                {course.closes
                  ? say(THANKS.courseOpensOnUntil, { opens: day(course.opens), day: day(course.closes) })
                  : say(THANKS.courseOpensOn, { opens: day(course.opens) })}
              </span>
            )}
          </span>
          {course.isOpen && !isPaidTwice && <OpenCourse course={course} />}
        </li>
      ))}
    </ul>
  )
}

/** What was taken after the order, orders of their own with their own receipts; and what was left in the basket. */
function Followers({ page, view: { followers, stillInBasket } }: { page: ShopPage; view: ThanksView }) {
  return (
    <>
      {stillInBasket.length > 0 && (
        <p className="mt-5 max-w-[56ch] rounded-field bg-acorn-soft px-3 py-2">
          {say(BASKET.still, { titles: formatTitles(stillInBasket) })}{' '}
          <a className="link" href="/basket">
            {BASKET.title}
          </a>
        </p>
      )}
      {followers.length > 0 && <FollowerList page={page} followers={followers} />}
    </>
  )
}

function FollowerList({ page, followers }: { page: ShopPage; followers: ThanksView['followers'] }) {
  return (
    <section className="mt-6 max-w-[56ch]">
      <h2 className="text-[17px]">{THANKS.alsoOrdered}</h2>
      <ul className="mt-1.5 border-t border-line">
        {followers.map(({ id, number, title, pay, isPaid, course }) => (
          <li key={id} className="flex flex-wrap items-center gap-x-4 border-b border-line py-2.5">
            <span className="min-w-0 flex-1">
              {say(isPaid ? THANKS.follower : THANKS.followerWaits, {
                title,
                number,
                money: formatMoney(pay, page.school),
              })}
            </span>
            <a className="link" href={`/thanks/${id}`}>
              {THANKS.details}
              <span className="sr-only"> {title}</span>
            </a>
            {course && <OpenCourse course={{ slug: course, title }} />}
          </li>
        ))}
      </ul>
    </section>
  )
}

/** Where the buyer is written to. */
function Email({ view }: { view: ThanksView }) {
  return <b className="font-semibold text-ink">{view.email}</b>
}

/** One of several things, below its title. */
function howItStands(thing: Bought, page: ShopPage): string {
  const { offer, opens, closes, hasEnded, isOpen, membership, isPaidTwice } = thing
  const day = (when: string) => formatDay(when, page.school.language)
  if (isPaidTwice) return say(THANKS.lineTwice, { school: page.school.name })
  if (hasEnded && closes) return say(THANKS.lineEnded, { day: day(closes), school: page.school.name })
  if (isOpen && membership) {
    return say(THANKS.lineWhileMember, { offer, titles: titlesInQuotes(membership, 'or') })
  }
  if (isOpen) {
    return closes ? say(THANKS.lineOpenUntil, { offer, day: day(closes) }) : say(THANKS.lineOpen, { offer })
  }
  return closes
    ? say(THANKS.lineOpensOnUntil, { offer, opens: day(opens), day: day(closes) })
    : say(THANKS.lineOpensOn, { offer, opens: day(opens) })
}

/** The titles of what was bought, as they stand in a sentence. */
function titlesOf({ bought }: ThanksView): string {
  return formatTitles(bought.map(({ product }) => product.title))
}

/** The money came after another order had opened the course. */
function PaidTwiceSheet({ page, view }: { page: ShopPage; view: ThanksView }) {
  return (
    <Sheet>
      <div className="grid grid-cols-1 gap-8 md:grid-cols-[minmax(0,1fr)_380px]">
        <div className="min-w-0">
          <h1 className="text-[28px] md:text-[34px]">{say(THANKS.twice, { courses: titlesOf(view) })}</h1>
          <p className="mt-3 max-w-[52ch] text-[16px] text-ink-2">
            {sayWith(THANKS.twiceText, { school: page.school.name, email: <Email view={view} /> })}
          </p>
        </div>
        <Receipt page={page} view={view} />
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
            {say(THANKS.ended, {
              courses: titlesOf(view),
              day: formatDay(view.bought[0]?.closes ?? '', page.school.language),
            })}
          </h1>
          <p className="mt-3 max-w-[52ch] text-[16px] text-ink-2">
            {sayWith(THANKS.endedText, { school: page.school.name, email: <Email view={view} /> })}
          </p>
        </div>
        <Receipt page={page} view={view} />
      </div>
    </Sheet>
  )
}

/** The order waits for its money: on its way from a bank, or to be transferred with what stands here. */
function AwaitedSheet({ page, view, awaited }: { page: ShopPage; view: ThanksView; awaited: Awaited }) {
  const { transfer, amount, came } = awaited
  const money = (what: number) => formatMoney(what, page.school)
  if (!transfer) {
    return (
      <Sheet narrow>
        <h1 className="text-[26px]">{say(THANKS.onItsWay, { money: money(amount) })}</h1>
        <p className="mt-3">
          {sayWith(THANKS.onItsWayText, { opening: opensOnceIt(view, page), email: <Email view={view} /> })}
        </p>
        <p className="mt-4">
          <State shape="awaited">{THANKS.fromYourBank}</State>
        </p>
      </Sheet>
    )
  }
  const said = { opening: opensOnceIt(view, page), email: <Email view={view} /> }
  return (
    <Sheet>
      <h1 className="text-[28px] md:text-[32px]">
        {say(THANKS.transfer, { money: money(amount - came), courses: titlesOf(view) })}
      </h1>
      <p className="mt-3 max-w-[60ch] text-ink-2">
        {came > 0
          ? sayWith(THANKS.transferTextPart, { ...said, came: money(came), all: money(amount) })
          : sayWith(THANKS.transferText, said)}
      </p>
      {transfer.instructions && <p className="mt-3 max-w-[60ch] whitespace-pre-line">{transfer.instructions}</p>}
      <TransferDetails amount={money(amount - came)} transfer={transfer} />
      <Followers page={page} view={view} />
      <p className="mt-6 flex flex-wrap items-center gap-x-4 gap-y-1 text-[14px]">
        <State shape="awaited">{say(THANKS.waiting, { number: view.order.number })}</State>
        {came === 0 && (
          <a className="link" href={view.bought[0]?.product.buy}>
            {THANKS.otherMethod}
          </a>
        )}
      </p>
    </Sheet>
  )
}

/** When what was ordered opens, of an order that waits for its money: a later opening stays what it is. */
function opensOnceIt(view: ThanksView, page: ShopPage): string {
  const courses = titlesOf(view)
  const [first] = view.bought
  if (view.bought.length > 1) return say(THANKS.severalOpen, { courses })
  return first && !first.isOpen
    ? say(THANKS.opensOnOnce, { courses, day: formatDay(first.opens, page.school.language) })
    : say(THANKS.opensAsSoon, { courses })
}

function Receipt({ page: { school }, view }: { page: ShopPage; view: ThanksView }) {
  const { quote } = view
  return (
    <section className="self-start rounded-lg border border-line bg-sheet-2 px-4 py-3.5 text-[14px]">
      <h2 className="text-[16px]">{say(THANKS.receipt, { number: view.order.number })}</h2>
      <ReceiptLines things={view.things} amounts={view.amounts} money={school} />
      {view.codesLater.map(({ code, says }) => (
        <p key={code} className="mt-2 text-ink-2">
          {say(RECEIPT.code, { code, says })}
        </p>
      ))}
      {view.laterEach.length > 0 && (
        <>
          <h3 className="mt-3 font-semibold">{RECEIPT.laterTitle}</h3>
          <ul className="mt-1 grid gap-1 text-ink-2">
            {[...view.laterEach, RECEIPT.laterDates].map((sentence) => (
              <li key={sentence}>{sentence}</li>
            ))}
          </ul>
        </>
      )}
      {quote.later.length > 0 && view.laterEach.length === 0 && (
        <p className="mt-3 text-ink-2">{formatNext(quote, school)}</p>
      )}
      {view.receiptPdf && (
        <p className="mt-3">
          <a className="link" href={view.receiptPdf} target="_blank" rel="noopener">
            {THANKS.receiptPdf}
          </a>
        </p>
      )}
      <p className="mt-3 flex flex-wrap items-center gap-x-2">
        <State shape="received">{quote.today.pay > 0 ? THANKS.received : THANKS.nothingDue}</State>
        {view.order.paidOn && (
          <span className="text-ink-2">
            {formatPaidOn(formatDay(view.order.paidOn, school.language), view.order.method)}
          </span>
        )}
      </p>
      <PaymentReceipts school={school} view={view} />
    </section>
  )
}

/** The receipts of what was received since: each payment has its own. */
function PaymentReceipts({ school, view }: { school: ShopPage['school']; view: ThanksView }) {
  if (view.payments.length < 2) return null
  return (
    <>
      <h3 className="mt-4 font-semibold">{RECEIPT.each}</h3>
      <ul className="mt-1 grid gap-1">
        {view.payments.map(({ id, day, amount }) => (
          <li key={id}>
            <a className="link" href={`${view.path}/payments/${id}`}>
              {say(RECEIPT.eachRow, { day: formatDay(day, school.language), money: formatMoney(amount, school) })}
            </a>
          </li>
        ))}
      </ul>
    </>
  )
}

function formatPaidOn(day: string, method: string | null): string {
  return method ? say(THANKS.paidOnBy, { day, method }) : day
}

/** The next payment of one thing, and how the later ones go on. */
function formatNext(quote: ThanksView['quote'], school: MoneyFormat & { language: string }): string {
  const [next] = quote.later
  const values = { money: formatMoney(next?.pay ?? 0, school), day: formatDay(next?.due ?? '', school.language) }
  if (quote.committed !== null) return say(THANKS.nextInAll, { ...values, all: formatMoney(quote.committed, school) })
  const steady = steadyFrom(quote)
  if (!steady) return say(THANKS.nextEndless, values)
  const after = { steady: formatMoney(steady.pay, school), from: formatDay(steady.due, school.language) }
  return say(THANKS.nextThenEndless, { ...values, ...after })
}
