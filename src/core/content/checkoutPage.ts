import * as v from 'valibot'

const id = v.pipe(v.string(), v.uuid())

/** Most order bumps of one checkout page, and most upsells behind it. */
export const MAX_BUMPS = 3
export const MAX_UPSELLS = 3
/** For so long after the payment upsells are offered (selling rules, section 5). */
export const UPSELL_MINUTES = 30

const name = v.pipe(v.string(), v.minLength(1), v.maxLength(60))
/** What a page offers besides what it sells, with words of its own for that place. */
const addition = {
  /** Names it on its page. */
  id: name,
  /** What it offers; null until it is chosen. */
  offerId: v.nullable(id),
  /** Its title here; empty: the product's own. */
  title: v.pipe(v.string(), v.maxLength(80, 'Use at most 80 characters.')),
  /** A short text for this place; empty: the product's own. */
  text: v.pipe(v.string(), v.maxLength(300, 'Use at most 300 characters.')),
  /** Its picture here; null: the product's own. */
  coverId: v.nullable(id),
}

const bumpSchema = v.object({
  ...addition,
  /** The words beside the tick; empty: made from the title. */
  tick: v.pipe(v.string(), v.maxLength(80, 'Use at most 80 characters.')),
})

/** A step after the payment. What follows it is a step further down, so that no way leads back. */
const upsellSchema = v.object({
  ...addition,
  /** The step after a yes; null: the thanks page. */
  onYes: v.nullable(name),
  /** The step after a no, and where the buyer has it already; null: the thanks page. */
  onNo: v.nullable(name),
})

/** What a checkout page shows. A page that nobody has shaped shows everything, in the product's own order. */
export const pageContentSchema = v.object({
  /** The offers that are shown, in this order; null: all that are on sale, as the product lists them. */
  offers: v.nullable(v.pipe(v.array(id), v.maxLength(50))),
  /** The offer that is chosen beforehand; null: the first that its visitor may buy. */
  chosen: v.nullable(id),
  /** What can be ticked to be ordered too, in this order. */
  bumps: v.pipe(v.array(bumpSchema), v.maxLength(MAX_BUMPS, `A page has at most ${MAX_BUMPS} order bumps.`)),
  /** What is offered after the payment, step by step, beginning with the first. */
  upsells: v.optional(
    v.pipe(v.array(upsellSchema), v.maxLength(MAX_UPSELLS, `A page has at most ${MAX_UPSELLS} upsells.`)),
    [],
  ),
  /** Whether they are offered after an order by bank transfer too, to be paid by another transfer. */
  upsellsByTransfer: v.optional(v.boolean(), false),
})
export type PageContent = v.InferOutput<typeof pageContentSchema>
export type Bump = PageContent['bumps'][number]
export type Upsell = PageContent['upsells'][number]
/** An order bump or an upsell, as far as they are the same. */
export type Addition = Omit<Bump, 'tick'>

/** The everyday page of a product, which nobody has to shape. */
export const EVERYDAY_PAGE: PageContent = {
  offers: null,
  chosen: null,
  bumps: [],
  upsells: [],
  upsellsByTransfer: false,
}

/** What can be chosen for an order bump or an upsell: an offer, and the product that it sells. */
export interface AddedOffer {
  id: string
  productId: string
  /** Published, on sale, and its product too. */
  isOnSale: boolean
  /** Its buyers name the price: there is no place for that beside a tick or a button. */
  namesPrice: boolean
}

/** What stops a page from being published: the field, and a sentence for it. */
export interface PageProblem {
  at: string
  why: string
}

/** Everything that stops a page of a product from being published, in the order of its fields. */
export function pageProblems(
  { bumps, upsells }: PageContent,
  { productId, offers }: { productId: string | null; offers: readonly AddedOffer[] },
): PageProblem[] {
  const ofAdditions = (additions: readonly Addition[], field: 'bumps' | 'upsells') =>
    additions.flatMap(({ offerId }, index): PageProblem[] => {
      const at = `/${field}/${index}/offerId`
      const called = `${field === 'bumps' ? 'order bump' : 'upsell'} ${index + 1}`
      const offer = offers.find((one) => one.id === offerId)
      if (offerId === null) return [{ at, why: `Choose what ${called} offers.` }]
      if (!offer) return [{ at, why: `What ${called} offers does not exist any more.` }]
      if (!offer.isOnSale) return [{ at, why: `What ${called} offers is not on sale.` }]
      if (offer.productId === productId) return [{ at, why: `${capital(called)} offers what the page sells already.` }]
      if (additions.findIndex((other) => other.offerId === offerId) < index) {
        return [{ at, why: `${capital(called)} offers the same as another one.` }]
      }
      return []
    })
  return [...ofAdditions(bumps, 'bumps'), ...ofAdditions(upsells, 'upsells'), ...pathProblems(upsells)]
}

function capital(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1)
}

/** A way that leads back or to nothing, and a step that no way leads to. */
function pathProblems(upsells: readonly Upsell[]): PageProblem[] {
  const places = new Map(upsells.map(({ id: step }, index) => [step, index]))
  const wrong = upsells.flatMap((step, index): PageProblem[] =>
    (['onYes', 'onNo'] as const).flatMap((answer) => {
      const next = step[answer]
      if (next === null || (places.get(next) ?? -1) > index) return []
      return [{ at: `/upsells/${index}/${answer}`, why: `Upsell ${index + 1} can lead on to a later one only.` }]
    }),
  )
  const lost = upsells.flatMap(({ id: step }, index): PageProblem[] =>
    index === 0 || upsells.some(({ onYes, onNo }) => onYes === step || onNo === step)
      ? []
      : [{ at: `/upsells/${index}`, why: `No answer leads to upsell ${index + 1}.` }],
  )
  return [...wrong, ...lost]
}

/** The step that an answer leads to; null: the thanks page. What does not exist, or lies behind, leads there too. */
export function upsellAfter(upsells: readonly Upsell[], from: Upsell, answer: 'yes' | 'no'): Upsell | null {
  const next = answer === 'yes' ? from.onYes : from.onNo
  return upsells.slice(upsells.indexOf(from) + 1).find(({ id: step }) => step === next) ?? null
}

/** One more step at the end: whatever answer led from the last one to the thanks page leads to it. */
export function addUpsell(upsells: readonly Upsell[], step: string): Upsell[] {
  const added = { id: step, offerId: null, title: '', text: '', coverId: null, onYes: null, onNo: null }
  return [
    ...upsells.map((one, index) =>
      index === upsells.length - 1 ? { ...one, onYes: one.onYes ?? step, onNo: one.onNo ?? step } : one,
    ),
    added,
  ]
}

/** Without a step: what led to it leads where its own no leads. */
export function removeUpsell(upsells: readonly Upsell[], step: string): Upsell[] {
  const gone = upsells.find(({ id: other }) => other === step)
  const past = (next: string | null) => (next === step ? (gone?.onNo ?? null) : next)
  return upsells.filter((one) => one !== gone).map((one) => ({ ...one, onYes: past(one.onYes), onNo: past(one.onNo) }))
}

/** The offers of a product as its page shows them; one that was opened by its own link is always among them. */
export function shownOn<T extends { id: string }>(
  { offers: shown }: PageContent,
  offers: readonly T[],
  linked?: string,
): T[] {
  if (shown === null) return [...offers]
  const named = shown.flatMap((name) => offers.find((offer) => offer.id === name) ?? [])
  const own = offers.find((offer) => offer.id === linked)
  return own && !named.includes(own) ? [...named, own] : named
}
