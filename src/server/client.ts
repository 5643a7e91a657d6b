/**
 * All that studio and shop may know of the server: types, for the typed client and for the data
 * inside the shop's pages.
 */
import type { apiRoutes } from './app.ts'

export type Api = ReturnType<typeof apiRoutes>
export type { BasketLineView, BasketView } from './baskets/shown.ts'
export type { ProductCard } from './catalogue/cards.ts'
export type { Needs } from './checkout/audience.ts'
export type { BasketAnswer } from './checkout/pageQuote.ts'
export type { AskedFor, Placed } from './checkout/placing.ts'
export type { PlanView } from './collecting/view.ts'
export type { EnteredCode } from './coupons/sayings.ts'
export type { Mode } from './db/schema/columns.ts'
export type { MessageKind } from './db/schema/messages.ts'
export type { PaymentMethod } from './gateways/shownMethods.ts'
export type { Awaited, TransferView, WaitingOrder } from './orders/awaited.ts'
export type { PlanPayment, PlanShown } from './orders/plans.ts'
export type * from './pages/views.ts'
