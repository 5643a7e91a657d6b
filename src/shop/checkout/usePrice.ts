import { useRef, useState } from 'react'
import { hasLater } from '../../core/quote/later.ts'
import { joinQuotes } from '../../core/quote/sums.ts'
import type { Quote } from '../../core/quote/types.ts'
import type { CheckoutView, ShopPage } from '../../server/client.ts'
import { canBeTogether, methodsFor, missingFor } from './methodsFor.ts'
import { formatTooSmall, ownPriceBy, ownPriceOf } from './ownPrice.ts'
import type { Chosen } from './useChosen.ts'
import { useServerQuote } from './useServerQuote.ts'

/** What comes of what was chosen: its lines, what they cost today and later, and the payment methods that collect that. */
export function usePrice({ school }: ShopPage, view: CheckoutView, chosen: Chosen) {
  const { offerId, ownPrice, codes, connectionId } = chosen
  const { currency } = school
  const offer = view.offers.find(({ id }) => id === offerId) ?? view.offers[0]
  const estimate =
    offer?.terms.kind === 'openPrice' ? ownPriceOf(ownPrice, offer.terms, offer.taxRate, { school }) : null

  // What no payment method can collect together with the offer is not shown, and counts for nothing while it is not.
  const bumps = offer
    ? view.bumps.filter((bump) => canBeTogether(view.paymentMethods, [offer, ...view.also, bump], currency))
    : []
  const ticked = bumps.filter(({ id }) => chosen.ticked.includes(id))
  // All that is ordered besides the first thing: the rest of a basket, and what is ticked.
  const extras = [...view.also, ...ticked.map((bump) => ({ ...bump, chosen: null }))]
  const together = offer ? joinQuotes([offer, ...extras].map(({ quote: one }) => one)) : null
  const extrasPay = extras.reduce((sum, { quote: one }) => sum + one.today.pay, 0)

  const [round, setRound] = useState(0)
  const isPriceAsked = estimate !== null && ownPrice !== null && !estimate.why
  const lines = [
    { offerId, chosen: estimate && !estimate.why ? estimate.amount : null },
    ...extras.map((extra) => ({ offerId: extra.offerId, chosen: extra.chosen })),
  ]
  const answer = useServerQuote(view.slug, {
    lines,
    codes,
    isNeeded: isPriceAsked || ((codes.length > 0 || extras.length > 0) && !estimate?.why),
    round,
    first: view.answered,
  })
  const isAsking = codes.length > 0 && answer === null && !estimate?.why
  const answered = answer && 'quote' in answer ? answer.quote : null
  // While codes are asked about, the page stays as it was by the last answer for this offer.
  const basket = [offerId, ...extras.map(({ id }) => id)].join()
  const last = useRef<{ basket: string; quote: Quote } | null>(null)
  if (answered) last.current = { basket, quote: answered }
  const quote = answered ?? (isAsking && last.current?.basket === basket ? last.current.quote : null)

  // While their own price cannot be read the page stays as it was by the last one that could.
  const read = estimate && answer ? ownPriceBy(answer, estimate, extrasPay) : estimate
  const lastPay = useRef(offer?.quote.today.pay ?? 0)
  const ownPay = read?.pay ?? lastPay.current
  if (read) lastPay.current = ownPay
  const pay = read ? ownPay + extrasPay : ((quote ?? together)?.today.pay ?? 0)

  const [downIds, setDownIds] = useState(() =>
    view.paymentMethods.filter(({ isDown }) => isDown).map((method) => method.connectionId),
  )
  const paymentMethods = together
    ? methodsFor(view.paymentMethods, quote ?? together, pay, currency).map((method) => ({
        ...method,
        isDown: downIds.includes(method.connectionId),
      }))
    : []
  const paymentMethod =
    paymentMethods.find((method) => method.connectionId === connectionId) ??
    paymentMethods.find(({ isDown }) => !isDown) ??
    paymentMethods[0]
  const lastPaymentMethod = useRef(paymentMethod)
  lastPaymentMethod.current = paymentMethod ?? lastPaymentMethod.current
  // A price that no payment method takes is said at its field; what was entered for the card stays meanwhile.
  const own =
    read && !read.why && pay > 0 && !paymentMethod
      ? { ...read, why: formatTooSmall(view.paymentMethods, { school }) }
      : read

  return {
    offer,
    /** What can be ticked, and what is. */
    bumps,
    ticked,
    extras,
    /** What the basket comes to without a code, as far as it is known here. */
    together,
    /** What the server said of a basket that was typed; null while it has not. */
    quote,
    /** What is paid today, in minor units. */
    pay,
    /** Whether payments come after today, with what the codes take off. */
    hasLater: together ? hasLater(quote ?? together) : false,
    /** The price that the buyer names; null where they name none. */
    own,
    /** Codes are asked about. */
    isAsking,
    askAgain: () => setRound((before) => before + 1),
    /** What the server said of the codes; null while it has not. */
    saidOfCodes: answer && 'quote' in answer ? answer.codes : null,
    codeProblem: answer && 'why' in answer && answer.of === 'codes' ? answer.why : undefined,
    /** A thing that can no longer be ordered, by its place; null where all can. */
    lineProblem: answer && 'why' in answer && answer.of === 'line' ? answer : null,
    paymentMethods,
    paymentMethod,
    /** The payment method whose fields stand there, also while a price is typed that it does not take. */
    shownPaymentMethod: paymentMethod ?? (own ? lastPaymentMethod.current : undefined),
    /** A payment method does not answer. */
    markDown: (down: string) => setDownIds((before) => [...before, down]),
    /** Payment methods that cannot collect all of it, and what it is that each cannot. */
    missingMethods: offer ? missingFor(view.paymentMethods, [offer, ...extras], paymentMethods, currency) : [],
  }
}

export type Price = ReturnType<typeof usePrice>
