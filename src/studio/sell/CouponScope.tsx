import type { CouponContent } from '../../core/content/coupon.ts'
import { Pick, TakeOut } from './InlineFields.tsx'
import type { BenchCoupon } from './queries.ts'
import { Add } from './TermsBench.tsx'

interface CouponScopeProps {
  content: CouponContent
  coupon: BenchCoupon
  onChange: (appliesTo: CouponContent['appliesTo']) => void
}

/** What can be chosen, by a key: a product with all its offers, or a single offer. */
function choicesOf({ offers }: BenchCoupon): (readonly [string, string])[] {
  const products = [...new Map(offers.map(({ productId, title }) => [productId, title] as const))]
  return products.flatMap(([productId, title]) => {
    const own = offers.filter((offer) => offer.productId === productId)
    const whole = [`product ${productId}`, title] as const
    return own.length < 2
      ? [whole]
      : [whole, ...own.map(({ id, content }) => [`offer ${id}`, `${title}, ${content.name}`] as const)]
  })
}

/** What a coupon is for, inside its sentence: everything, or what is chosen. */
export function CouponScope({ content: { appliesTo }, coupon, onChange }: CouponScopeProps) {
  const choices = choicesOf(coupon)
  const chosen = appliesTo
    ? [...appliesTo.products.map((id) => `product ${id}`), ...appliesTo.offers.map((id) => `offer ${id}`)]
    : []
  const set = (keys: readonly string[]) => {
    const of = (kind: string) =>
      keys.filter((key) => key.startsWith(`${kind} `)).map((key) => key.slice(kind.length + 1))
    onChange({ products: of('product'), offers: of('offer') })
  }
  const left = choices.filter(([key]) => !chosen.includes(key))
  return (
    <>
      <Pick
        label="Of what"
        value={appliesTo === null ? 'all' : 'some'}
        options={[
          ['all', 'every offer'],
          ['some', 'only'],
        ]}
        onChange={(what) => (what === 'all' ? onChange(null) : set(left[0] ? [left[0][0]] : []))}
      />
      {chosen.map((key, index) => (
        <span key={key}>
          {index > 0 && ' or'}{' '}
          <Pick
            label={index === 0 ? 'What it is for' : `What it is for, choice ${index + 1}`}
            value={key}
            options={[
              ...(choices.some(([other]) => other === key) ? [] : [[key, 'something that is not on sale'] as const]),
              ...choices.filter(([other]) => other === key || !chosen.includes(other)),
            ]}
            onChange={(next) => set(chosen.map((known) => (known === key ? next : known)))}
          />
          {chosen.length > 1 && (
            <TakeOut
              label={`Remove choice ${index + 1}`}
              onClick={() => set(chosen.filter((known) => known !== key))}
            />
          )}
        </span>
      ))}
      {appliesTo !== null && left[0] && (
        <span className="ml-2 text-[13.5px]">
          <Add onClick={() => set([...chosen, (left[0] as readonly [string, string])[0]])}>or another</Add>
        </span>
      )}
    </>
  )
}
