import { Link } from 'react-router'
import type { CouponContent } from '../../core/content/coupon.ts'
import { Button } from '../../ui/Button.tsx'
import { PreviewSection } from '../frame/Places.tsx'
import { usePages } from './queries.ts'
import { useNewCoupon } from './useNewCoupon.ts'

interface SellMoreProps {
  productId: string
  /** What a new coupon is for. */
  appliesTo: NonNullable<CouponContent['appliesTo']>
}

/** From an offer or a bundle: to the order bumps and upsells of its checkout page, and to a coupon for it. */
export function SellMore({ productId, appliesTo }: SellMoreProps) {
  const newCoupon = useNewCoupon()
  const main = (usePages().data ?? []).find((page) => page.productId === productId && page.isMain)
  const counted = (count: number, one: string) => (count === 0 ? '' : ` (${count} ${one}${count === 1 ? '' : 's'})`)
  return (
    <PreviewSection label="Sell more with it">
      <ul className="grid gap-1 text-[13.5px]">
        {main && (
          <>
            <li>
              <Link className="link" to={`/studio/sell/pages/${main.id}?part=bumps`}>
                Order bumps on its checkout page
              </Link>
              {counted(main.bumps, 'order bump')}
            </li>
            <li>
              <Link className="link" to={`/studio/sell/pages/${main.id}?part=upsells`}>
                Upsells after the payment
              </Link>
              {counted(main.upsells, 'upsell')}
            </li>
          </>
        )}
        <li>
          <Button kind="link" onClick={() => newCoupon(appliesTo)}>
            New coupon for it
          </Button>
        </li>
      </ul>
    </PreviewSection>
  )
}
