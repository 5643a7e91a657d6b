import { type RefObject, useEffect, useRef, useState } from 'react'
import { formatMoney } from '../../core/money/format.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { PAYING } from '../../core/words/en/paying.ts'
import { say } from '../../core/words/message.ts'
import type { AskedFor, CheckoutView, PaymentMethod, Placed, ShopPage } from '../../server/client.ts'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { Once } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { forgetBack } from './back.ts'
import { formatDeclined } from './declined.ts'
import { type Tokenised, tokenise } from './GatewayFields.ts'
import { ASK_AGAIN_MS, askOrder, leaveOrder, type Phase } from './phase.ts'
import type { Chosen } from './useChosen.ts'
import type { Price } from './usePrice.ts'
import { OWN_PRICE } from './useServerQuote.ts'

export interface FieldErrors {
  chosen?: string | undefined
  name?: string | undefined
  email?: string | undefined
}

interface Given {
  page: ShopPage
  view: CheckoutView
  /** Shows the page as it is now. */
  setView: (view: CheckoutView) => void
  chosen: Chosen
  price: Price
  /** The gateway's own fields. */
  frame: RefObject<HTMLIFrameElement | null>
}

/** What happens from the press of the button on: the order is placed, approved, asked after, or declined and tried again. */
export function usePaying({ page, view, setView, chosen, price, frame }: Given) {
  const [errors, setErrors] = useState<FieldErrors>({})
  const [message, setMessage] = useState(view.declined === null ? null : formatDeclined(view.declined))
  const [phase, setPhase] = useState<Phase>(view.pending ? { kind: 'checking' } : { kind: 'idle' })
  // A page that is asked for anew does not know it.
  const [from] = useState(view.from)
  // Set at once, so that two clicks in one instant are still one.
  const isBusy = useRef(false)

  /** The button can be pressed again. */
  const standStill = (says: string | null) => {
    isBusy.current = false
    setPhase({ kind: 'idle' })
    setMessage(says)
  }

  const leadOn = async (placed: Placed, cameBack = false): Promise<void> => {
    switch (placed.state) {
      case 'paid':
        location.replace(`/next/${placed.orderId}`)
        return
      case 'confirming':
        if (!placed.isElsewhere) return setPhase({ kind: 'confirming', orderId: placed.orderId, url: placed.url })
        if (cameBack) {
          isBusy.current = false
          return setPhase({ kind: 'elsewhere', orderId: placed.orderId, url: placed.url })
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
        standStill(formatDeclined(placed.reason))
    }
  }

  const fail = async (error: unknown) => {
    isBusy.current = false
    setPhase({ kind: 'idle' })
    if (!(error instanceof ApiError)) throw error
    const { code } = error.problem
    setErrors({ name: error.at('/name'), email: error.at('/email'), chosen: error.at(OWN_PRICE) })
    if (code === 'gateway-down' && price.paymentMethod) price.markDown(price.paymentMethod.connectionId)
    // What its codes come to now is asked for once more.
    if (chosen.codes.length > 0) price.askAgain()
    else if (code === 'price-changed' || code === 'method-not-offered') return showWhatChanged()
    // What stands at a field is said there; anything else here.
    const isAtField = ['/name', '/email', OWN_PRICE].some((pointer) => error.at(pointer))
    setMessage(isAtField ? null : error.message)
  }

  /** The page as it is now. */
  const loadAnew = () =>
    unwrap(
      api.checkout[':slug'].$get({ param: { slug: view.slug }, query: { offer: chosen.offerId, ...paidForApart() } }),
    )

  const showWhatChanged = async () => {
    const fresh = await loadAnew()
    if (fresh.name !== 'checkout') return location.reload()
    setView(fresh)
    const now = fresh.offers.find(({ id }) => id === chosen.offerId)?.quote.today.pay
    chosen.setOwnPrice(null)
    setMessage(now === undefined ? CHECKOUT.gone : say(CHECKOUT.changed, { money: formatMoney(now, page.school) }))
  }

  const place = async () => {
    const { offer, own, pay, paymentMethod, extras } = price
    const { name, email, codes } = chosen
    const missing: FieldErrors = {
      name: name.trim() ? undefined : CHECKOUT.nameMissing,
      email: email.trim() ? undefined : CHECKOUT.emailMissing,
      chosen: own?.why,
    }
    setErrors(missing)
    setMessage(null)
    if (missing.name || missing.email || missing.chosen || !offer || isBusy.current) return
    // What is agreed to is what the server said of the codes.
    if (price.isAsking) return
    isBusy.current = true
    setPhase({ kind: 'sending' })
    try {
      let payment: { connectionId: string; token: string } | null = null
      if ((pay > 0 || price.hasLater) && paymentMethod) {
        const card = await tokenOf(paymentMethod)
        if (!card.ok) {
          if (card.isDown) price.markDown(paymentMethod.connectionId)
          const says = card.isDown && price.paymentMethods.length > 1 ? CHECKOUT.notChargedOther : PAYING.notCharged
          return standStill(say(says, { why: card.why }))
        }
        payment = { connectionId: paymentMethod.connectionId, token: card.token }
      }
      const request = {
        lines: [
          { offerId: offer.id, chosen: own?.amount ?? null },
          ...extras.map((extra) => ({ offerId: extra.offerId, chosen: extra.chosen })),
        ],
        ...(codes.length > 0 ? { codes } : {}),
        name,
        email,
        ...(from ? { from } : {}),
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
    const fresh = await loadAnew().catch(() => null)
    if (!fresh) return recover()
    if (fresh.name !== 'checkout' || fresh.isOwned) return location.reload()
    if (fresh.pending) return leadOn(await askOrder(fresh.pending))
    standStill(CHECKOUT.lostBefore)
  }

  const leave = async (orderId: string) => {
    isBusy.current = true
    setPhase({ kind: 'checking' })
    await leaveOrder(orderId).then(leadOn, fail)
  }

  /** What is to be approved is what the page shows. */
  const isShown = ({ pay, offers }: AskedFor) => {
    const shown = [price.offer?.id, ...price.extras.map(({ offerId }) => offerId)]
    return pay === price.pay && offers.length === shown.length && offers.every((id) => shown.includes(id))
  }

  // A payment of this browser that was under way when the page was loaded.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, for the page as it was loaded
  useEffect(() => {
    forgetBack()
    if (!view.pending) return
    isBusy.current = true
    askOrder(view.pending)
      .then((placed) => {
        const isOther = placed.state === 'confirming' && !isShown(placed.asked)
        return isOther ? leave(placed.orderId) : leadOn(placed, true)
      })
      .catch(fail)
  }, [])

  return {
    errors,
    message,
    phase,
    place,
    confirmed: async (orderId: string) => {
      setPhase({ kind: 'checking' })
      await leadOn(await askOrder(orderId))
    },
    /** Leaves what was to be approved, or was begun elsewhere: it is closed, so that it cannot be paid any more. */
    leave,
  }
}

/** What of a basket is paid for apart, as the page's address says. */
function paidForApart(): { without?: string } {
  const without = new URLSearchParams(location.search).get('without')
  return without ? { without } : {}
}
