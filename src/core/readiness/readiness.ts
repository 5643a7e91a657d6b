import type { Day } from '../calendar/day.ts'
import { formatDay } from '../calendar/formatDay.ts'
import { dayIn, parseInstant } from '../calendar/instant.ts'
import { accessProblem } from '../content/endsOn.ts'
import { isSame } from '../content/isSame.ts'
import { type OfferContent, quotableSale, quotableTerms, saleSpanProblem } from '../content/offer.ts'
import { nameOfTerms, namesOtherTerms } from '../content/offerName.ts'
import { formatMoney, type MoneyFormat } from '../money/format.ts'
import {
  type CollectingMethod,
  formatWhyNot,
  type ToCollect,
  takesCurrency,
  type WhyNot,
  whyNot,
} from '../paymentMethods/collects.ts'
import { lineHasLater } from '../quote/later.ts'
import type { OfferInWords } from '../sentence/sentence.ts'
import { formatList } from '../sentence/words.ts'

/** Where the button beside an obstacle leads. */
export interface Fix {
  to:
    | 'price'
    | 'sale'
    | 'access'
    | 'audience'
    | 'name'
    /** Its name becomes what its price says. */
    | 'rename'
    | 'publish'
    | 'put-on-sale'
    | 'open-product'
    | 'open-offer'
    | 'courses'
    | 'add-lesson'
    | 'name-lesson'
    | 'bring-back'
    | 'gateways'
    /** The field whose text cannot be read. */
    | 'unread'
  label: string
}

/** Something that stands in the way of a sale, or deserves a look (`warning`). */
export interface Obstacle {
  code: string
  level: 'block' | 'warning'
  /** Publishing is refused while this holds. */
  stopsPublishing: boolean
  title: string
  detail: string
  fix: Fix
}

export interface OfferSituation {
  draft: OfferContent
  live: OfferContent | null
  onSale: boolean
  /**
   * The product. `holds`: number of lessons or courses; `days`: opening days of its courses; `problems`: why a bundle that
   * is still a draft cannot be published, in sentences.
   */
  product: {
    kind: 'course' | 'bundle'
    live: boolean
    retired: boolean
    holds: number
    days: readonly (Day | null)[]
    problems: readonly string[]
  }
  mode: 'practice' | 'live'
  paymentMethods: readonly CollectingMethod[]
  /** Every gateway that could be connected. */
  known: readonly CollectingMethod[]
  /** What there is to say about the draft; null while it cannot be quoted. */
  said: OfferInWords | null
  /** Now, as an RFC 3339 instant. */
  at: string
  /** The school's zone, by which days begin. */
  timeZone: string
  /** Names of the other offers of the same product. */
  otherNames: readonly string[]
  /** The one-time price of the same product, where it has one. */
  oneTimeOffer: number | null
  /** The courses whose holders alone may buy. */
  holdersOf: readonly { title: string; isSold: boolean }[]
  /** Whether the running sale has an earlier price to be struck; null where none runs. */
  hasEarlierPrice: boolean | null
}

/** Everything between an offer and its first sale, the hardest first. */
export function obstaclesOf(situation: OfferSituation, format: MoneyFormat): Obstacle[] {
  return [
    ...missingParts(situation, format),
    ...whatIsLive(situation, format),
    ...collecting(situation, format),
    ...notYetLive(situation),
    ...worthALook(situation, format),
  ]
}

function missingParts({ draft, at, timeZone, product }: OfferSituation, { language }: MoneyFormat): Obstacle[] {
  const found: Obstacle[] = []
  const instant = parseInstant(at)
  const today = instant && dayIn(timeZone, instant)
  if (!quotableTerms(draft.terms)) {
    const isDeposit = draft.terms.kind === 'installments' && draft.terms.deposit === 0
    found.push(
      isDeposit
        ? block(
            'no-price',
            'The deposit has no amount yet.',
            'Write it, or remove the deposit.',
            { to: 'price', label: 'Write it' },
            true,
          )
        : block(
            'no-price',
            'It has no price yet.',
            'Write one, or choose Free.',
            { to: 'price', label: 'Write it' },
            true,
          ),
    )
  }
  if (draft.terms.kind === 'openPrice' && (draft.terms.suggested ?? 0) < (draft.terms.minimum ?? 0)) {
    found.push(
      block(
        'suggested-low',
        'The suggested price is below the minimum.',
        'Raise it, or lower the minimum.',
        { to: 'price', label: 'Change it' },
        true,
      ),
    )
  }
  if (draft.sale && !quotableSale(draft.sale, draft.terms)) {
    found.push(
      block(
        'sale-not-lower',
        'The sale price does not fit.',
        'Write one that is lower than the regular price.',
        { to: 'sale', label: 'Change it' },
        true,
      ),
    )
  }
  const span = draft.sale && saleSpanProblem(draft.sale)
  if (span) {
    found.push(
      block('sale-span', span, 'Choose a later end, or an earlier start.', { to: 'sale', label: 'Change it' }, true),
    )
  }
  const problem = today ? accessProblem(draft.access, today, product.days) : null
  if (problem) {
    found.push(
      block(
        'access-ended',
        problem.code === 'ended'
          ? `Access ended on ${formatDay(problem.until, language)}: nobody can buy it any more.`
          : `Access would end on ${formatDay(problem.until, language)}, before it opens on ${formatDay(problem.opens, language)}.`,
        'Choose a later day, or let it stay open.',
        { to: 'access', label: 'Change it' },
        true,
      ),
    )
  }
  if (draft.audience.who === 'holders' && draft.audience.of.length === 0) {
    found.push(
      block(
        'no-holders',
        'No course is chosen for its members.',
        'Choose the course that its buyers must have.',
        { to: 'audience', label: 'Choose' },
        true,
      ),
    )
  }
  if (!draft.name.trim()) {
    found.push(
      block('no-name', 'It has no name.', 'Buyers see it beside the price.', { to: 'name', label: 'Name it' }, true),
    )
  }
  return found
}

/** " – Thistle Card is one that can", or nothing where no gateway could. */
function formatWhich(
  known: readonly CollectingMethod[],
  could: (paymentMethod: CollectingMethod) => boolean,
  what: string,
): string {
  const names = known.filter(could).map(({ name }) => name)
  if (names.length === 0) return ''
  return names.length === 1 ? `; ${names[0]} ${what}` : `; ${formatList(names)} ${what}`
}

function collecting(situation: OfferSituation, format: MoneyFormat): Obstacle[] {
  const { draft, paymentMethods, mode, said } = situation
  if (draft.terms.kind === 'free') return []
  const fix: Fix = { to: 'gateways', label: 'Connect' }
  const { currency } = format
  const canTake = (paymentMethod: CollectingMethod) => {
    const need = said ? needOf(said, currency) : null
    return need ? whyNot(paymentMethod, need) === null : takesCurrency(paymentMethod, currency)
  }
  if (paymentMethods.length === 0) {
    return [
      block(
        'no-gateway',
        `No gateway that can take money is connected in ${modeName(mode)}.`,
        `Connect a gateway${formatWhich(situation.known, canTake, 'can take it')}.`,
        fix,
      ),
    ]
  }
  const takes = paymentMethods.filter((paymentMethod) => takesCurrency(paymentMethod, currency))
  if (takes.length === 0) {
    return [
      block(
        'no-currency',
        `No connected gateway takes ${currency}.`,
        `Connected: ${paymentMethods.map((paymentMethod) => paymentMethod.name).join(', ')}${formatWhich(situation.known, (paymentMethod) => takesCurrency(paymentMethod, currency), `can take ${currency}`)}.`,
        fix,
      ),
    ]
  }
  if (!said) return []
  const need = needOf(said, currency)
  const reasons = takes.map((paymentMethod) => ({ paymentMethod, why: whyNot(paymentMethod, need) }))
  if (reasons.some(({ why }) => why === null)) return []
  const allAre = (...codes: WhyNot[]) => reasons.every(({ why }) => why !== null && codes.includes(why))
  const names = takes.map((paymentMethod) => paymentMethod.name).join(', ')
  const others = formatWhich(situation.known, (paymentMethod) => whyNot(paymentMethod, need) === null, 'can')
  if (allAre('no-later')) {
    const title = `No gateway connected in ${modeName(mode)} can collect later payments.`
    return [block('no-later', title, `Connected: ${names}${others}.`, fix)]
  }
  if (allAre('too-small')) {
    const least = Math.min(...takes.map((paymentMethod) => paymentMethod.smallest[currency] ?? 1))
    return [
      block(
        'too-small',
        `No connected gateway takes less than ${formatMoney(least, format)}.`,
        'Raise the smallest payment, or make it free.',
        { to: 'price', label: 'Change it' },
      ),
    ]
  }
  const why = reasons.map(
    (reason) => `${reason.paymentMethod.name} ${formatWhyNot(reason.why as WhyNot, reason.paymentMethod, format)}`,
  )
  const title = `No gateway connected in ${modeName(mode)} can collect all of its payments.`
  return [block('cannot-collect', title, `${why.join('; ')}${others}.`, fix)]
}

/** What an offer asks of whoever collects it. */
export function needOf({ line, purchaseDay }: OfferInWords, currency: string): ToCollect {
  const sum = (list: typeof line.payments) => list.reduce((all, { pay }) => all + pay, 0)
  const later = line.payments.filter(({ due }) => due > purchaseDay)
  return {
    currency,
    today: sum(line.payments.filter(({ due }) => due === purchaseDay)),
    later: later.map(({ pay }) => pay),
    hasLaterPayments: lineHasLater(line, purchaseDay),
  }
}

/** What buyers are shown may have ended though the draft says otherwise. */
function whatIsLive(
  { live, draft, at, timeZone, onSale, product }: OfferSituation,
  { language }: MoneyFormat,
): Obstacle[] {
  const instant = parseInstant(at)
  if (!live || !onSale || !instant || isSame(live.access, draft.access)) return []
  const problem = accessProblem(live.access, dayIn(timeZone, instant), product.days)
  if (!problem) return []
  const title = `The published offer ended on ${formatDay(problem.until, language)}, so the shop no longer lists it.`
  return [block('live-ended', title, 'Publish the draft to sell it again.', { to: 'publish', label: 'Publish' })]
}

function notYetLive({ live, draft, onSale, product }: OfferSituation): Obstacle[] {
  const found: Obstacle[] = []
  if (product.retired) {
    found.push(
      block('product-retired', `The ${product.kind} is retired.`, `Retired ${product.kind}s are not sold.`, {
        to: 'open-product',
        label: 'Open it',
      }),
    )
  } else if (product.problems.length > 0) {
    for (const [index, problem] of product.problems.entries()) {
      const fix: Fix = { to: 'courses', label: 'Go there' }
      found.push(block(`product-problem ${index}`, problem, 'The offer is published with its bundle.', fix, true))
    }
  } else if (!product.live) {
    const then = `Publishing this offer publishes the ${product.kind} with it.`
    found.push(
      block('product-draft', `The ${product.kind} is not published yet.`, then, { to: 'publish', label: 'Publish' }),
    )
  }
  if (!live) {
    found.push(
      block('never-published', 'This offer is a draft.', 'Buyers do not see it until it is published.', {
        to: 'publish',
        label: 'Publish',
      }),
    )
  } else if (!onSale) {
    found.push(
      block('off-sale', 'Taken off sale.', 'Buyers who open its link are told.', {
        to: 'put-on-sale',
        label: 'Put on sale',
      }),
    )
  }
  if (live && !isSame(live, draft)) {
    found.push(
      warning('unpublished', 'Changes not published: buyers still see the published version.', {
        to: 'publish',
        label: 'Review',
      }),
    )
  }
  return found
}

function worthALook(situation: OfferSituation, format: MoneyFormat): Obstacle[] {
  const { product, otherNames, draft, said, at } = situation
  const found: Obstacle[] = [...beside(situation, format)]
  if (product.holds === 0) {
    const title =
      product.kind === 'course'
        ? 'The course has no lessons: buyers would find it empty.'
        : 'The bundle has no courses: it cannot be published.'
    found.push(warning('holds-nothing', title, { to: 'open-product', label: 'Add one' }))
  }
  if (draft.name.trim() && otherNames.some((name) => name.trim() === draft.name.trim())) {
    found.push(
      warning('same-name', `Another offer of this ${product.kind} has the same name.`, { to: 'name', label: 'Rename' }),
    )
  }
  if (namesOtherTerms(draft.name, draft.terms)) {
    const name = nameOfTerms(draft.terms)
    const title = `Its name “${draft.name.trim()}” says something else than its price.`
    found.push(warning('name-of-other-price', title, { to: 'rename', label: `Name it “${name}”` }))
  }
  const { sale, access } = draft
  // One that ends before it begins is refused already, and needs no second word.
  if (sale?.until && !saleSpanProblem(sale) && Date.parse(sale.until) <= Date.parse(at)) {
    found.push(warning('sale-over', 'The sale is over: buyers pay the full price.', { to: 'sale', label: 'Look' }))
  } else if (sale?.from && Date.parse(sale.from) > Date.parse(at)) {
    found.push(
      warning('sale-later', 'The sale has not begun: buyers pay the full price.', { to: 'sale', label: 'Look' }),
    )
  }
  const last = said?.line.payments.at(-1)
  if (said?.line.closes && access.lasts !== 'whilePaying' && last && said.line.closes <= last.due) {
    found.push(warning('closes-early', 'Access ends before the last payment.', { to: 'access', label: 'Change it' }))
  }
  if (access.lasts === 'whilePaying' && access.graceDays === 0) {
    found.push(
      warning(
        'no-grace',
        'There are no grace days: if a payment fails, access is paused at once, before the first retry.',
        {
          to: 'access',
          label: 'Add some',
        },
      ),
    )
  }
  return found
}

/** From how far above the one-time price installments deserve a look, in per cent. */
const FAR_ABOVE = 25

/** What does not fit with other things on sale. */
function beside(
  { draft, said, oneTimeOffer, holdersOf, hasEarlierPrice }: OfferSituation,
  format: MoneyFormat,
): Obstacle[] {
  const found: Obstacle[] = []
  const all = said?.line.payments.reduce((sum, { pay }) => sum + pay, 0) ?? 0
  if (said && draft.terms.kind === 'installments' && oneTimeOffer !== null && oneTimeOffer > 0) {
    const difference = formatMoney(Math.abs(all - oneTimeOffer), format)
    const change: Fix = { to: 'price', label: 'Change it' }
    if (all < oneTimeOffer) {
      found.push(
        warning(
          'below-at-once',
          `In installments it costs ${difference} less than the one-time price, so paying at once costs more.`,
          change,
        ),
      )
    } else if ((all - oneTimeOffer) * 100 > oneTimeOffer * FAR_ABOVE) {
      found.push(
        warning(
          'far-above-at-once',
          `In installments it costs ${difference} more than the one-time price; that is over ${FAR_ABOVE} %.`,
          change,
        ),
      )
    }
  }
  const notSold = holdersOf.filter(({ isSold }) => !isSold)
  if (draft.audience.who === 'holders' && notSold.length > 0) {
    found.push(
      warning(
        'holders-not-sold',
        `${formatList(notSold.map(({ title }) => title))} ${notSold.length === 1 ? 'is' : 'are'} not on sale, so nobody new can get ${notSold.length === 1 ? 'it' : 'them'}.`,
        { to: 'audience', label: 'Look' },
      ),
    )
  }
  if (hasEarlierPrice === false) {
    found.push(
      warning(
        'no-earlier-price',
        'No earlier price is shown struck through: no higher price was published in the 30 days before the sale.',
        { to: 'sale', label: 'Look' },
      ),
    )
  }
  return found
}

function modeName(mode: 'practice' | 'live') {
  return mode === 'practice' ? 'Practice' : 'Live'
}

function block(code: string, title: string, detail: string, fix: Fix, stopsPublishing = false): Obstacle {
  return { code, level: 'block', stopsPublishing, title, detail, fix }
}

function warning(code: string, title: string, fix: Fix): Obstacle {
  return { code, level: 'warning', stopsPublishing: false, title, detail: '', fix }
}
