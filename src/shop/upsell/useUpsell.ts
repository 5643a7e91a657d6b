import { type RefObject, useEffect, useRef, useState } from 'react'
import { PAYING } from '../../core/words/en/paying.ts'
import { UPSELLS } from '../../core/words/en/upsells.ts'
import { say } from '../../core/words/message.ts'
import type { Placed, ShopPage, UpsellView } from '../../server/client.ts'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { Once } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { formatDeclined } from '../checkout/declined.ts'
import { tokenise } from '../checkout/GatewayFields.ts'
import { ASK_AGAIN_MS, askOrder, leaveOrder, type Phase } from '../checkout/phase.ts'

/** All that happens between an upsell and the next page. */
export function useUpsell(page: ShopPage, view: UpsellView, frame: RefObject<HTMLIFrameElement | null>) {
  const { order, offered, savedMethod, paymentMethods } = view
  const [phase, setPhase] = useState<Phase>(view.pending ? { kind: 'checking' } : { kind: 'idle' })
  const [message, setMessage] = useState<string | null>(view.declined ? declined(view.declined) : null)
  const [hasSaved, setHasSaved] = useState(savedMethod !== null)
  const [chosen, choose] = useState<string | null>(null)
  // Set at once, so that two presses in one instant are still one.
  const isBusy = useRef(false)
  const paymentMethod =
    paymentMethods.find(({ connectionId }) => connectionId === chosen) ??
    paymentMethods.find(({ isDown }) => !isDown) ??
    paymentMethods[0]
  const param = { order: order.id, step: offered.id }
  const { pay } = offered.quote.today
  const isFree = paymentMethods.length === 0

  /** The next step, or the thanks page: the server knows. */
  const goOn = () => location.replace(`/next/${order.id}`)

  const idle = (text: string | null) => {
    isBusy.current = false
    setPhase({ kind: 'idle' })
    setMessage(text)
  }

  const leadOn = async (placed: Placed, cameBack = false): Promise<void> => {
    switch (placed.state) {
      case 'paid':
      case 'awaiting':
        return goOn()
      case 'confirming':
        if (!placed.isElsewhere) return setPhase({ kind: 'confirming', orderId: placed.orderId, url: placed.url })
        if (!cameBack) return location.assign(placed.url)
        isBusy.current = false
        return setPhase({ kind: 'elsewhere', orderId: placed.orderId, url: placed.url })
      case 'checking':
        setPhase({ kind: 'checking' })
        await new Promise((resolve) => setTimeout(resolve, ASK_AGAIN_MS))
        return leadOn(await askOrder(placed.orderId), cameBack)
      case 'declined':
        // What was saved was declined: something else can be given.
        setHasSaved(false)
        return idle(declined(placed.reason))
    }
  }

  const fail = async (error: unknown) => {
    if (!(error instanceof ApiError)) throw error
    // The answer was lost: the page is loaded anew, and finds out by itself.
    if (error.problem.status === 0) {
      setMessage(UPSELLS.lost)
      setPhase({ kind: 'checking' })
      await new Promise((resolve) => setTimeout(resolve, 2 * ASK_AGAIN_MS))
      return goOn()
    }
    if (error.problem.code === 'price-changed') return location.reload()
    if (error.problem.code === 'method-not-offered') setHasSaved(false)
    idle(error.message)
  }

  const take = async () => {
    if (isBusy.current) return
    isBusy.current = true
    setMessage(null)
    setPhase({ kind: 'sending' })
    try {
      let payment: { connectionId: string; token: string } | null = null
      if (!hasSaved && !isFree && paymentMethod) {
        const { connectionId, style } = paymentMethod
        const card =
          style !== 'embedded'
            ? ({ ok: true, token: '' } as const)
            : frame.current
              ? await tokenise(frame.current)
              : ({ ok: false, why: PAYING.notLoaded } as const)
        if (!card.ok) return idle(say(PAYING.notCharged, { why: card.why }))
        payment = { connectionId, token: card.token }
      }
      const json = { agreed: { pay, currency: page.school.currency }, payment }
      await leadOn(await new Once().send((header) => api.upsells[':order'][':step'].$post({ param, json, header })))
    } catch (error) {
      await fail(error)
    }
  }

  const refuse = async () => {
    if (isBusy.current && phase.kind !== 'elsewhere') return
    isBusy.current = true
    setPhase({ kind: 'sending' })
    try {
      await unwrap(api.upsells[':order'][':step'].no.$post({ param }))
      goOn()
    } catch (error) {
      await fail(error)
    }
  }

  const leave = async (orderId: string) => {
    isBusy.current = true
    setPhase({ kind: 'checking' })
    await leaveOrder(orderId).then(leadOn, fail)
  }

  // A payment of it that was under way when the page was loaded.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, for the page as it was loaded
  useEffect(() => {
    if (!view.pending) return
    isBusy.current = true
    askOrder(view.pending).then((placed) => leadOn(placed, true), fail)
  }, [])

  return {
    phase,
    message,
    take,
    refuse,
    /** One press charges what was used just now. */
    isBySavedMethod: hasSaved || isFree,
    hasOthers: paymentMethods.length > 0 && !isFree,
    useAnother: () => setHasSaved(false),
    paymentMethods,
    paymentMethod,
    choose,
    confirmed: async (orderId: string) => {
      setPhase({ kind: 'checking' })
      await leadOn(await askOrder(orderId))
    },
    /** Leaves what was to be approved: it is closed, so that it cannot be paid any more. */
    leave,
  }
}

/** Why it was declined, and that what was bought before stands. */
function declined(reason: string): string {
  return say(UPSELLS.declined, { why: formatDeclined(reason) })
}
