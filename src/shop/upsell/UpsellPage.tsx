import { formatMoney } from '../../core/money/format.ts'
import { formatList } from '../../core/sentence/words.ts'
import { UPSELLS } from '../../core/words/en/upsells.ts'
import { say } from '../../core/words/message.ts'
import type { ShopPage, UpsellView } from '../../server/client.ts'
import { classes } from '../../ui/classes.ts'
import { sayWith } from '../../ui/sayWith.ts'
import { FORM_BOX } from '../checkout/formBox.tsx'
import { Part } from '../Part.tsx'
import { UpsellForm } from './UpsellForm.tsx'

/** Between the payment and the thanks page: the thread goes on, with one thing to say yes or no to. */
export default function UpsellPage({ page, view }: { page: ShopPage; view: UpsellView }) {
  const { number, pay, isPaid, titles, id } = view.order
  const values = { money: formatMoney(pay, page.school), number }
  const email = <b className="font-semibold text-ink">{view.email}</b>
  return (
    <main className="mx-auto w-[760px] max-w-[calc(100%-32px)] pt-4 pb-12">
      <div className={classes(FORM_BOX, 'pb-7')}>
        <i
          aria-hidden="true"
          className="absolute top-[30px] bottom-[70px] left-5 border-l-2 border-ink md:left-[30px]"
        />
        <i
          aria-hidden="true"
          className="absolute bottom-[44px] left-5 h-[26px] border-l-2 border-dashed border-line-2 md:left-[30px]"
        />
        <section className="relative pb-5">
          <Knot className="bg-ink" />
          <h1 className="text-[17px]">
            {say(!isPaid ? UPSELLS.ordered : pay > 0 ? UPSELLS.paid : UPSELLS.free, values)}
          </h1>
          <p className="mt-0.5 text-ink-2">
            {isPaid && `${say(UPSELLS.yours, { count: titles.length, courses: formatList(titles) })} `}
            {sayWith(isPaid ? UPSELLS.receipt : UPSELLS.waits, { email })}
          </p>
        </section>
        <section className="relative pb-6">
          <Knot className="bg-acorn" />
          <Part name="upsell" of={UpsellForm} page={page} view={view} />
        </section>
        <p className="relative">
          <Knot className="bg-sheet" />
          <a href={`/thanks/${id}`} className="font-display text-[17px] font-medium text-ink-3 hover:underline">
            {UPSELLS.afterwards}
          </a>
        </p>
      </div>
    </main>
  )
}

/** Where something stands on the thread. */
function Knot({ className }: { className: string }) {
  return (
    <i
      aria-hidden="true"
      className={classes(
        'absolute top-[3px] left-[-29px] size-[17px] rounded-full border-2 border-ink md:left-[-33px]',
        className,
      )}
    />
  )
}
