import { useState } from 'react'
import { NavLink } from 'react-router'
import { clockMoment } from '../../core/calendar/clock.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatReduction } from '../../core/content/couponSentence.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { StateMark } from '../../ui/State.tsx'
import { useSession, useStudioNow } from '../session/session.ts'
import { Drawer } from './Drawer.tsx'
import { type ShelfCoupon, useCoupons } from './queries.ts'
import { useNewCoupon } from './useNewCoupon.ts'

interface CouponShelfProps {
  isOpen: boolean
  toggle: () => void
  /** What is searched for on the shelf. */
  search: string
}

/** The shelf's coupons: each with its code, what it takes off, and how it stands. */
export function CouponShelf({ isOpen, toggle, search }: CouponShelfProps) {
  const coupons = useCoupons()
  const create = useNewCoupon()
  const [showsRetired, setShowsRetired] = useState(false)
  const all = coupons.data ?? []
  const retired = all.filter(({ retiredAt }) => retiredAt !== null)
  const wanted = search.trim().toLowerCase()
  const shown = all.filter(
    ({ draft, retiredAt }) => (showsRetired || retiredAt === null) && draft.code.toLowerCase().includes(wanted),
  )
  if (wanted !== '' && shown.length === 0) return null
  return (
    <Drawer
      title="Coupons"
      count={coupons.isSuccess ? (wanted === '' ? all.length - retired.length : shown.length) : null}
      isOpen={isOpen || wanted !== ''}
      toggle={toggle}
      acts={
        <Button kind="link" className="text-[13px]" onClick={() => create(null)}>
          New coupon
        </Button>
      }
    >
      {coupons.isSuccess && all.length === 0 && (
        <p className="px-1.5 text-[13px] text-ink-2">A code that takes something off appears here.</p>
      )}
      <ul>
        {shown.map((coupon) => (
          <CouponLine key={coupon.id} coupon={coupon} />
        ))}
      </ul>
      {retired.length > 0 && (
        <Button kind="link" className="px-1.5 text-[13px]" onClick={() => setShowsRetired(!showsRetired)}>
          {showsRetired ? 'Hide retired coupons' : `Show ${retired.length} retired`}
        </Button>
      )}
    </Drawer>
  )
}

function CouponLine({ coupon }: { coupon: ShelfCoupon }) {
  const { school } = useSession()
  const status = useStatus(coupon)
  const content = coupon.live ?? coupon.draft
  return (
    <li>
      <NavLink
        to={`/studio/sell/coupons/${coupon.id}`}
        className={({ isActive }) =>
          classes(
            'mb-0.5 grid grid-cols-[minmax(0,1fr)_auto] gap-x-2 rounded-[5px] px-1.5 py-1 text-[13.5px]',
            isActive ? 'bg-acorn' : 'hover:bg-sheet-2',
          )
        }
      >
        <b className="truncate font-semibold" title={coupon.draft.code}>
          {coupon.draft.code || 'New coupon'}
        </b>
        <span className="whitespace-nowrap">−{formatReduction(content, school)}</span>
        <span className="col-span-2 flex items-center gap-1.5 text-[12px] text-ink-2">
          <StateMark shape={status.shape} size={8} />
          {status.word}
        </span>
      </NavLink>
    </li>
  )
}

/** How a coupon stands, as shape and words. */
function useStatus({ live, endedAt, retiredAt, isChanged, uses }: ShelfCoupon) {
  const { school } = useSession()
  const at = Date.parse(useStudioNow())
  const dayOf = (moment: string, which: 'from' | 'until') =>
    formatDay(clockMoment(moment, school.timeZone, which).day, school.language)
  if (retiredAt) return { shape: 'off', word: 'retired' } as const
  if (!live) return { shape: 'awaited', word: 'draft' } as const
  const used = live.isSet
    ? `single-use · ${uses} used`
    : live.limit === null
      ? `${uses} used`
      : `${uses} of ${live.limit} used`
  const ends = endedAt ?? live.until
  if (ends && Date.parse(ends) <= at)
    return { shape: 'off', word: `ended on ${dayOf(ends, 'until')} · ${used}` } as const
  if (live.limit !== null && uses >= live.limit) return { shape: 'off', word: `used up · ${used}` } as const
  if (live.from && Date.parse(live.from) > at) {
    return { shape: 'awaited', word: `from ${dayOf(live.from, 'from')}` } as const
  }
  const until = ends ? `until ${dayOf(ends, 'until')} · ` : ''
  return { shape: 'received', word: `${until}${used}${isChanged ? ' · changes not published' : ''}` } as const
}
