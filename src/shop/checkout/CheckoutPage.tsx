import { BASKET } from '../../core/words/en/basket.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import type { CheckoutView, ShopPage } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { CoverHead } from '../catalogue/CoverHead.tsx'
import { Part } from '../Part.tsx'
import { CheckoutForm } from './CheckoutForm.tsx'
import { FORM_BOX, Held } from './formBox.tsx'

/** One calm page: what you get, how you pay, who you are, your card, what happens when. */
export default function CheckoutPage({ page, view }: { page: ShopPage; view: CheckoutView }) {
  return (
    <>
      <CoverHead course={{ ...view.product, title: view.heading }} school={page.school.name} under />
      <main className="relative mx-auto -mt-[46px] grid w-[1080px] max-w-[calc(100%-32px)] grid-cols-1 items-start gap-x-[52px] gap-y-2 md:grid-cols-[minmax(0,600px)_minmax(0,1fr)]">
        {view.isOwned ? (
          <OwnedCourse view={view} />
        ) : (
          <Part name="checkout" of={CheckoutForm} page={page} view={view} />
        )}
        <WhatYouGet view={view} />
      </main>
    </>
  )
}

function OwnedCourse({ view: { product, held } }: { view: CheckoutView }) {
  return (
    <div className={FORM_BOX}>
      <h2 className="text-[19px]">{product.kind === 'course' ? CHECKOUT.owned : CHECKOUT.ownedBundle}</h2>
      {held && <Held held={held} />}
      <a href={product.kind === 'course' ? `/learn/${product.slug}` : '/my'} className={buttonClass('press')}>
        {product.kind === 'course' ? CHECKOUT.open : CHECKOUT.toMyCourses}
      </a>
    </div>
  )
}

function WhatYouGet({ view: { product, gets, saving, isBasket } }: { view: CheckoutView }) {
  return (
    <aside className="pt-5 md:pt-[66px]">
      <h2 className="mb-1.5 text-[17px]">{isBasket ? BASKET.get : CHECKOUT.get}</h2>
      <ul>
        {gets.map((title, index) => (
          <li
            key={`${index}-${title}`}
            className="relative border-b border-line py-2 pl-6 before:absolute before:top-[17px] before:left-0.5 before:h-[2.5px] before:w-3 before:bg-leaf"
          >
            {title}
          </li>
        ))}
      </ul>
      {gets.length === 0 && <p className="text-ink-2">{CHECKOUT.noLessons}</p>}
      {saving && <p className="mt-3 font-semibold">{saving}</p>}
      <p className="mt-4 text-[13.5px] text-ink-2">
        <a className="link" href={isBasket ? '/basket' : `/${product.kind}/${product.slug}`}>
          {isBasket ? BASKET.back : product.kind === 'course' ? CHECKOUT.about : CHECKOUT.aboutBundle}
        </a>
      </p>
    </aside>
  )
}
