import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { FiguresTable } from './FiguresTable.tsx'
import { MOVED } from './MonthTable.tsx'
import type { MoneyQuery } from './NarrowTo.tsx'
import { useProductSums } from './queries.ts'
import type { DaySpan } from './span.ts'

interface ProductTableProps {
  span: DaySpan
  query: MoneyQuery
  money: MoneyFormat
  by: 'product' | 'course'
  go: (change: Record<string, string | null>) => void
}

/** What moved in a span by what was sold: bundles as a whole, or split over their courses. The last row is the sum of both. */
export function ProductTable({ span, query, money, by, go }: ProductTableProps) {
  const { data, error } = useProductSums(span, query, by)
  if (error) {
    return (
      <p role="alert" className="text-failed">
        {error.message}
      </p>
    )
  }
  if (!data) return <Waiting lines={5} />
  const { products } = data
  const sumOf = (figure: (sums: (typeof products)[number]) => number) =>
    products.reduce((sum, product) => sum + figure(product), 0)
  const columns = MOVED.filter(([, figure]) => products.some((product) => figure(product) !== 0))
  return (
    <>
      <p className="mb-2 flex flex-wrap items-baseline gap-x-3 text-[13.5px] text-ink-2">
        {by === 'product'
          ? 'Bundles stand as a whole.'
          : 'Each bundle’s money is split among its courses, by what each cost on its own.'}
        <Button kind="link" onClick={() => go({ by: by === 'product' ? 'course' : null })}>
          {by === 'product' ? 'Split them among their courses' : 'Show them as a whole'}
        </Button>
      </p>
      {products.length === 0 ? (
        <p className="text-[13.5px] text-ink-2">Nothing was received or refunded in this period.</p>
      ) : (
        <FiguresTable
          caption="By what was sold"
          heads={['Sold', ...columns.map(([label]) => label)]}
          rows={products.map((product) => ({
            key: product.id,
            name: (
              <>
                {product.title}
                {product.kind === 'bundle' && <span className="ml-1.5 text-[12px] text-ink-3">bundle</span>}
              </>
            ),
            cells: columns.map(([, figure]) => (figure(product) === 0 ? '–' : formatMoney(figure(product), money))),
          }))}
          total={columns.map(([, figure]) => formatMoney(sumOf(figure), money))}
        />
      )}
    </>
  )
}
