import type { ReactNode } from 'react'
import type { ShownSale } from '../core/content/shownSale.ts'
import { formatMoney, type MoneyFormat } from '../core/money/format.ts'
import { formatEnrolButton, formatLater, formatWholePrice, type OfferInWords } from '../core/sentence/sentence.ts'
import { formatList } from '../core/sentence/words.ts'
import { CARD } from '../core/words/en/card.ts'
import { say } from '../core/words/message.ts'
import { buttonClass } from './Button.tsx'

interface OfferCardProps {
  name: string
  button: string
  /** Null while the price is not written yet. */
  priced: OfferInWords | null
  /** The creator's suggestion among the offers of its course. */
  highlighted: boolean
  /** A few lines under the price. */
  lines: string[]
  sale: ShownSale | null
  /** Titles of what must be held to buy it; none where everyone may. */
  needs: string[]
  /** Where the button leads; null where it is only shown, as in the studio, or where something needed is not held. */
  href: string | null
  /** Said instead of the button. */
  instead?: ReactNode
  /** Stands below the button. */
  beside?: ReactNode
}

/** The word beside the offer that the creator suggests. */
export function Suggestion() {
  return (
    <span className="ml-2 rounded-full border border-leaf px-1.5 text-[11.5px] font-semibold whitespace-nowrap text-leaf">
      {CARD.suggestion}
    </span>
  )
}

/** One offer as buyers see it: on the course page, and beside the creator who edits it. */
export function OfferCard(props: OfferCardProps) {
  const { name, button, priced, highlighted, lines, sale, needs, href, instead, beside } = props
  const label = priced ? formatEnrolButton(priced, button, needs.length > 0) : button || CARD.enrol
  const looks = buttonClass('press', 'block w-full text-center')
  return (
    <div
      className={`rounded-lg border bg-sheet ${highlighted ? 'border-leaf' : 'border-line'} px-3.5 py-3 shadow-[0_1px_0_var(--color-line-2)]`}
    >
      <div className="flex flex-wrap items-baseline justify-between gap-x-3">
        <b className="min-w-0 font-semibold">
          {name || CARD.untitled}
          {highlighted && <Suggestion />}
        </b>
        <span className="display ml-auto text-right text-[17px] leading-snug font-semibold">
          {priced && sale?.of === '' && <Struck sale={sale} money={priced.money} />}
          {priced ? formatWholePrice(priced) : '–'}
        </span>
      </div>
      <p className="mt-0.5 text-[13px] text-ink-3">{priced ? formatLater(priced) : CARD.noPrice}</p>
      {priced && sale && <SaleLine sale={sale} money={priced.money} />}
      {needs.length > 0 && (
        <p className="mt-1 text-[13px]">{say(CARD.forMembers, { courses: formatList(needs, 'or') })}</p>
      )}
      {lines.length > 0 && (
        <ul className="mt-1.5 text-[13.5px]">
          {lines.map((line, index) => (
            <li key={`${index}-${line}`}>{line}</li>
          ))}
        </ul>
      )}
      <div className="mt-2.5" />
      {instead ??
        (href ? (
          <a href={href} className={looks}>
            {label}
          </a>
        ) : (
          <div className={looks}>{label}</div>
        ))}
      {!instead && beside}
    </div>
  )
}

/** The earlier price, struck out; said in words to who cannot see the line. */
export function Struck({ sale, money }: { sale: ShownSale; money: MoneyFormat }) {
  if (sale.earlier === null) return null
  return (
    <>
      <span className="sr-only">{CARD.struck}</span>
      <s className="mr-1.5 font-normal text-ink-3">{formatMoney(sale.earlier, money)}</s>
      <span className="sr-only">{CARD.now}</span>
    </>
  )
}

const OF = { 'in all': CARD.saleInAll, each: CARD.saleEach, 'first payment': CARD.saleFirst }

/** Until when a sale runs and what it is held against. */
export function SaleLine({ sale, money }: { sale: ShownSale; money: MoneyFormat }) {
  return (
    <p className="mt-1 text-[13px] text-ink-2">
      {sale.of !== '' && (
        <>
          <Struck sale={sale} money={money} />
          <b className="font-semibold">{say(OF[sale.of], { money: formatMoney(sale.now, money) })}</b>
          {'. '}
        </>
      )}
      {sale.says}
    </p>
  )
}
