import { useId, useState } from 'react'
import { formatSplit, proposeSplits, readSplit, type Split } from '../../core/content/split.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'

interface SplitHelperProps {
  /** What stands in the field at first, where a price is known. */
  price: number | null
  count: number
  money: MoneyFormat
  choose: (split: Split) => void
}

/** Splits a price into parts: "1,300 in 3", exact or round, with the difference said. */
export function SplitHelper({ price, count, money, choose }: SplitHelperProps) {
  const [text, setText] = useState(price === null ? '' : `${formatMoney(price, money)} in ${count}`)
  const noteId = useId()
  const read = readSplit(text, money)
  return (
    <div className="mb-2 rounded-field border-l-[3px] border-acorn bg-sheet-2 px-3 py-2 text-[13.5px]">
      <label className="flex flex-wrap items-baseline gap-x-2">
        <span>Split</span>
        <input
          autoFocus
          className="marked min-w-[12ch] bg-transparent font-semibold"
          placeholder="1,300 in 3"
          maxLength={40}
          aria-label="Split a price"
          aria-invalid={text !== '' && !read.ok}
          aria-describedby={noteId}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      </label>
      <p id={noteId} role={read.ok ? 'status' : 'alert'} className="mt-1 text-failed empty:hidden">
        {text !== '' && !read.ok ? read.why : null}
      </p>
      {read.ok && (
        <ul className="mt-1">
          {proposeSplits(read.total, read.count).map((split) => (
            <li
              key={split.each + String(split.total)}
              className="flex items-baseline justify-between gap-3 border-t border-line py-1"
            >
              <span>{formatSplit(split, money)}</span>
              <Button kind="link" aria-label={`Take ${formatSplit(split, money)}`} onClick={() => choose(split)}>
                Take it
              </Button>
            </li>
          ))}
        </ul>
      )}
    </div>
  )
}
