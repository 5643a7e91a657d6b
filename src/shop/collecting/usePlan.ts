import { type RefObject, useEffect, useRef, useState } from 'react'
import { formatMoney } from '../../core/money/format.ts'
import { PAYING } from '../../core/words/en/paying.ts'
import { PLAN } from '../../core/words/en/plan.ts'
import { say } from '../../core/words/message.ts'
import type { PaymentMethod, PlanView, ShopPage } from '../../server/client.ts'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { Once, useOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { forgetBack } from '../checkout/back.ts'
import { formatDeclined } from '../checkout/declined.ts'
import { tokenise } from '../checkout/GatewayFields.ts'

type Paid = Awaited<ReturnType<typeof askHow>>
const askHow = (key: string) => unwrap(api.plan[':key'].check.$post({ param: { key } }))
const ASK_AGAIN_MS = 1500

export type PlanPhase =
  | { kind: 'idle' }
  | { kind: 'sending' }
  | { kind: 'checking' }
  | { kind: 'confirming'; url: string }
  /** Begun at the gateway's own page, and not finished there. */
  | { kind: 'elsewhere'; url: string }

/** What a buyer does about an agreement: pay, give another method, cancel. */
export function usePlan(page: ShopPage, view: PlanView, frame: RefObject<HTMLIFrameElement | null>) {
  const [phase, setPhase] = useState<PlanPhase>(view.pending ? { kind: 'checking' } : { kind: 'idle' })
  const [paymentMethodId, setPaymentMethodId] = useState<string | null>(null)
  /** The chosen payment method of those that fit, else the first of them. */
  const paymentMethodIn = (paymentMethods: PaymentMethod[]) =>
    paymentMethods.find(({ connectionId }) => connectionId === paymentMethodId) ?? paymentMethods[0]
  // A method alone, without a payment, is saved by some gateways only.
  const keepers = view.paymentMethods.filter(({ can }) => can.keepsUnused)
  const [message, setMessage] = useState<string | null>(null)
  const [done, setDone] = useState<string | null>(null)
  const isBusy = useRef(false)
  const cancelOnce = useOnce()
  const uncancelOnce = useOnce()
  /** The sum that was asked for last. */
  const paying = useRef(view.toPay?.amount ?? 0)
  const { key } = view
  const money = { ...page.school, currency: view.currency }

  const finish = (said: string) => {
    isBusy.current = false
    setPhase({ kind: 'idle' })
    setDone(said)
  }
  const giveUp = (said: string) => {
    isBusy.current = false
    setPhase({ kind: 'idle' })
    setMessage(said)
  }
  /** Runs something once at a time, with what stands for the buyer's method. */
  const withMethod = async (
    paymentMethods: PaymentMethod[],
    act: (payment: { connectionId: string; token: string }) => Promise<void>,
  ) => {
    const paymentMethod = paymentMethodIn(paymentMethods)
    if (isBusy.current || !paymentMethod) return
    begin()
    let token = ''
    if (paymentMethod.style === 'embedded') {
      const card = frame.current ? await tokenise(frame.current) : null
      if (!card?.ok) return giveUp(say(PAYING.notCharged, { why: card?.why ?? PAYING.notLoaded }))
      token = card.token
    }
    await send(() => act({ connectionId: paymentMethod.connectionId, token }))
  }
  const begin = () => {
    isBusy.current = true
    setMessage(null)
    setPhase({ kind: 'sending' })
  }
  const send = async (act: () => Promise<void>) => {
    try {
      await act()
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      // No answer came: whether money moved is asked for, never guessed.
      if (error.problem.status === 0) return leadOn(await ask())
      giveUp(error.problem.errors[0]?.why ?? error.message)
    }
  }
  const payBy = async (
    asked: PlanView['toPay'] | PlanView['rest'],
    payment: { connectionId: string | null; token: string },
  ) => {
    const { amount: agreed = 0, from = 0, to = 0 } = asked ?? {}
    paying.current = agreed
    const json = { ...payment, agreed, from, to }
    await leadOn(await new Once().send((header) => api.plan[':key'].pay.$post({ param: { key }, json, header })))
  }
  const ask = (): Promise<Paid> => askHow(key).catch((): Paid => ({ state: 'checking' }))

  const leadOn = async (paid: Paid, cameBack = false): Promise<void> => {
    switch (paid.state) {
      case 'paid':
        return finish(say(PLAN.received, { money: formatMoney(paying.current, money) }))
      case 'declined':
        return giveUp(formatDeclined(paid.reason))
      case 'confirming':
        if (!paid.isElsewhere) return setPhase({ kind: 'confirming', url: paid.url })
        if (!cameBack) return location.assign(paid.url)
        isBusy.current = false
        return setPhase({ kind: 'elsewhere', url: paid.url })
      case 'checking':
        setPhase({ kind: 'checking' })
        await new Promise((resolve) => setTimeout(resolve, ASK_AGAIN_MS))
        return leadOn(await ask(), cameBack)
    }
  }

  // A payment by hand that was under way when the page was loaded: whoever comes back from a gateway's page.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, for the page as it was loaded
  useEffect(() => {
    forgetBack()
    if (!view.pending) return
    isBusy.current = true
    void ask().then((paid) => leadOn(paid, true))
  }, [])

  return {
    keepers,
    paymentMethodIn,
    setPaymentMethodId,
    phase,
    message,
    done,
    pay: (asked: PlanView['toPay'] | PlanView['rest']) =>
      withMethod(view.paymentMethods, (payment) => payBy(asked, payment)),
    payByKept: async (asked: PlanView['toPay'] | PlanView['rest']) => {
      if (isBusy.current) return
      begin()
      await send(() => payBy(asked, { connectionId: null, token: '' }))
    },
    changeMethod: () =>
      withMethod(keepers, async (payment) => {
        await new Once().send((header) => api.plan[':key'].method.$put({ param: { key }, json: payment, header }))
        finish(PLAN.cardChanged)
      }),
    cancel: async () => {
      if (isBusy.current) return
      isBusy.current = true
      try {
        await cancelOnce((header) => api.plan[':key'].cancel.$post({ param: { key }, header }))
        finish(PLAN.cancelled)
      } catch (error) {
        if (!(error instanceof ApiError)) throw error
        giveUp(error.message)
      }
    },
    comeBack: async () => {
      if (isBusy.current) return
      isBusy.current = true
      try {
        await uncancelOnce((header) => api.plan[':key'].uncancel.$post({ param: { key }, header }))
        finish(PLAN.uncancelled)
      } catch (error) {
        if (!(error instanceof ApiError)) throw error
        giveUp(error.message)
      }
    },
    confirmed: async () => {
      setPhase({ kind: 'checking' })
      await leadOn(await ask())
    },
    /** Leaves what was to be approved: it is closed, so that it cannot be paid any more. */
    leave: async () => {
      setPhase({ kind: 'checking' })
      const left = await unwrap(api.plan[':key'].leave.$post({ param: { key } })).catch(
        (): Paid => ({ state: 'checking' }),
      )
      await leadOn(left)
    },
  }
}
