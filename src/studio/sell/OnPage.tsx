import { useEffect, useId, useRef, useState } from 'react'
import { MAX_LINES, type OfferContent, statementProblem } from '../../core/content/offer.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { InlineText } from './InlineFields.tsx'

interface OnPageProps {
  content: OfferContent
  /** What the button says where nothing is written. */
  madeButton: string
  /** What the card statement says where nothing is written. */
  schoolName: string
  change: (patch: Partial<OfferContent>) => void
}

/** How the offer stands on the page and on the buyer's statement. */
export function OnPage({ content, madeButton, schoolName, change }: OnPageProps) {
  const [problem, setProblem] = useState<string | null>(null)
  const whyId = useId()
  return (
    <>
      <div className="text-[16.5px] leading-[2.1]">
        The button says{' '}
        <InlineText
          label="Text of the button"
          maxLength={40}
          placeholder={madeButton}
          value={content.button}
          onChange={(button) => change({ button })}
        />
        , the card statement{' '}
        <StatementField
          value={content.statement}
          schoolName={schoolName}
          whyId={whyId}
          say={setProblem}
          onChange={(statement) => change({ statement })}
        />
        .{' '}
        <label className="marked cursor-pointer font-medium">
          <input
            type="checkbox"
            checked={content.highlighted}
            onChange={(event) => change({ highlighted: event.target.checked })}
            className="mr-1 accent-leaf"
          />
          Highlight this offer
        </label>
        <p id={whyId} role="alert" className="text-[13px] leading-snug font-medium text-failed empty:hidden">
          {problem}
        </p>
      </div>
      <Field label={`Lines under the price, up to ${MAX_LINES}`} className="mt-2">
        {(wiring) => (
          <textarea
            {...wiring}
            rows={Math.min(MAX_LINES, Math.max(2, content.lines.split('\n').length))}
            maxLength={400}
            className={`${BOX_INPUT} resize-none`}
            placeholder="With a parcel of linen thread and two needles."
            value={content.lines}
            onChange={(event) => change({ lines: event.target.value.split('\n').slice(0, MAX_LINES).join('\n') })}
          />
        )}
      </Field>
    </>
  )
}

interface StatementFieldProps {
  value: string
  schoolName: string
  whyId: string
  say: (problem: string | null) => void
  onChange: (value: string) => void
}

/** The text on the card statement; what cannot print there is refused in words, and the draft keeps the last that could. */
function StatementField({ value, schoolName, whyId, say, onChange }: StatementFieldProps) {
  const [text, setText] = useState(value)
  const known = useRef(value)
  useEffect(() => {
    if (value === known.current) return
    known.current = value
    setText(value)
    say(null)
  }, [value, say])
  return (
    <InlineText
      label="Text on the card statement"
      maxLength={60}
      placeholder={schoolName}
      value={text}
      isInvalid={statementProblem(text) !== null}
      describedBy={whyId}
      onChange={(typed) => {
        setText(typed)
        const problem = statementProblem(typed)
        say(problem)
        if (problem) return
        known.current = typed
        onChange(typed)
      }}
    />
  )
}

/** What only the creator sees. */
export function OwnBench({ content, change }: Pick<OnPageProps, 'content' | 'change'>) {
  return (
    <div className="text-[16.5px] leading-[2.1]">
      Called{' '}
      <InlineText
        label="Label, only for you"
        maxLength={80}
        placeholder="a label of your own"
        value={content.label}
        onChange={(label) => change({ label })}
      />{' '}
      on the shelf, with article number{' '}
      <InlineText
        label="Article number (SKU)"
        maxLength={40}
        placeholder="none"
        value={content.sku}
        onChange={(sku) => change({ sku })}
      />
      .
    </div>
  )
}
