import * as v from 'valibot'
import type { BasketTerms } from '../../core/content/quoteInput.ts'
import type { Role } from '../../core/quote/types.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import type { DeclineReason } from '../../gateways/contract.ts'
import type { LivePage } from '../catalogue/pages.ts'
import type { SellableLine } from '../catalogue/sellable.ts'
import type { Payment, SavedMethod } from '../charging/paymentMethods.ts'
import type { FoundCode } from '../coupons/codes.ts'
import type { Mode } from '../db/schema/columns.ts'
import type { orders } from '../db/schema/index.ts'
import type { ClientAddress } from '../http/clientAddress.ts'
import { amountSchema } from '../http/numbers.ts'
import type { KeyedRequest } from '../platform/context.ts'
import { emailSchema, type School } from '../school/service.ts'
import type { Person } from '../session/sessions.ts'
import type { Quoted } from './quoteBasket.ts'

/** As many things as fit into one order. */
const MAX_LINES = 50
/** As many codes as are tried for one (pricing rules, section 6). */
const MAX_CODES = 20

/** Of where a buyer came from so many characters are kept. */
export const MAX_CAME_FROM = 100

export const placeSchema = v.object({
  /** What is bought: offers, each with the buyer's own price where they name it. */
  lines: v.pipe(
    v.array(
      v.object({
        offerId: v.pipe(v.string(), v.uuid(REFUSED.methodMissing)),
        chosen: v.nullable(amountSchema(0, REFUSED.price, REFUSED.belowZero)),
      }),
    ),
    v.minLength(1, REFUSED.empty),
    v.maxLength(MAX_LINES, say(REFUSED.tooMany, { number: MAX_LINES })),
  ),
  /** The codes that were entered, in their order. */
  codes: v.optional(v.pipe(v.array(v.pipe(v.string(), v.maxLength(60))), v.maxLength(MAX_CODES))),
  name: v.pipe(v.string(), v.trim(), v.nonEmpty(REFUSED.name), v.maxLength(100, REFUSED.nameTooLong)),
  email: emailSchema,
  /** Where the buyer came from, as their link said. */
  from: v.optional(v.pipe(v.string(), v.maxLength(MAX_CAME_FROM))),
  /** The page said that the buyer has the course for a while already. */
  isTold: v.optional(v.boolean()),
  /** What the button said: the order is placed for exactly this, or not at all. */
  agreed: v.object({
    pay: v.pipe(v.number(), v.safeInteger(), v.minValue(0)),
    currency: v.pipe(v.string(), v.maxLength(3)),
  }),
  /** The gateway and its token for what the buyer entered there; null where nothing is due. */
  payment: v.nullable(
    v.object({
      connectionId: v.pipe(v.string(), v.uuid()),
      /** Of the gateway's own fields; empty where it has none. */
      token: v.pipe(v.string(), v.maxLength(200)),
    }),
  ),
})
export type PlaceRequest = v.InferOutput<typeof placeSchema>

/** How an order stands, as the checkout page needs it. */
export type Placed =
  | { state: 'paid'; orderId: string }
  | { state: 'declined'; orderId: string; reason: DeclineReason | 'abandoned' }
  /** The buyer is asked to approve: in a frame, or at the gateway's own page, from where they come back. */
  | { state: 'confirming'; orderId: string; url: string; isElsewhere: boolean; asked: AskedFor }
  /** The buyer has done their part, or does it at their bank; the money comes later. */
  | { state: 'awaiting'; orderId: string }
  /** The outcome is not known yet; ask again. */
  | { state: 'checking'; orderId: string }

/** What the buyer is asked to approve: the sum in minor units, and the offers that it is for. */
export interface AskedFor {
  pay: number
  offers: string[]
}

export interface Shopper {
  mode: Mode
  /** Hash of the browser's own cookie. */
  browserHash: string
  /** Who is signed in. */
  person: Person | null
  /** The signed-in creator, who may try a real purchase. */
  isCreator?: boolean
  /** Where they are; absent where nobody is, as when the demo is loaded. */
  address?: ClientAddress
}

/** One thing of an order that is being placed. */
export interface PlacingLine extends SellableLine {
  role: Role
  chosen: number | null
}

/** What an order follows that takes an upsell. */
export interface Following {
  order: typeof orders.$inferSelect
  /** The step of its page that is answered with yes. */
  upsell: string
  /** What it is quoted by: percent codes of that order go on. */
  terms: BasketTerms
  /** What it is charged to where nothing else is given; null: there is nothing. */
  method: SavedMethod | null
}

/** Everything that an order is placed by. */
export interface Placing {
  school: School
  /** The checkout page that it is placed on; null where there is none. */
  page: LivePage | null
  /** The basket that it is placed from. */
  fromBasketId: string | null
  lines: PlacingLine[]
  request: PlaceRequest
  /** The request with a key by which it is asked for; absent where nobody asked with one. */
  keyed: KeyedRequest | undefined
  /** What was given to pay with, or is used again; null where nothing is due. */
  payment: Payment | null
  shopper: Shopper
  /** The quote's input and answer. */
  quoted: Quoted
  /** Those of the codes that exist. */
  found: FoundCode[]
  /** Payments come after today, so the method is kept. */
  hasLater: boolean
  /** The method saved without a charge, where nothing is due today. */
  savedMethod: SavedMethod | null
  /** The method that was saved before and is charged now; null: what was given is. */
  charged: SavedMethod | null
  /** The method is saved for upsells, if for nothing else. */
  savesForUpsells: boolean
  follows: Following | null
}
