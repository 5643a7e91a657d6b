import { Navigate, useSearchParams } from 'react-router'
import { Places } from '../frame/Places.tsx'
import { useShelf } from './queries.ts'
import { Shelf } from './Shelf.tsx'

/** Sell, before anything is chosen: the first course opens by itself. */
export function SellPage() {
  const shelf = useShelf()
  const [params] = useSearchParams()
  const first = shelf.data?.find((course) => !course.isRetired)
  const target = first?.offers[0]
    ? `/studio/sell/offers/${first.offers[0].id}`
    : first && `/studio/sell/courses/${first.id}`
  if (target && !params.has('new')) return <Navigate to={target} replace />
  return (
    <Places
      shelfLabel="Courses"
      shelf={<Shelf />}
      bench={
        <div className="mx-auto max-w-[46ch] py-16 text-ink-2">
          <h1 className="text-[27px] text-ink">A course, a price, a page that sells it</h1>
          <p className="mt-3">
            Make a course on the left. Then give it a price, connect a gateway under Setup, and publish. Everything that
            stands in the way of the first sale is said at the side, with a button that leads to the fix.
          </p>
        </div>
      }
      mirror={null}
    />
  )
}
