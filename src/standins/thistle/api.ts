import * as v from 'valibot'
import type { EventSender } from '../events.ts'
import { keyIn, PAYMENT_FIELDS, providerApi, read } from '../provider/api.ts'
import type { World } from '../world.ts'
import type { BookedDispute, Books, CardPayment } from './books.ts'

const paymentRequest = v.object({ ...PAYMENT_FIELDS, token: v.optional(v.string()) })

/** The smallest payment in minor units, where it is more than one; it takes every currency of ISO 4217. */
const SMALLEST: Record<string, number> = {
  EUR: 50,
  USD: 50,
  GBP: 30,
  CHF: 50,
  JPY: 50,
  KWD: 150,
}
const TAKES = Object.fromEntries(Intl.supportedValuesOf('currency').map((code) => [code, SMALLEST[code] ?? 1]))

/** The interface that merchants' servers call, under /thistle/v1. */
export function thistleApi(books: Books, events: EventSender, world: World, origin: string) {
  const view = (payment: CardPayment) => {
    const { id, key, state, amount, currency, fee, reason, method, ends, confirmSecret } = payment
    return {
      id,
      key,
      state,
      amount,
      currency,
      fee,
      reason,
      method,
      payer: ends ? `card ending ${ends}` : null,
      expires: books.methodOf(payment)?.expires ?? null,
      confirm_url: confirmSecret ? `${origin}/thistle/confirm/${id}?s=${confirmSecret}` : null,
    }
  }
  const { app, checkMoney, answer, announce, tell } = providerApi({
    name: 'Thistle Card',
    books,
    events,
    world,
    view,
    takes: TAKES,
    largest: 99_999_999_999,
  })

  app.post('/payments', async (c) => {
    const request = checkMoney(await read(c, paymentRequest))
    const { payment, isNew } = books.begin(c.get('account'), c.get('mode'), keyIn(c), request, c.get('when'))
    if (isNew) announce(payment)
    return answer(c, payment)
  })

  app.post('/methods', async (c) => {
    const { token } = await read(c, v.object({ token: v.string() }))
    const { id, ends, expires = null } = books.keep(c.get('account').id, c.get('mode'), keyIn(c), token)
    return c.json({ id, payer: `card ending ${ends}`, expires })
  })

  app.post('/disputes/:id/answer', async (c) => {
    const { accept } = await read(c, v.object({ accept: v.boolean() }))
    const { dispute, payment } = books.answerDispute(c.get('account').id, c.get('mode'), c.req.param('id'), accept)
    return c.json(disputeView(dispute, payment))
  })

  /** Tells every listener of a dispute. */
  const announceDispute = ({ dispute, payment }: { dispute: BookedDispute; payment: CardPayment }) =>
    tell(payment, `dispute.${dispute.state}`, disputeView(dispute, payment))

  return { app, announce, announceDispute }
}

function disputeView({ id, amount, reason, state }: BookedDispute, { key }: CardPayment) {
  return { id, key, amount, reason, state }
}
