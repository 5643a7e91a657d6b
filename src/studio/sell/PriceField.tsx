import { useEffect, useId, useRef, useState } from 'react'
import { formatMoney, formatPlain, type MoneyFormat } from '../../core/money/format.ts'
import { readMoney } from '../../core/money/parse.ts'
import { useReportUnread } from '../drafting/UnreadFields.tsx'
import { InlineNote, WITH_NOTE } from './InlineNote.tsx'

interface PriceFieldProps {
  label: string
  amount: number | null
  money: MoneyFormat
  /** 0 is a price here too. */
  mayBeZero?: boolean
  /** The draft knows no empty amount here: emptied, the field says so, and the draft keeps what it was. */
  isNeeded?: boolean
  onChange: (amount: number | null) => void
}

/**
 * A price inside its sentence. What is typed is read at once; what cannot be a price is refused in
 * words here, and the draft keeps the last one that could.
 */
export function PriceField({ label, amount, money, mayBeZero = false, isNeeded = false, onChange }: PriceFieldProps) {
  const [text, setText] = useState(amount === null ? '' : formatPlain(amount, money))
  const [error, setError] = useState<string | null>(null)
  const [wasAmbiguous, setAmbiguous] = useState(false)
  const known = useRef(amount)
  const noteId = useId()

  useReportUnread(label, error)

  // Undo, redo and the other window change the amount from outside.
  useEffect(() => {
    if (amount === known.current) return
    known.current = amount
    setText(amount === null ? '' : formatPlain(amount, money))
    setError(null)
    setAmbiguous(false)
  }, [amount, money])

  const type = (typed: string) => {
    setText(typed)
    if (typed.trim() === '') {
      setAmbiguous(false)
      if (isNeeded) return setError('Write an amount. 0 is allowed.')
      setError(null)
      known.current = null
      return onChange(null)
    }
    const read = readMoney(typed, money)
    const why = read.ok ? (read.amount === 0 && !mayBeZero ? 'A price of 0 is free: choose Free.' : null) : read.why
    setError(why)
    setAmbiguous(read.ok && read.ambiguous)
    if (!read.ok || why) return
    known.current = read.amount
    onChange(read.amount)
  }

  return (
    <span className={WITH_NOTE}>
      <span className="marked inline-flex items-baseline leading-[1.35] focus-within:bg-acorn-soft focus-within:outline-2 focus-within:outline-offset-2 focus-within:outline-leaf">
        <span aria-hidden="true">{signOf(money)}</span>
        <input
          aria-label={label}
          aria-invalid={error !== null}
          aria-describedby={noteId}
          inputMode="decimal"
          className="fitted min-w-[4ch] bg-transparent font-semibold outline-none"
          placeholder={formatPlain(0, money)}
          value={text}
          maxLength={24}
          onChange={(event) => type(event.target.value)}
          onBlur={() => !error && amount !== null && setText(formatPlain(amount, money))}
        />
      </span>
      <InlineNote
        id={noteId}
        error={error}
        read={wasAmbiguous && amount !== null ? `Read as ${formatMoney(amount, money)}.` : null}
      />
    </span>
  )
}

function signOf({ currency, language }: MoneyFormat): string {
  const parts = new Intl.NumberFormat(language, {
    style: 'currency',
    currency,
    currencyDisplay: 'narrowSymbol',
  }).formatToParts(0)
  return parts.find((part) => part.type === 'currency')?.value ?? currency
}
