import type { Audience } from '../../core/content/offer.ts'
import { Pick, TakeOut } from './InlineFields.tsx'
import { Add, Additions } from './TermsBench.tsx'

interface AudienceBenchProps {
  audience: Audience
  /** What can be held: every course and bundle but the offer's own. */
  products: readonly { id: string; kind: 'course' | 'bundle'; title: string }[]
  onChange: (audience: Audience) => void
}

/** Who may buy, as a sentence. */
export function AudienceBench({ audience, products, onChange }: AudienceBenchProps) {
  const choose = (who: Audience['who']) => {
    if (who === 'holders') onChange({ who, of: products[0] ? [products[0].id] : [] })
    else onChange({ who })
  }
  return (
    <div id="offer-audience" className="pt-[5px] text-[16.5px] leading-[2.1]">
      <Pick
        label="Who may buy"
        value={audience.who}
        options={[
          ['everyone', 'Everyone'],
          ['holders', 'For members of'],
          ['link', 'Only people with the link'],
          ['added', 'Nobody alone'],
        ]}
        onChange={choose}
      />
      {audience.who === 'everyone' && ' who opens the course page or the direct link.'}
      {audience.who === 'link' && ' below. It is listed nowhere.'}
      {audience.who === 'added' && '. It can only be added to an order, as an order bump of a checkout page.'}
      {audience.who === 'holders' && (
        <Holders of={audience.of} products={products} onChange={(of) => onChange({ who: 'holders', of })} />
      )}
    </div>
  )
}

interface HoldersProps {
  of: readonly string[]
  products: AudienceBenchProps['products']
  onChange: (of: string[]) => void
}

function Holders({ of, products, onChange }: HoldersProps) {
  const left = products.filter(({ id }) => !of.includes(id))
  if (products.length === 0) return ' another course or bundle: there is none yet.'
  return (
    <>
      {of.map((id, index) => (
        <span key={id}>
          {index > 0 && ' or'}{' '}
          <Pick
            label={index === 0 ? 'Course or bundle they need' : `Course or bundle they need, choice ${index + 1}`}
            value={id}
            options={products
              .filter((product) => product.id === id || !of.includes(product.id))
              .map(({ id: product, kind, title }) => [product, title || `Untitled ${kind}`] as const)}
            onChange={(chosen) => onChange(of.map((known) => (known === id ? chosen : known)))}
          />
          {of.length > 1 && (
            <TakeOut
              label={`Remove choice ${index + 1}`}
              onClick={() => onChange(of.filter((known) => known !== id))}
            />
          )}
        </span>
      ))}
      . Others see it with what they need.
      <Additions>
        {left[0] && (
          <Add onClick={() => onChange([...of, (left[0] as { id: string }).id])}>Or another course or bundle</Add>
        )}
      </Additions>
    </>
  )
}
