import { useMutation } from '@tanstack/react-query'
import { Link } from 'react-router'
import { toast } from 'sonner'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { type CouponContent, type CouponProblem, isFor } from '../../core/content/coupon.ts'
import { effectOf } from '../../core/content/couponEffect.ts'
import { formatCoupon, type NameOf } from '../../core/content/couponSentence.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { WhyNot } from '../../core/quote/types.ts'
import { Button } from '../../ui/Button.tsx'
import { formatMoment } from '../../ui/dates.ts'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { PreviewSection } from '../frame/Places.tsx'
import { useSession, useStudioNow } from '../session/session.ts'
import type { BenchCoupon } from './queries.ts'

interface CouponMirrorProps {
  coupon: BenchCoupon
  content: CouponContent
  nameOf: NameOf
  problems: readonly CouponProblem[]
}

/** What follows from a coupon: its sentence, what each offer costs with it, and what it brought so far. */
export function CouponMirror({ coupon, content, nameOf, problems }: CouponMirrorProps) {
  const { school } = useSession()
  const { brought } = coupon
  return (
    <>
      <PreviewSection label="In words">
        <p className="display text-[20px] leading-[1.32] font-medium" aria-live="polite">
          {formatCoupon(content, school, nameOf)}
        </p>
      </PreviewSection>
      {problems.length > 0 && (
        <PreviewSection label="Before it can be published">
          <ul className="text-[13.5px]">
            {problems.map(({ at, why }) => (
              <li key={at}>{why}</li>
            ))}
          </ul>
        </PreviewSection>
      )}
      <PreviewSection label="What each offer costs with it">
        <Effects coupon={coupon} content={content} />
      </PreviewSection>
      {coupon.live && (
        <PreviewSection label="So far">
          <p className="display text-[16px] leading-[1.35] font-medium">
            {brought.orders === 0 ? (
              'No order used it yet.'
            ) : (
              <>
                <Orders couponId={coupon.id} count={brought.orders} /> of {brought.buyers}{' '}
                {brought.buyers === 1 ? 'buyer' : 'buyers'} used it. {formatMoney(brought.received, school)} was
                received so far for what it reduced, less refunds; {formatMoney(brought.saves, school)} was taken off
                those payments.
              </>
            )}
          </p>
          {brought.days.length > 1 && <ByDay couponId={coupon.id} days={brought.days} />}
          {coupon.gap && <Gap {...coupon.gap} />}
          {brought.waiting > 0 && <Held couponId={coupon.id} count={brought.waiting} />}
        </PreviewSection>
      )}
    </>
  )
}

/** What is not known of a code's uses, since the school was put back from a backup. */
function Gap({ from, until }: { from: string; until: string }) {
  const { school } = useSession()
  const { timeZone } = school
  return (
    <p className="mt-1 text-[13.5px] text-late">
      Uses between {formatMoment(from, timeZone)} and {formatMoment(until, timeZone)} are not known: the school was
      restored from a backup. The code may be used more often than its limit.
    </p>
  )
}

/** How many uses are held by orders that are not paid, and the way to let them go. */
function Held({ couponId, count }: { couponId: string; count: number }) {
  const release = useMutation({
    mutationFn: () => unwrap(api.coupons[':id']['release-held'].$post({ param: { id: couponId } })),
    onSuccess: ({ released }) => toast(`${released} ${released === 1 ? 'use' : 'uses'} released.`),
  })
  const isOne = count === 1
  return (
    <p className="mt-1 text-[13.5px] text-ink-2">
      {count} {isOne ? 'use is held by an order that is' : 'uses are held by orders that are'} not paid yet.{' '}
      <Button kind="link" disabled={release.isPending} onClick={() => release.mutate()}>
        Release {isOne ? 'it' : 'them'}
      </Button>
      <span className="block">
        Others can then use the code. {isOne ? 'The order keeps its price' : 'The orders keep their prices'}.
      </span>
    </p>
  )
}

/** The orders that used a coupon, and the way to them. */
function Orders({ couponId, count }: { couponId: string; count: number }) {
  return (
    <Link className="link" to={`/studio/orders?coupon=${couponId}`}>
      {count} {count === 1 ? 'order' : 'orders'}
    </Link>
  )
}

/** What it brought on each day on which it was used, each the way to its orders. */
function ByDay({ couponId, days }: { couponId: string; days: BenchCoupon['brought']['days'] }) {
  const { school } = useSession()
  return (
    <details className="mt-1.5 text-[13px]">
      <summary className="cursor-pointer text-ink-2">By day</summary>
      <table className="mt-1 w-full">
        <thead>
          <tr className="text-left text-ink-2">
            <th className="font-normal">Day</th>
            <th className="text-right font-normal">Orders</th>
            <th className="text-right font-normal">Received</th>
            <th className="text-right font-normal">Taken off</th>
          </tr>
        </thead>
        <tbody>
          {days.map(({ day, orders, received, saves }) => (
            <tr key={day} className="border-t border-line">
              <td className="py-1">{formatDay(day, school.language)}</td>
              <td className="text-right">
                <Link className="link" to={`/studio/orders?coupon=${couponId}&from=${day}&until=${day}`}>
                  {orders}
                </Link>
              </td>
              <td className="text-right">{formatMoney(received, school)}</td>
              <td className="text-right">{formatMoney(saves, school)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  )
}

function Effects({ coupon, content }: Pick<CouponMirrorProps, 'coupon' | 'content'>) {
  const { school } = useSession()
  const at = useStudioNow()
  if (coupon.offers.length === 0) return <p className="text-[13.5px] text-ink-2">Nothing is on sale yet.</p>
  const rows = coupon.offers.map((offer) => ({
    offer,
    effect: effectOf(content, offer, school, coupon.paymentMethods, at),
    isFor: isFor(content, offer),
  }))
  const others = rows.filter(({ isFor: applies }) => !applies)
  return (
    <>
      <EffectTable rows={rows.filter(({ isFor: applies }) => applies)} content={content} />
      {others.length > 0 && (
        <details className="mt-2 text-[13px] text-ink-2">
          <summary className="cursor-pointer">
            Not for {others.length} other {others.length === 1 ? 'offer' : 'offers'}
          </summary>
          <ul className="mt-1">
            {others.map(({ offer }) => (
              <li key={offer.id}>
                {offer.title}, {offer.content.name}
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  )
}

interface EffectRow {
  offer: BenchCoupon['offers'][number]
  effect: ReturnType<typeof effectOf>
}

function EffectTable({ rows, content }: { rows: readonly EffectRow[]; content: CouponContent }) {
  const { school } = useSession()
  const money = (amount: number) => formatMoney(amount, school)
  return (
    <table className="w-full text-[13px] [&_td]:border-b [&_td]:border-line [&_td]:py-1.5 [&_td]:pr-2.5 [&_td]:align-top [&_td:last-child]:pr-0">
      <thead>
        <tr className="text-[12px] text-ink-3 [&_th]:pr-2.5 [&_th]:pb-1 [&_th]:font-semibold [&_th:last-child]:pr-0">
          <th scope="col" className="text-left">
            Offer
          </th>
          <th scope="col" className="text-right">
            Today
          </th>
          <th scope="col" className="text-right">
            With it
          </th>
          <th scope="col" className="text-right">
            You keep
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map(({ offer, effect }) => {
          const counts = effect !== null && effect.why === null
          return (
            <tr key={offer.id} className={counts ? '' : 'text-ink-3'}>
              <td>
                <Link className="hover:underline" to={`/studio/sell/offers/${offer.id}`}>
                  {offer.title}, {offer.content.name}
                </Link>
                {effect && <Note effect={effect} content={content} money={money} />}
              </td>
              <td className="text-right">{effect ? money(effect.without.today.pay) : '–'}</td>
              <td className={counts ? 'text-right font-semibold' : 'text-right'}>
                {counts ? money(effect.with.today.pay) : '–'}
              </td>
              <td className="text-right">{counts && effect.keeps !== null ? money(effect.keeps) : '–'}</td>
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}

interface NoteProps {
  effect: NonNullable<ReturnType<typeof effectOf>>
  content: CouponContent
  money: (amount: number) => string
}

/** What else there is to know of an offer with the coupon: later payments, or why it does not count. */
function Note({ effect, content, money }: NoteProps) {
  const { why, isUncollectable, with: withIt, without } = effect
  const note = why
    ? formatWhyNot(why, content, money)
    : isUncollectable
      ? 'No payment method takes this. Lower the reduction, or take everything off.'
      : withIt.later.length > 0
        ? `${formatLater(withIt, without, money)}${withIt.committed === null ? `; kept of ${withIt.later.length + 1} payments` : ''}`
        : ''
  return note ? (
    <span className={`block text-[12.5px] ${isUncollectable ? 'text-failed' : 'text-ink-3'}`}>{note}</span>
  ) : null
}

function formatLater(
  withIt: NoteProps['effect']['with'],
  without: NoteProps['effect']['without'],
  money: NoteProps['money'],
) {
  const changed = withIt.later.filter(({ pay }, index) => pay !== without.later[index]?.pay)
  if (changed.length === 0) return 'later payments stay as they are'
  const all =
    withIt.committed === null ? '' : `; ${money(withIt.committed)} in all instead of ${money(without.committed ?? 0)}`
  return `later payments from ${money(changed[0]?.pay ?? 0)}${all}`
}

function formatWhyNot(why: WhyNot, { skipsSale, minimum }: CouponContent, money: NoteProps['money']): string {
  if (why === 'below-minimum') return `below its minimum of ${money(minimum ?? 0)}`
  if (why === 'nothing-eligible')
    return skipsSale ? 'nothing to take off, or its sale price is in force' : 'nothing to take off'
  return 'does not count'
}
