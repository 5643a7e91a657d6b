import { type AlonePrice, oneByOne, savingOf } from '../../core/content/bundle.ts'
import { formatMoney, formatRate } from '../../core/money/format.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import { pricesAlone } from '../catalogue/alone.ts'
import { coursesOfProducts, type LineCourse, type SellableProduct } from '../catalogue/sellable.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { ShopOffer } from './views.ts'

/** What there is to say of products that are bundles: the colours of their courses, and what each saves. */
export async function bundledIn({ db, now }: Services, school: School, products: readonly SellableProduct[]) {
  const bundles = products.filter(({ kind }) => kind === 'bundle')
  const at = now()
  const courses = await coursesOfProducts(db, bundles, at)
  const ids = [...new Set([...courses.values()].flat().map(({ id }) => id))]
  const alone = await pricesAlone(db, school, ids, at)
  return (product: SellableProduct, offers: readonly ShopOffer[]) => {
    const held = courses.get(product.id) ?? []
    if (product.kind === 'course') return { held, alone, colors: [product.live.coverColor], saving: null }
    return { held, alone, colors: held.map(({ coverColor }) => coverColor), saving: savingIn(held, alone, offers) }
  }
}

/**
 * What a bundle saves (selling rules, section 4): its first one-time price that everyone may pay, in force, against those
 * of its courses. Null where that is nothing, or cannot be said truly.
 */
function savingIn(
  courses: readonly LineCourse[],
  alone: ReadonlyMap<string, NonNullable<AlonePrice>>,
  offers: readonly ShopOffer[],
) {
  const { sum, isTrue } = oneByOne(courses.map(({ id }) => ({ alone: alone.get(id) ?? null, figure: null })))
  const offer = offers.find(({ terms, needs }) => terms.kind === 'single' && needs === null)
  const price = offer?.quote.lines[0]?.payments.find(({ n }) => n > 0)?.price
  const saving = isTrue && price !== undefined ? savingOf(sum, price) : null
  return saving && { ...saving, sum: sum ?? 0 }
}

/** What a bundle saves, as a sentence. */
export function formatSaving(saving: ReturnType<typeof savingIn>, school: School): string | null {
  if (!saving) return null
  return say(CATALOGUE.saves, {
    sum: formatMoney(saving.sum, school),
    money: formatMoney(saving.amount, school),
    percent: formatRate(saving.percent * 100, school.language),
  })
}
