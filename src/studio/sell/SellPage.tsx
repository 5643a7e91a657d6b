import { Navigate, Outlet, useSearchParams } from 'react-router'
import { Around, Work } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { StepsPage } from './FirstSteps.tsx'
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

/** Before anything is chosen: the first course opens by itself; where there is none, the way to the first sale. */
export function SellStart() {
  const shelf = useShelf()
  const [params] = useSearchParams()
  const first = shelf.data?.find(({ isRetired }) => !isRetired)
  const target = first?.offers[0] ? `/studio/sell/offers/${first.offers[0].id}` : first && productPath(first)
  if (target && !params.has('new') && !params.has('steps')) return <Navigate to={target} replace />
  return <Work bench={shelf.data ? <StepsPage /> : <Waiting error={shelf.error} />} mirror={null} />
}
