import { Select } from '../frame/Select.tsx'
import { useCoupons, useShelf } from './queries.ts'

interface NarrowByProps {
  course: string | undefined
  coupon: string | undefined
  narrow: (change: { course: string } | { coupon: string }) => void
}

const LOOK = 'w-full rounded-field border border-line-2 bg-transparent px-2 py-1'

/** Narrows a list to what was bought, and to the coupon with which it was. */
export function NarrowBy({ course, coupon, narrow }: NarrowByProps) {
  const shelf = useShelf()
  const coupons = useCoupons()
  const published = (coupons.data ?? []).filter(({ live }) => live !== null)
  return (
    <>
      <Select
        label="Course or bundle"
        className={LOOK}
        value={course ?? ''}
        options={[['', 'Every course and bundle'], ...(shelf.data ?? []).map(({ id, title }) => [id, title] as const)]}
        onChange={(id) => narrow({ course: id })}
      />
      {published.length > 0 && (
        <Select
          label="Coupon"
          className={LOOK}
          value={coupon ?? ''}
          options={[
            ['', 'With and without a code'],
            ...published.map(({ id, live, draft }) => [id, (live ?? draft).code] as const),
          ]}
          onChange={(id) => narrow({ coupon: id })}
        />
      )}
    </>
  )
}
