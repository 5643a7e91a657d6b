import type { CoverColor } from '../core/content/course.ts'
import { classes } from './classes.ts'
import { COVER_CLASS } from './coverColor.ts'
import { pictureAddress } from './pictures.ts'

interface BumpBoxProps {
  title: string
  text: string
  /** The words beside the tick. */
  tick: string
  /** Its whole price in words; null: not known yet. */
  price: string | null
  /** What it costs in the shop, where that is more, in words. */
  inShop: string | null
  /** The tax inside, in words; null where there is none. */
  tax?: string | null
  coverId: string | null
  coverColor: CoverColor
  isTicked: boolean
  /** Absent where it only shows how it looks. */
  toggle?: (isTicked: boolean) => void
  isDisabled?: boolean
  /** What its buyer should know before it is ticked. */
  warning?: string | null
}

/** Something that can be ticked to be ordered too: what it is, what it costs now and later, and its tick. */
export function BumpBox(props: BumpBoxProps) {
  const {
    title,
    text,
    tick,
    price,
    inShop,
    tax,
    coverId,
    coverColor,
    isTicked,
    toggle,
    isDisabled = false,
    warning,
  } = props
  return (
    <label
      className={classes(
        'mt-2 grid cursor-pointer grid-cols-[20px_64px_minmax(0,1fr)] gap-x-3 rounded-[7px] border border-dashed border-leaf px-3 py-2.5 max-sm:grid-cols-[20px_minmax(0,1fr)]',
        isTicked ? 'bg-acorn-soft' : 'bg-sheet',
      )}
    >
      <input
        type="checkbox"
        checked={isTicked}
        disabled={isDisabled}
        readOnly={toggle === undefined}
        onChange={(event) => toggle?.(event.target.checked)}
        className="mt-1 size-4 accent-leaf"
      />
      <span className={classes('h-12 overflow-hidden rounded-[5px] max-sm:hidden', COVER_CLASS[coverColor])}>
        {coverId && <img src={pictureAddress(coverId, 320)} alt="" className="size-full object-cover" />}
      </span>
      <span className="min-w-0">
        <span className="flex flex-wrap items-baseline justify-between gap-x-3">
          <b className="font-semibold">{tick}</b>
          <b className="font-semibold">{price}</b>
        </span>
        <span className="mt-0.5 block text-[13.5px] text-ink-2">
          {tick.includes(title) ? '' : `${title}. `}
          {text}
          {inShop && <span className="text-ink-3"> {inShop}</span>}
          {tax && <span className="text-ink-3"> {tax}</span>}
        </span>
        {warning && <span className="mt-1 block rounded-field bg-late-soft px-2 py-1 text-[13px]">{warning}</span>}
      </span>
    </label>
  )
}
