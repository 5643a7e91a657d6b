import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { Waiting } from '../frame/Waiting.tsx'
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
  const head = 'border-b border-line-2 py-1.5 pr-3 text-[12px] font-semibold text-ink-3'
  const amount = 'text-right whitespace-nowrap'
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
        <p className="text-[13.5px] text-ink-2">Nothing was received or refunded in these days.</p>
      ) : (
        <div className="overflow-x-auto">
          <table className="w-full text-[13.5px] [&_td]:border-b [&_td]:border-line [&_td]:py-2 [&_td]:pr-3">
            <caption className="sr-only">By what was sold</caption>
            <thead>
              <tr>
                <th scope="col" className={`${head} pl-1.5 text-left`}>
                  Sold
                </th>
                {columns.map(([label]) => (
                  <th key={label} scope="col" className={`${head} text-right`}>
                    {label}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {products.map((product) => (
                <tr key={product.id} className="hover:bg-sheet-2">
                  <td className="pl-1.5">
                    {product.title}
                    {product.kind === 'bundle' && <span className="ml-1.5 text-[12px] text-ink-3">bundle</span>}
                  </td>
                  {columns.map(([label, figure]) => (
                    <td key={label} className={amount}>
                      {figure(product) === 0 ? '–' : formatMoney(figure(product), money)}
                    </td>
                  ))}
                </tr>
              ))}
              <tr className="font-semibold">
                <td className="pl-1.5">Altogether</td>
                {columns.map(([label, figure]) => (
                  <td key={label} className={amount}>
                    {formatMoney(sumOf(figure), money)}
                  </td>
                ))}
              </tr>
            </tbody>
          </table>
        </div>
      )}
    </>
  )
}
