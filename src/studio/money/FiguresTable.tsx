import type { ReactNode } from 'react'

interface FiguresTableProps {
  caption: string
  /** What the rows are, and each column. */
  heads: readonly string[]
  rows: readonly { key: string; name: ReactNode; cells: readonly ReactNode[] }[]
  /** The sum of each column. */
  total: readonly ReactNode[]
}

/** Amounts in rows and columns; the last row is their sum. */
export function FiguresTable({ caption, heads, rows, total }: FiguresTableProps) {
  const [first, ...columns] = heads
  const head = 'border-b border-line-2 py-1.5 pr-3 text-[12px] font-semibold text-ink-3'
  const cellsOf = (cells: readonly ReactNode[]) =>
    columns.map((label, index) => (
      <td key={label} className="text-right whitespace-nowrap">
        {cells[index]}
      </td>
    ))
  return (
    <div className="overflow-x-auto">
      <table className="w-full text-[13.5px] [&_td]:border-b [&_td]:border-line [&_td]:py-2 [&_td]:pr-3">
        <caption className="sr-only">{caption}</caption>
        <thead>
          <tr>
            <th scope="col" className={`${head} pl-1.5 text-left`}>
              {first}
            </th>
            {columns.map((label) => (
              <th key={label} scope="col" className={`${head} text-right`}>
                {label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(({ key, name, cells }) => (
            <tr key={key} className="hover:bg-sheet-2">
              <td className="pl-1.5">{name}</td>
              {cellsOf(cells)}
            </tr>
          ))}
          <tr className="font-semibold">
            <td className="pl-1.5">Altogether</td>
            {cellsOf(total)}
          </tr>
        </tbody>
      </table>
    </div>
  )
}
