import { Link, Navigate, Outlet, useSearchParams } from 'react-router'
import { buttonClass } from '../../ui/Button.tsx'
import { Around, Work } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { productPath, useShelf } from './queries.ts'
import { Shelf } from './Shelf.tsx'

/** Sell: the shelf, and beside it the course or the offer that is chosen. */
export function SellPage() {
  return (
    <Around shelfLabel="What you sell" shelf={<Shelf />}>
      <Outlet />
    </Around>
  )
}

const STEPS = [
  ['A course', 'Name it on the left; its lessons and picture can come later.', null],
  [
    'A price',
    'One-time, installments, a subscription, pay what you want, or free. You see it in words as you write.',
    null,
  ],
  [
    'A payment method',
    'Connect a gateway, or use bank transfer. In Practice no real money moves.',
    '/studio/setup/gateways',
  ],
  [
    'Publish, and buy it yourself',
    'The shop opens in Practice: pay with a sample card and see everything a buyer sees.',
    null,
  ],
] as const

/** Before anything is chosen: the first course opens by itself; where there is none, the way to the first sale. */
export function SellStart() {
  const shelf = useShelf()
  const [params] = useSearchParams()
  const first = shelf.data?.find(({ isRetired }) => !isRetired)
  const target = first?.offers[0] ? `/studio/sell/offers/${first.offers[0].id}` : first && productPath(first)
  if (target && !params.has('new')) return <Navigate to={target} replace />
  return (
    <Work
      bench={
        shelf.data ? (
          <>
            <h1 className="text-[27px]">A course, a price, a page that sells it</h1>
            <ol className="mt-4 max-w-[60ch]">
              {STEPS.map(([title, text, to], index) => (
                <li key={title} className="grid grid-cols-[28px_1fr] gap-x-2 border-t border-line py-3">
                  <b className="display text-[17px] text-leaf">{index + 1}</b>
                  <span>
                    <b className="font-semibold">{title}</b>
                    <span className="mt-0.5 block text-ink-2">{text}</span>
                    {to && (
                      <Link className={buttonClass('quiet', 'mt-2')} to={to}>
                        Connect a gateway
                      </Link>
                    )}
                  </span>
                </li>
              ))}
            </ol>
            <p className="border-t border-line pt-3 text-ink-2">
              What is still missing before the first sale is listed at the side, with a button to fix it.
            </p>
          </>
        ) : (
          <Waiting error={shelf.error} />
        )
      }
      mirror={null}
    />
  )
}
