import { CHECKOUT } from '../../core/words/en/checkout.ts'
import type { CheckoutView, ShopPage } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { PageLayout } from '../../ui/checkoutPages/PageLayout.tsx'
import { Part } from '../Part.tsx'
import { CheckoutForm } from './CheckoutForm.tsx'
import { FORM_BOX } from './formBox.tsx'

/** What its creator put around the form, and the form, which alone is taken over in the browser. */
export default function CheckoutPage({ page, view }: { page: ShopPage; view: CheckoutView }) {
  const { shaped, facts } = view.page
  return <PageLayout shaped={shaped} facts={facts} form={<OrderForm page={page} view={view} />} />
}

/** The form at which is ordered, or that it is not needed. */
export function OrderForm({ page, view }: { page: ShopPage; view: CheckoutView }) {
  return view.isOwned ? <OwnedCourse view={view} /> : <Part name="checkout" of={CheckoutForm} page={page} view={view} />
}

function OwnedCourse({ view: { product, held } }: { view: CheckoutView }) {
  return (
    <div className={FORM_BOX}>
      <h2 className="mb-4 text-[19px]">
        {held?.says ?? (product.kind === 'course' ? CHECKOUT.owned : CHECKOUT.ownedBundle)}
      </h2>
      <p className="flex flex-wrap items-baseline gap-x-5 gap-y-2">
        {product.kind === 'course' ? (
          <a href={`/learn/${product.slug}`} className={buttonClass('press')}>
            {CHECKOUT.open}
          </a>
        ) : (
          <a href={held?.href ?? '/my'} className={buttonClass('press')}>
            {held?.label ?? CHECKOUT.toMyCourses}
          </a>
        )}
        {product.kind === 'course' && held && held.href !== '/my' && (
          <a className="link" href={held.href}>
            {held.label}
          </a>
        )}
      </p>
    </div>
  )
}
