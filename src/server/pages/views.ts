import type { PageFacts } from '../../core/checkoutPages/facts.ts'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import type { CoverColor } from '../../core/content/course.ts'
import type { ShownSale } from '../../core/content/shownSale.ts'
import type { Look } from '../../core/look/look.ts'
import type { Quote } from '../../core/quote/types.ts'
import type { Opening } from '../../core/sentence/openings.ts'
import type { Access, TaxMode, Terms } from '../../core/terms/terms.ts'
import type { BasketView } from '../baskets/shown.ts'
import type { ProductCard } from '../catalogue/cards.ts'
import type { AdditionView } from '../checkout/additions.ts'
import type { Needs } from '../checkout/audience.ts'
import type { HeldView } from '../checkout/beside.ts'
import type { BasketAnswer } from '../checkout/pageQuote.ts'
import type { PlanView } from '../collecting/view.ts'
import type { Mode } from '../db/schema/columns.ts'
import type { PaymentMethod } from '../gateways/shownMethods.ts'
import type { Awaited, WaitingOrder } from '../orders/awaited.ts'
import type { OrderAmounts } from '../orders/bought.ts'
import type { PaymentReceipt } from '../orders/paymentReceipt.ts'
import type { PlanShown } from '../orders/plans.ts'

/** What a page of the shop is made of. The server puts it into the page; no further request is needed. */
export interface ShopPage {
  school: {
    name: string
    currency: string
    language: string
    leaveOutZeros: boolean
    taxMode: TaxMode
    taxRate: number
    look: Look
    /** There are terms of sale, at `/terms`. */
    hasTerms: boolean
  }
  mode: Mode
  /** How many things are in the visitor's basket; null where the shop has none. */
  basket: number | null
  /** Said on the page: only the creator sees this mode at the moment, strangers see the other one. */
  isOwnView: boolean
  visitor: { name: string; email: string } | null
  view: ShopView
}

export type ShopView =
  | SchoolView
  | CourseView
  | BundleView
  | CheckoutView
  | UpsellView
  | BasketView
  | ThanksView
  | ReceiptView
  | MyView
  | PlanView
  | LearnView
  | SignInView
  | PasswordView
  | EmailView
  | NoticeView

export type ShopViewName = ShopView['name']

export interface ShopOffer {
  id: string
  name: string
  button: string
  terms: Terms
  access: Access
  /** When its courses open. */
  opening: Opening
  highlighted: boolean
  quote: Quote
  /** The whole price in few words. */
  price: string
  /** What is paid today, named where it is no regular payment. */
  today: { name: string | null; pay: number }[]
  /** Basis points: the offer's own, or the school's. */
  taxRate: number
  /** A few lines under the price. */
  lines: string[]
  sale: ShownSale | null
  needs: Needs | null
  /** The courses and bundles as whose member its buyer has access; null where it hangs on none. */
  membersOf: string[] | null
}

export interface SchoolView {
  name: 'school'
  /** Empty: made from the school's name. */
  headline: string
  intro: string
  /** What is on sale, in the creator's sections; without a title what is in none. */
  sections: { id: string; title: string; products: ShopProduct[] }[]
  /** What was searched for, and what can be: absent where there is little. */
  finding: Finding | null
}

/** A product on the shop's front. */
export interface ShopProduct extends ProductCard {
  /** What it costs, whole, in words, and what else there is to say of that. */
  price: string
  note: string | null
  /** Until when a sale of it runs, in words; null where none does. */
  sale: string | null
  /** Its own, or those of a bundle's courses. */
  colors: CoverColor[]
}

/** What the shop's front is narrowed to, and the sections that can be chosen. */
export interface Finding {
  search: string
  section: string
  price: '' | 'free' | 'paid'
  sections: { id: string; title: string }[]
}

export interface CourseView {
  name: 'course'
  course: ProductCard & { description: string; lessons: string[] }
  offers: ShopOffer[]
  /** The visitor has it; `opensOn`: from that day on. */
  isOwned: boolean
  opensOn: string | null
}

export interface BundleView {
  name: 'bundle'
  bundle: ProductCard & { description: string; includesAll: boolean }
  /**
   * Its courses in their order, what each costs alone, in words (null where it is not sold so), and the day on which it
   * opens for everybody (null where it is open).
   */
  courses: (ProductCard & { price: string | null; isOwned: boolean; opensOn: string | null })[]
  offers: ShopOffer[]
  /** What its courses cost one by one, and what it saves, in words; null where that cannot be said truly. */
  saving: string | null
  /** The visitor has every course of it. */
  isOwned: boolean
}

/** What can be ticked on a checkout page to be ordered too. */
export interface BumpView extends AdditionView {
  /** The words beside the tick. */
  tick: string
}

/** What is offered after the payment, before the thanks page. */
export interface UpsellView {
  name: 'upsell'
  /** The order that it follows: what was paid for it today, or is to be transferred. */
  order: { id: string; number: number; pay: number; isPaid: boolean; titles: string[] }
  email: string
  /** By the codes of that order, where they go on. */
  offered: AdditionView
  /** The whole price without those codes, in words; null where it is the same. */
  before: string | null
  /** Until when it is offered, by the school's clock: `HH:MM`. */
  until: string
  /** What one press charges, in words; null: the buyer gives something to pay with. */
  savedMethod: string | null
  /** The payment methods that can collect it. */
  paymentMethods: PaymentMethod[]
  /** An order of it that is being paid. */
  pending: string | null
  /** Why the last try was declined; null where there was none. */
  declined: string | null
}

export interface CheckoutView {
  name: 'checkout'
  /** By which its requests name the page: its product's address, or the basket's. */
  slug: string
  /** Of a basket: all of it is on this page, and the rest of this is only its first thing. */
  isBasket: boolean
  /** What stands above: the product's title, or that it is a basket. */
  heading: string
  product: ProductCard
  /** What is ordered besides the first thing of a basket; empty otherwise. */
  also: (AdditionView & { chosen: number | null })[]
  /** What a buyer should know of a basket before paying. */
  warnings: string[]
  /** The price that the buyer named in the basket for its first thing, in minor units; null: what is suggested. */
  chosenPrice: number | null
  /** What the buyer gets: the titles of a course's lessons, or of a bundle's courses. */
  gets: string[]
  /** What a bundle saves, in words; null where it saves nothing, or is a course. */
  saving: string | null
  offers: ShopOffer[]
  bumps: BumpView[]
  /** More is offered after the payment, for which the method is saved where it can be. */
  hasUpsells: boolean
  chosen: string
  /** The offer that the address names, if any. */
  linked: string | null
  /** The codes that the address carries. */
  codes: string[]
  paymentMethods: PaymentMethod[]
  isOwned: boolean
  /** Null where the visitor has nothing of it, or cannot be known. */
  held: HeldView | null
  /** An order of this browser whose payment is under way. */
  pending: string | null
  /** What the address said of the visitor: filled into the form, where nothing better is known. */
  prefill: { name: string; email: string }
  /** Where the visitor came from, as the address said; empty: it said nothing. */
  from: string
  /** What the page came with for its codes; null where it has none, or the browser has to ask. */
  answered: BasketAnswer | null
  /** The reason for which a try was declined; null where none was, or not on this page. */
  declined: string | null
  /** What stands around the form; left out of what the browser takes over. */
  page: { shaped: ShapedPage; facts: PageFacts }
}

/**
 * A checkout page on the bench, in one state: what it shows and the markup of its form, and what buyers find instead. A
 * page on which nothing can be ordered yet has no form, and can be shaped all the same.
 */
export interface PageOnBench {
  notice: NoticeView | null
  page: { facts: PageFacts; form: string | null } | null
  /** Something can be ordered on it: what it sells is live, and on sale. */
  isSelling: boolean
}

/** A checkout page as far as it is shown. */
export type ShapedPage = Pick<PageContent, 'parts' | 'formSide' | 'color' | 'search'>

/** One thing of an order. */
export interface Bought {
  product: ProductCard
  /** The courses that it opens, in their order. */
  courses: { title: string; slug: string; opens: string; closes: string | null; isOpen: boolean }[]
  offer: string
  opens: string
  /** The day on which it closes; null for good, or while it is paid. */
  closes: string | null
  isOpen: boolean
  /** The titles of the membership that it lasts as long as; null where it hangs on none. */
  membership: string[] | null
  /** The money came when the access had ended already. */
  hasEnded: boolean
  /** Another order had opened it before the money came, so that this one opens nothing. */
  isPaidTwice: boolean
}

export interface ThanksView extends OrderAmounts {
  name: 'thanks'
  order: { id: string; number: number; state: 'paid' | 'open' | 'paying'; method: string | null; paidOn: string | null }
  /** The payment that is awaited, and for a bank transfer how to make it. */
  awaited: Awaited | null
  /** What the order holds, line by line; at least one. */
  bought: Bought[]
  /** Where it is. */
  path: string
  /** The payments that were received for it, each with its own receipt. */
  payments: { id: string; amount: number; day: string }[]
  email: string
  needsPassword: boolean
  /** Where the receipt is as a PDF; null before it is paid. */
  receiptPdf: string | null
  /** What is in the basket still, from which the order was placed; its titles. */
  stillInBasket: string[]
  /** What was taken after it, each an order of its own; `isPaid` false: it waits for its money. */
  followers: { id: string; number: number; title: string; pay: number; isPaid: boolean; course: string | null }[]
}

/** The receipt of one payment. */
export interface ReceiptView {
  name: 'receipt'
  receipt: PaymentReceipt
  /** Where its order is. */
  order: string
}

export interface MyView {
  name: 'my'
  /** Orders that wait for their money, the newest first. */
  waiting: WaitingOrder[]
  /** Paid orders, the newest first, with their receipts. */
  orders: { id: string; number: number; course: string; paidOn: string }[]
  plans: PlanShown[]
  courses: (ProductCard & {
    lessons: number
    state: 'open' | 'opens-later' | 'closed' | 'no-grant'
    opens: string | null
    closes: string | null
    /** The agreement that shut it and opens it again when it is paid. */
    owes: string | null
    /** Of a subscription that goes on: the day until which it is paid, and on which it renews. */
    renews: string | null
    /** Open, and shut by the next payment if that is not paid. */
    hangsOnPayments: boolean
  })[]
}

export interface LearnView {
  name: 'learn'
  course: ProductCard & { description: string }
  closes: string | null
  /** Of a subscription that goes on: the day until which it is paid, and on which it renews. */
  renews: string | null
  lessons: { id: string; title: string }[]
  /** The lesson that is open, if any: its HTML is clean. */
  lesson: { id: string; title: string; body: string } | null
}

export interface SignInView {
  name: 'sign-in'
  /** Where to go after it, a path of our own. */
  goTo: string
  email: string
  /** What was bought in this browser, and can be opened once signed in. */
  titles: string[]
}

export interface PasswordView {
  name: 'password'
  token: string
  /** Null where the link was used or has ended. */
  email: string | null
}

/** Where a buyer confirms a new address. */
export interface EmailView {
  name: 'email'
  token: string
  /** Null where the link was used or has ended. */
  email: string | null
}

/** A page that says why something is not here, and what to do. */
export interface NoticeView {
  name: 'notice'
  status: number
  title: string
  text: string
  actions: { label: string; href: string }[]
}
