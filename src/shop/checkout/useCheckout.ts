import { type RefObject, useEffect, useRef, useState } from 'react'
import { formatMoney, formatPlain } from '../../core/money/format.ts'
import { readMoney } from '../../core/money/parse.ts'
import { toCollect, whyNot } from '../../core/paymentMethods/collects.ts'
import { hasLater } from '../../core/quote/later.ts'
import { joinQuotes } from '../../core/quote/sums.ts'
import { taxOf } from '../../core/quote/tax.ts'
import type { Quote } from '../../core/quote/types.ts'
import type { OpenPriceTerms } from '../../core/terms/terms.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { PAYING } from '../../core/words/en/paying.ts'
import { say } from '../../core/words/message.ts'
import type { CheckoutView, PaymentMethod, Placed, ShopPage } from '../../server/client.ts'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { Once } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { keepBasket, keptBasket } from './basket.ts'
import { formatDeclined } from './declined.ts'
import { type Tokenised, tokenise } from './GatewayFields.ts'
import { ASK_AGAIN_MS, askOrder, type Phase } from './phase.ts'
import { type Answer, OWN_PRICE, useServerQuote } from './useServerQuote.ts'

export interface FieldErrors {
  chosen?: string | undefined
  name?: string | undefined
  email?: string | undefined
}

/** The price that a buyer names. */
interface OwnPrice {
  /** What is paid for it, tax included; of a price that cannot be read, nothing is known. */
  amount: number | null
  pay: number | null
  why?: string
}

/** The price that the buyer names: as typed, or the suggested one before they type. */
function ownPriceOf(typed: string | null, terms: OpenPriceTerms, rate: number, { school }: ShopPage): OwnPrice {
  const read = typed === null ? ({ ok: true, amount: terms.suggested } as const) : readMoney(typed, school)
  if (!read.ok) return { amount: null, pay: null, why: read.why }
  const { pay } = taxOf(read.amount, { mode: school.taxMode, rate })
  const why =
    read.amount < terms.minimum ? say(CHECKOUT.minimum, { money: formatMoney(terms.minimum, school) }) : undefined
  return why ? { amount: read.amount, pay, why } : { amount: read.amount, pay }
}

/** The same once the server has said what it comes to, or what is wrong with it. */
function saidOf(estimate: OwnPrice, answer: Answer, extrasPay: number): OwnPrice {
  if ('quote' in answer) return { ...estimate, pay: answer.quote.today.pay - extrasPay }
  return answer.of === 'price' ? { ...estimate, why: answer.why } : estimate
}

/** From which price on somebody can be paid at all. */
function formatTooSmall(paymentMethods: readonly PaymentMethod[], { school }: ShopPage): string | undefined {
  const least = paymentMethods.map(({ can }) => can.smallest[school.currency] ?? 1)
  return least.length === 0 ? undefined : say(CHECKOUT.minimum, { money: formatMoney(Math.min(...least), school) })
}

/** All that happens between the first look at a checkout page and the thanks. */
export function useCheckout(page: ShopPage, first: CheckoutView, frame: RefObject<HTMLIFrameElement | null>) {
  const [view, setView] = useState(first)
  const [chosenId, setChosenId] = useState(first.chosen)
  const [name, setName] = useState(page.visitor?.name ?? first.prefill.name)
  const [email, setEmail] = useState(page.visitor?.email ?? first.prefill.email)
  const [errors, setErrors] = useState<FieldErrors>({})
  const [message, setMessage] = useState(first.declined === null ? null : formatDeclined(first.declined))
  const [phase, setPhase] = useState<Phase>(first.pending ? { kind: 'checking' } : { kind: 'idle' })
  // Set at once, so that two clicks in one instant are still one.
  const isBusy = useRef(false)
  const offer = view.offers.find(({ id }) => id === chosenId) ?? view.offers[0]
  const [ownPrice, setOwnPrice] = useState<string | null>(
    first.chosenPrice === null ? null : formatPlain(first.chosenPrice, page.school),
  )
  const estimate = offer?.terms.kind === 'openPrice' ? ownPriceOf(ownPrice, offer.terms, offer.taxRate, page) : null
  const [codes, setCodes] = useState(first.codes)
  const [tickedIds, setTickedIds] = useState<readonly string[]>([])
  // What no payment method can collect together with the offer is not shown, and counts for nothing while it is not.
  const bumps = offer ? view.bumps.filter((bump) => canBeTogether(view, [offer, ...view.also, bump], page)) : []
  const ticked = bumps.filter(({ id }) => tickedIds.includes(id))
  // All that is ordered besides the first thing: the rest of a basket, and what is ticked.
  const extras = [...view.also, ...ticked.map((bump) => ({ ...bump, chosen: null }))]
  const together = offer ? joinQuotes([offer, ...extras].map(({ quote: one }) => one)) : null
  const extrasPay = extras.reduce((sum, { quote: one }) => sum + one.today.pay, 0)
  const [round, setRound] = useState(0)
  const isPriceAsked = estimate !== null && ownPrice !== null && !estimate.why
  const answer = useServerQuote(view.slug, {
    lines: [
      { offerId: chosenId, chosen: estimate && !estimate.why ? estimate.amount : null },
      ...extras.map(({ offerId, chosen }) => ({ offerId, chosen })),
    ],
    codes,
    isNeeded: isPriceAsked || ((codes.length > 0 || extras.length > 0) && !estimate?.why),
    round,
    first: first.answered,
  })
  const isAsking = codes.length > 0 && answer === null && !estimate?.why
  const answered = answer && 'quote' in answer ? answer.quote : null
  // While codes are asked about, the page stays as it was by the last answer for this offer.
  const basket = [chosenId, ...extras.map(({ id }) => id)].join()
  const last = useRef<{ basket: string; quote: Quote } | null>(null)
  if (answered) last.current = { basket, quote: answered }
  const quote = answered ?? (isAsking && last.current?.basket === basket ? last.current.quote : null)
  const read = estimate && answer ? saidOf(estimate, answer, extrasPay) : estimate
  // While their price cannot be read the page stays as it was by the last one that could.
  const isPaidLater = together ? hasLater(quote ?? together) : false
  const lastPay = useRef(offer?.quote.today.pay ?? 0)
  const ownPay = read?.pay ?? lastPay.current
  if (read) lastPay.current = ownPay
  const pay = read ? ownPay + extrasPay : ((quote ?? together)?.today.pay ?? 0)
  const [paymentMethodId, setPaymentMethodId] = useState<string | null>(null)
  const linked = first.linked
  const hasRead = useRef(false)
  const [downIds, setDownIds] = useState(() =>
    first.paymentMethods.filter(({ isDown }) => isDown).map((paymentMethod) => paymentMethod.connectionId),
  )
  const paymentMethods = together
    ? paymentMethodsFor(view.paymentMethods, quote ?? together, pay, page).map((paymentMethod) => ({
        ...paymentMethod,
        isDown: isIn(downIds, paymentMethod),
      }))
    : []
  const paymentMethod =
    paymentMethods.find(({ connectionId }) => connectionId === paymentMethodId) ??
    paymentMethods.find(({ isDown }) => !isDown) ??
    paymentMethods[0]
  // A price that no payment method takes is said at its field; what was entered for the card stays meanwhile.
  const own =
    read && !read.why && pay > 0 && !paymentMethod ? { ...read, why: formatTooSmall(view.paymentMethods, page) } : read
  const lastPaymentMethod = useRef(paymentMethod)
  lastPaymentMethod.current = paymentMethod ?? lastPaymentMethod.current

  const leadOn = async (placed: Placed, cameBack = false): Promise<void> => {
    switch (placed.state) {
      case 'paid':
        location.replace(`/next/${placed.orderId}`)
        return
      case 'confirming':
        if (!placed.isElsewhere) return setPhase({ kind: 'confirming', orderId: placed.orderId, url: placed.url })
        if (cameBack) {
          isBusy.current = false
          return setPhase({ kind: 'elsewhere', url: placed.url })
        }
        location.assign(placed.url)
        return
      case 'awaiting':
        location.replace(`/next/${placed.orderId}`)
        return
      case 'checking':
        setPhase({ kind: 'checking' })
        await new Promise((resolve) => setTimeout(resolve, ASK_AGAIN_MS))
        return leadOn(await askOrder(placed.orderId), cameBack)
      case 'declined':
        isBusy.current = false
        setMessage(formatDeclined(placed.reason))
        setPhase({ kind: 'idle' })
    }
  }

  const fail = async (error: unknown) => {
    isBusy.current = false
    setPhase({ kind: 'idle' })
    if (!(error instanceof ApiError)) throw error
    setErrors({ name: error.at('/name'), email: error.at('/email'), chosen: error.at(OWN_PRICE) })
    if (error.problem.code === 'gateway-down' && paymentMethod) setDownIds([...downIds, paymentMethod.connectionId])
    // What its codes come to now is asked for once more.
    if (codes.length > 0) setRound((before) => before + 1)
    else if (error.problem.code === 'price-changed' || error.problem.code === 'method-not-offered')
      return showWhatChanged()
    // What stands at a field is said there; anything else here.
    const isAtField = ['/name', '/email', OWN_PRICE].some((pointer) => error.at(pointer))
    setMessage(isAtField ? null : error.message)
  }

  const showWhatChanged = async () => {
    const fresh = await unwrap(
      api.checkout[':slug'].$get({ param: { slug: view.slug }, query: { offer: chosenId, ...keptApart() } }),
    )
    if (fresh.name !== 'checkout') return location.reload()
    setView(fresh)
    const now = fresh.offers.find(({ id }) => id === chosenId)?.quote.today.pay
    setOwnPrice(null)
    setMessage(now === undefined ? CHECKOUT.gone : say(CHECKOUT.changed, { money: formatMoney(now, page.school) }))
  }

  const place = async () => {
    const missing: FieldErrors = {
      name: name.trim() ? undefined : CHECKOUT.nameMissing,
      email: email.trim() ? undefined : CHECKOUT.emailMissing,
      chosen: own?.why,
    }
    setErrors(missing)
    setMessage(null)
    if (missing.name || missing.email || missing.chosen || !offer || isBusy.current) return
    // What is agreed to is what the server said of the codes.
    if (isAsking) return
    isBusy.current = true
    setPhase({ kind: 'sending' })
    try {
      let payment: { connectionId: string; token: string } | null = null
      if ((pay > 0 || isPaidLater) && paymentMethod) {
        const card = await tokenOf(paymentMethod)
        if (!card.ok) {
          isBusy.current = false
          setPhase({ kind: 'idle' })
          if (card.isDown) setDownIds([...downIds, paymentMethod.connectionId])
          setMessage(
            say(card.isDown && paymentMethods.length > 1 ? CHECKOUT.notChargedOther : PAYING.notCharged, {
              why: card.why,
            }),
          )
          return
        }
        payment = { connectionId: paymentMethod.connectionId, token: card.token }
      }
      const request = {
        lines: [
          { offerId: offer.id, chosen: own?.amount ?? null },
          ...extras.map(({ offerId, chosen }) => ({ offerId, chosen })),
        ],
        ...(codes.length > 0 ? { codes } : {}),
        name,
        email,
        ...(first.from ? { from: first.from } : {}),
        agreed: { pay, currency: page.school.currency },
        payment,
        isTold: view.held !== null || view.isBasket,
      }
      const param = { slug: view.slug }
      await leadOn(await new Once().send((header) => api.checkout[':slug'].$post({ param, json: request, header })))
    } catch (error) {
      await (error instanceof ApiError && error.problem.status === 0 ? recover() : fail(error))
    }
  }

  /** What stands for the buyer's method: of the gateway's fields a token, of another payment method nothing yet. */
  const tokenOf = async ({ style }: PaymentMethod): Promise<Tokenised> => {
    if (style !== 'embedded') return { ok: true, token: '' }
    if (!frame.current) return { ok: false, why: PAYING.notLoaded }
    return tokenise(frame.current)
  }

  /** The answer to our request was lost: the page is loaded anew, and finds out by itself. */
  const recover = async () => {
    setMessage(CHECKOUT.lost)
    setPhase({ kind: 'checking' })
    await new Promise((resolve) => setTimeout(resolve, 2 * ASK_AGAIN_MS))
    const fresh = await unwrap(
      api.checkout[':slug'].$get({ param: { slug: view.slug }, query: { offer: chosenId, ...keptApart() } }),
    ).catch(() => null)
    if (!fresh) return recover()
    if (fresh.name !== 'checkout' || fresh.isOwned) return location.reload()
    if (fresh.pending) return leadOn(await askOrder(fresh.pending))
    isBusy.current = false
    setPhase({ kind: 'idle' })
    setMessage(CHECKOUT.lostBefore)
  }

  const confirmed = async (orderId: string) => {
    setPhase({ kind: 'checking' })
    await leadOn(await askOrder(orderId))
  }

  const walkAway = () => {
    isBusy.current = false
    setPhase({ kind: 'idle' })
    setMessage(formatDeclined('abandoned'))
  }

  // Kept as it is typed and chosen, once what was kept before has been read.
  useEffect(() => {
    if (!hasRead.current) return
    keepBasket(view.slug, {
      name,
      email,
      linked,
      offerId: chosenId,
      ownPrice,
      connectionId: paymentMethodId,
      codes,
      ticked: tickedIds,
    })
  }, [view.slug, name, email, linked, chosenId, ownPrice, paymentMethodId, codes, tickedIds])

  // A payment of this browser that was under way when the page was loaded.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, for the page as it was loaded
  useEffect(() => {
    const basket = keptBasket(view.slug)
    if (!page.visitor) {
      setName((typed) => typed || basket.name || '')
      setEmail((typed) => typed || basket.email || '')
    }
    // A link names an offer once; after that, what the buyer chose counts.
    if (basket.linked === linked && view.offers.some(({ id }) => id === basket.offerId)) {
      if (basket.offerId) setChosenId(basket.offerId)
      if (basket.ownPrice != null) setOwnPrice(basket.ownPrice)
      if (basket.connectionId) setPaymentMethodId(basket.connectionId)
    }
    // Codes of a link come before those that were entered here.
    const entered = basket.codes ?? []
    if (entered.length > 0) {
      setCodes((linkedCodes) => [...linkedCodes, ...entered.filter((code) => !linkedCodes.includes(code))])
    }
    setTickedIds(basket.ticked ?? [])
    hasRead.current = true
    forgetBack()
    if (!first.pending) return
    isBusy.current = true
    askOrder(first.pending).then((placed) => leadOn(placed, true), fail)
  }, [])

  return {
    view,
    offer,
    pay,
    /** What the server said of a basket that was typed; null while it has not. */
    quote,
    /** What can be ticked, and what is. */
    bumps,
    ticked,
    extras,
    tick: (id: string, isTicked: boolean) =>
      setTickedIds((before) => [...before.filter((other) => other !== id), ...(isTicked ? [id] : [])]),
    /** What the basket comes to without a code, as far as it is known here. */
    together,
    /** Payment methods that cannot collect all of it, and what it is that each cannot. */
    missingMethods: offer ? missingFor(view, [offer, ...extras], paymentMethods, page) : [],
    /** Whether payments come after today, with what the codes take off. */
    hasLater: isPaidLater,
    codes,
    setCodes,
    isAsking,
    /** What the server said of the codes; null while it has not. */
    saidOfCodes: answer && 'quote' in answer ? answer.codes : null,
    codeProblem: answer && 'why' in answer && answer.of === 'codes' ? answer.why : undefined,
    /** Why their own price cannot be paid: it cannot be read, or is too low. */
    priceProblem: own?.why,
    ownPrice,
    setOwnPrice,
    chosenId,
    setChosenId,
    name,
    setName,
    email,
    setEmail,
    errors,
    message,
    phase,
    place,
    confirmed,
    walkAway,
    paymentMethods,
    paymentMethod,
    /** The payment method whose fields stand there, also while a price is typed that it does not take. */
    shownPaymentMethod: paymentMethod ?? (own ? lastPaymentMethod.current : undefined),
    setPaymentMethodId,
    /** Leaves what was begun elsewhere; another order of it closes that first. */
    payAnotherWay: () => setPhase({ kind: 'idle' }),
  }
}

/** A payment method that collects some of what is ordered, and the things that it cannot. */
export interface MissingMethod {
  method: string
  /** By their places among the lines: the first is 0. */
  without: number[]
}

/** Methods that could collect a part: of a thing alone, or of what would be left without the ones that it cannot. */
function missingFor(
  view: CheckoutView,
  lines: readonly { quote: Quote }[],
  able: readonly PaymentMethod[],
  page: ShopPage,
): MissingMethod[] {
  return view.paymentMethods.flatMap((method) => {
    if (able.some(({ connectionId }) => connectionId === method.connectionId)) return []
    const without = lines.flatMap(({ quote }, index) =>
      paymentMethodsFor([method], quote, quote.today.pay, page).length > 0 ? [] : [index],
    )
    return without.length < lines.length ? [{ method: method.method, without }] : []
  })
}

/** Whether any payment method can collect several offers in one order. */
function canBeTogether(view: CheckoutView, offers: readonly { quote: Quote }[], page: ShopPage): boolean {
  const quote = joinQuotes(offers.map((one) => one.quote))
  const { pay } = quote.today
  const isFree = pay === 0 && !hasLater(quote)
  return isFree || paymentMethodsFor(view.paymentMethods, quote, pay, page).length > 0
}

/** The payment methods that can collect an offer, in the creator's order. */
function paymentMethodsFor(
  paymentMethods: readonly PaymentMethod[],
  quote: Quote,
  pay: number,
  { school }: ShopPage,
): PaymentMethod[] {
  const need = toCollect(quote, school.currency, pay)
  return paymentMethods.filter(({ can }) => whyNot(can, need) === null)
}

function isIn(ids: readonly string[], { connectionId }: PaymentMethod): boolean {
  return ids.includes(connectionId)
}

/** What of a basket is paid for apart, as the page's address says. */
function keptApart(): { without?: string } {
  const without = new URLSearchParams(location.search).get('without')
  return without ? { without } : {}
}

/** A page that is loaded anew has not come back from anywhere. */
export function forgetBack() {
  const url = new URL(location.href)
  if (!url.searchParams.has('back')) return
  url.searchParams.delete('back')
  history.replaceState(history.state, '', url)
}
