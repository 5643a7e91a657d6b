import type { ReactNode } from 'react'
import type { CoverColor } from '../core/content/course.ts'
import { classes } from './classes.ts'
import { COVER_CLASS } from './coverColor.ts'
import { pictureAddress } from './pictures.ts'
import { Stitches } from './Stitches.tsx'

interface UpsellBoxProps {
  title: string
  text: string
  coverId: string | null
  coverColor: CoverColor
  /** Its whole price in words; null: not known yet. */
  price: string | null
  /** The price without a code of the order before it. */
  before?: string | null
  /** What it costs in the shop, where that is more, in words. */
  inShop: string | null
  /** What its buyer should know before. */
  warning?: string | null
  /** Stands below the price. */
  note?: ReactNode
  /** Narrow, as a preview. */
  isSmall?: boolean
}

/** What is offered after the payment: its picture, its words, its price. */
export function UpsellBox(props: UpsellBoxProps) {
  const { title, text, coverId, coverColor, price, before = null, inShop, warning, note, isSmall = false } = props
  return (
    <div className={classes('grid gap-x-6 gap-y-3', !isSmall && 'sm:grid-cols-[230px_minmax(0,1fr)]')}>
      <div
        className={classes(
          'relative overflow-hidden rounded-lg',
          isSmall ? 'h-[88px]' : 'h-[172px]',
          COVER_CLASS[coverColor],
        )}
      >
        {coverId ? (
          <img src={pictureAddress(coverId, 320)} alt="" className="size-full object-cover" />
        ) : (
          <Stitches
            className={classes(
              'absolute text-[#f4f8ea] opacity-60',
              isSmall ? 'top-2 left-3 w-[120px]' : 'top-9 left-5 w-[190px]',
            )}
          />
        )}
      </div>
      <div className="min-w-0">
        <h3 className={isSmall ? 'text-[17px]' : 'text-[28px]'}>{title}</h3>
        <p className="mt-1 text-ink-2">{text}</p>
        <p className="mt-2 font-semibold">
          {before && <s className="mr-2 font-normal text-ink-3">{before}</s>}
          {price}
          {inShop && <span className="ml-2 font-normal text-ink-2">{inShop}</span>}
        </p>
        {warning && <p className="mt-1.5 rounded-field bg-late-soft px-3 py-2 text-[13.5px]">{warning}</p>}
        {note}
      </div>
    </div>
  )
}
