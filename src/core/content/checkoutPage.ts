import * as v from 'valibot'
import { inOrder } from '../checkoutPages/arrange.ts'
import { isUndescribed } from '../checkoutPages/facts.ts'
import { emptyPart, MAX_PARTS, mayStand, onlyOnce, type PagePart, partSchema, shotsOf } from '../checkoutPages/parts.ts'
import { COVER_COLORS } from './course.ts'

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

/** The parts of a page that nobody has shaped. */
const EVERYDAY_PARTS: readonly PagePart[] = [emptyPart('opening', 'opening'), emptyPart('lessons', 'lessons')]

/** From when on a page sells nothing any more, and where it leads then. */
const endSchema = v.object({
  /** ISO 8601. */
  at: v.pipe(v.string(), v.isoTimestamp('Write a moment like 2027-03-04T10:00:00.000Z.')),
  /** Another page, by its id; null: it says that it is over. */
  leadsTo: v.nullable(id),
})

const partsSchema = v.pipe(
  v.array(partSchema),
  v.maxLength(MAX_PARTS, `A page has at most ${MAX_PARTS} parts besides the form.`),
  v.check(
    (parts) => new Set(parts.map(({ id: own }) => own)).size === parts.length,
    'Two parts of a page have the same id.',
  ),
  v.check((parts) => parts.every(({ kind, place }) => mayStand(kind, place)), 'A part cannot stand at this place.'),
  v.check((parts) => onlyOnce(parts), 'Opening, logo, price table and countdown are on a page once at most.'),
  v.transform((parts) => inOrder(parts)),
)

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
  /** What its creator calls it; empty: by what it sells. */
  name: v.optional(v.pipe(v.string(), v.maxLength(80, 'Use at most 80 characters.')), ''),
  /** What stands around the order form, in the order of their places. */
  parts: v.optional(partsSchema, () => [...EVERYDAY_PARTS]),
  /** On which side the form is where there is room for two. */
  formSide: v.optional(v.picklist(['left', 'right']), 'left'),
  /** Its own colour; null: the product's. */
  color: v.optional(v.nullable(v.picklist(COVER_COLORS)), null),
  /** A code that is applied by itself; empty: none. */
  code: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(40, 'Use at most 40 characters.')), ''),
  /** null: it stays. */
  ends: v.optional(v.nullable(endSchema), null),
  /** What search engines and shared links show; empty: made from the page. */
  search: v.optional(
    v.object({
      title: v.pipe(v.string(), v.maxLength(70, 'Use at most 70 characters.')),
      description: v.pipe(v.string(), v.maxLength(200, 'Use at most 200 characters.')),
      /** Whether search engines may list it. */
      isListed: v.boolean(),
      /** The picture of a shared link; null: it is drawn from title, price and colour. */
      pictureId: v.optional(v.nullable(id), null),
    }),
    { title: '', description: '', isListed: true, pictureId: null },
  ),
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
  name: '',
  parts: [...EVERYDAY_PARTS],
  formSide: 'left',
  color: null,
  code: '',
  ends: null,
  search: { title: '', description: '', isListed: true, pictureId: null },
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

/** What a page is held against before it is published. */
export interface PageSurroundings {
  /** What it sells; null of the page at which a basket is paid. */
  productId: string | null
  /** What could be added to an order. */
  offers: readonly AddedOffer[]
  /** Whether the page's code exists, where it has one. */
  isCodeKnown?: boolean
  /** Ids of other pages to which it can lead. */
  pages?: readonly string[]
  /** The moment at which it is asked (ISO 8601). */
  at?: string
}

/** Everything that stops a page of a product from being published, in the order of its fields. */
export function pageProblems(
  page: PageContent,
  { productId, offers, isCodeKnown = true, pages, at: now }: PageSurroundings,
): PageProblem[] {
  const { bumps, upsells } = page
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
      // Ticked together they would be two offers of one product in one order. An upsell may come back to it for less.
      const isOfSame = (other: Addition) => offers.find(({ id }) => id === other.offerId)?.productId === offer.productId
      if (field === 'bumps' && additions.findIndex(isOfSame) < index) {
        return [{ at, why: `${capital(called)} offers the same course or bundle as another one.` }]
      }
      return []
    })
  return [
    ...ofAdditions(bumps, 'bumps'),
    ...ofAdditions(upsells, 'upsells'),
    ...pathProblems(upsells),
    ...partProblems(page.parts),
    ...(isCodeKnown ? [] : [{ at: '/code', why: `There is no published code “${page.code}”.` }]),
    ...endProblems(page, pages, now),
  ]
}

/** A picture that nobody described, and a part whose picture is missing though it is meant to have one. */
function partProblems(parts: readonly PagePart[]): PageProblem[] {
  return parts.flatMap((part, index) => [
    ...(part.kind === 'opening' && part.behind === 'picture' && part.picture === null
      ? [{ at: `/parts/${index}/picture`, why: 'The opening has no picture yet. Choose one, or a colour behind it.' }]
      : []),
    ...shotsOf(part)
      .filter(({ shot }) => isUndescribed(shot))
      .map(({ at }) => ({
        at: `/parts/${index}/${at}`,
        why: 'Describe the picture for people who cannot see it, or mark it as decoration.',
      })),
  ])
}

function endProblems({ ends }: PageContent, pages: readonly string[] = [], now?: string): PageProblem[] {
  if (!ends) return []
  if (now !== undefined && Date.parse(ends.at) <= Date.parse(now)) {
    return [{ at: '/ends/at', why: 'The page would end in the past. Choose a later moment, or remove the end.' }]
  }
  return ends.leadsTo !== null && !pages.includes(ends.leadsTo)
    ? [{ at: '/ends/leadsTo', why: 'The page to which it leads afterwards is not published any more.' }]
    : []
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

/** Whether a page has ended at a moment (ISO 8601). */
export function isOver({ ends }: PageContent, at: string): boolean {
  return ends !== null && Date.parse(ends.at) <= Date.parse(at)
}
