import type { ReactNode } from 'react'
import type { Addition } from '../../core/content/checkoutPage.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { formatMoney } from '../../core/money/format.ts'
import { formatWholePrice } from '../../core/sentence/sentence.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { Select } from '../frame/Select.tsx'
import { useSession, useStudioNow } from '../session/session.ts'
import { CoverField } from './CoverField.tsx'
import type { BenchPage } from './queries.ts'

interface AdditionFieldsProps {
  /** What it is called, with its number: "Order bump 1". */
  called: string
  addition: Addition
  page: BenchPage
  /** All of its kind on the page, of which each offers something else. */
  all: readonly Addition[]
  change: (patch: Partial<Addition>) => void
  moveUp?: (() => void) | null
  remove: () => void
  /** What only this kind has. */
  children: ReactNode
}

/** An order bump or an upsell on the bench: what it offers, and its words and picture for this place. */
export function AdditionFields(props: AdditionFieldsProps) {
  const { called, addition, page, all, change, moveUp, remove, children } = props
  const { offerId, title, text, coverId } = addition
  const offer = page.offers.find(({ id }) => id === offerId)
  const taken = all.flatMap((other) => (other.offerId && other.offerId !== offerId ? [other.offerId] : []))
  const choices = page.offers.filter(
    ({ id, productId, namesPrice }) =>
      id === offerId || (!namesPrice && productId !== page.product?.id && !taken.includes(id)),
  )
  const products = [...new Map(choices.map(({ productId, product }) => [productId, product]))]
  const quietly = called.charAt(0).toLowerCase() + called.slice(1)
  return (
    <li className="rounded-lg border border-line px-4 py-3">
      <div className="mb-2 flex items-baseline gap-3">
        <h3 className="text-[15px]">{called}</h3>
        <span className="ml-auto flex gap-3 text-[13px]">
          {moveUp && (
            <Button kind="link" aria-label={`Move ${quietly} up`} onClick={moveUp}>
              Move up
            </Button>
          )}
          <Button kind="link" aria-label={`Remove ${quietly}`} onClick={remove}>
            Remove
          </Button>
        </span>
      </div>
      <div className="grid gap-3">
        <Field label="What it offers">
          {(wiring) => (
            <Select
              wiring={wiring}
              className={BOX_INPUT}
              value={offerId ?? ''}
              options={[['', 'Choose an offer']]}
              groups={products.map(([productId, product]) => ({
                title: product,
                options: choices
                  .filter((choice) => choice.productId === productId)
                  .map(({ id, content }) => [id, `${product}, ${content.name}`] as const),
              }))}
              onChange={(id) => change({ offerId: id === '' ? null : id })}
            />
          )}
        </Field>
        <Field label="Title here">
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={80}
              placeholder={offer?.product ?? ''}
              value={title}
              onChange={(event) => change({ title: event.target.value })}
            />
          )}
        </Field>
        <Field label="Short text here">
          {(wiring) => (
            <textarea
              {...wiring}
              rows={2}
              className={BOX_INPUT}
              maxLength={300}
              placeholder={offer?.summary ?? ''}
              value={text}
              onChange={(event) => change({ text: event.target.value })}
            />
          )}
        </Field>
        {children}
        <div>
          <p className="mb-1 text-[13px] font-semibold">
            Picture here{coverId === null && ', leave empty to use the product’s'}
          </p>
          <CoverField coverId={coverId} onChange={(id) => change({ coverId: id })} />
        </div>
      </div>
    </li>
  )
}

/** What buyers would see of it as it stands on the bench; null while it offers nothing. */
export function useAddition({ offerId, title, text, coverId }: Addition, page: BenchPage) {
  const { school } = useSession()
  const now = useStudioNow()
  const offer = page.offers.find(({ id }) => id === offerId)
  if (!offer) return null
  const said = describeOffer(school, { id: offer.id, courses: [{ id: offer.productId }], content: offer.content }, now)
  const first = said?.quote.lines[0]?.payments.find(({ n }) => n > 0)?.price ?? 0
  const isLess = offer.content.terms.kind === 'single' && offer.inShop !== null && offer.inShop > first
  return {
    title: title || offer.product,
    text: text || offer.summary,
    price: said ? formatWholePrice(said.priced) : null,
    inShop: isLess ? say(CATALOGUE.inShop, { money: formatMoney(offer.inShop ?? 0, school) }) : null,
    coverId: coverId ?? offer.coverId,
    coverColor: offer.coverColor,
  }
}
