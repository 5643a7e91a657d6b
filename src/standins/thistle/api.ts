import { type Context, Hono } from 'hono'
import * as v from 'valibot'
import type { EventSender } from '../events.ts'
import type { World } from '../world.ts'
import { type Account, type Books, type Mode, type Payment, Refusal } from './books.ts'

const paymentRequest = v.object({
  amount: v.pipe(v.number(), v.integer(), v.minValue(1)),
  currency: v.pipe(v.string(), v.regex(/^[A-Z]{3}$/)),
  token: v.optional(v.string()),
  keep: v.optional(v.boolean()),
  method: v.optional(v.string()),
  reference: v.string(),
  statement: v.pipe(v.string(), v.maxLength(22)),
})

interface Keyed {
  Variables: { account: Account; mode: Mode }
}

/** The interface that merchants' servers call, under /thistle/v1. */
export function thistleApi(books: Books, events: EventSender, world: World, origin: string) {
  const app = new Hono<Keyed>()

  app.onError((error, c) => {
    if (error instanceof Refusal) return c.json({ error: error.code, message: error.message }, error.status)
    throw error
  })

  app.use(async (c, next) => {
    if (world.slowMs > 0) await new Promise((resolve) => setTimeout(resolve, world.slowMs))
    if (world.down) return c.json({ error: 'down', message: 'Thistle Card is down.' }, 503)
    const key = (c.req.header('authorization') ?? '').replace(/^Bearer /, '')
    const opened = books.authenticate(c.req.header('thistle-account') ?? '', key)
    c.set('account', opened.account)
    c.set('mode', opened.mode)
    await next()
  })

  app.get('/account', (c) => c.json({ id: c.get('account').id, name: c.get('account').name, mode: c.get('mode') }))

  app.post('/listeners', async (c) => {
    const { url } = await read(c, v.object({ url: v.pipe(v.string(), v.url()) }))
    const listener = books.listen(c.get('account').id, c.get('mode'), url)
    return c.json({ id: listener.id, signing_secret: listener.signingSecret })
  })

  app.post('/payments', async (c) => {
    const key = c.req.header('idempotency-key')
    if (!key) throw new Refusal(400, 'no-key', 'Send an Idempotency-Key.')
    const { payment, isNew } = books.begin(c.get('account'), c.get('mode'), key, await read(c, paymentRequest))
    if (isNew) announce(books, events, payment)
    return answer(c, payment)
  })

  app.post('/methods', async (c) => {
    const key = c.req.header('idempotency-key')
    if (!key) throw new Refusal(400, 'no-key', 'Send an Idempotency-Key.')
    const { token } = await read(c, v.object({ token: v.string() }))
    const { id, ends } = books.keep(c.get('account').id, c.get('mode'), key, token)
    return c.json({ id, card: { ends } })
  })

  app.get('/payments/by-key/:key', (c) => {
    const payment = books.byIdempotencyKey(c.get('account').id, c.get('mode'), c.req.param('key'))
    if (!payment) throw new Refusal(404, 'unknown-key', 'There is no payment with this key.')
    return answer(c, payment)
  })

  app.post('/payments/by-key/:key/abandon', (c) => {
    const { payment, changed } = books.abandon(c.get('account').id, c.get('mode'), c.req.param('key'))
    if (changed) announce(books, events, payment)
    return answer(c, payment)
  })

  app.post('/payments/:id/refunds', async (c) => {
    const key = c.req.header('idempotency-key')
    if (!key) throw new Refusal(400, 'no-key', 'Send an Idempotency-Key.')
    const { amount } = await read(c, v.object({ amount: v.pipe(v.number(), v.integer()) }))
    const { refund } = books.refund(c.get('account').id, c.get('mode'), c.req.param('id'), key, amount)
    return c.json({ id: refund.id, amount: refund.amount })
  })

  /** Sends the payment, or, where answers are to be lost, breaks the connection off instead. */
  async function answer(c: Context, payment: Payment) {
    if (world.answersLost && c.req.method === 'POST') {
      await new Promise((resolve) => setTimeout(resolve, 120_000).unref())
    }
    return c.json(paymentView(payment, origin))
  }

  return app
}

/** Tells every listener of the account and mode what became of a payment. */
export function announce(books: Books, events: EventSender, payment: Payment): void {
  const types = {
    captured: 'payment.captured',
    declined: 'payment.declined',
    abandoned: 'payment.abandoned',
    confirm: null,
  }
  const type = types[payment.state]
  if (!type) return
  for (const listener of books.listeners.values()) {
    if (listener.account === payment.account && listener.mode === payment.mode) {
      events.send(listener, type, paymentView(payment, ''))
    }
  }
}

function paymentView(payment: Payment, origin: string) {
  const { id, key, state, amount, currency, fee, reason, method } = payment
  const confirmUrl =
    payment.confirmSecret && origin ? `${origin}/thistle/confirm/${id}?s=${payment.confirmSecret}` : null
  return {
    id,
    key,
    state,
    amount,
    currency,
    fee,
    reason,
    method,
    card: payment.ends ? { ends: payment.ends } : null,
    confirm_url: confirmUrl,
  }
}

async function read<const S extends v.GenericSchema>(c: Context, schema: S): Promise<v.InferOutput<S>> {
  const parsed = v.safeParse(schema, await c.req.json().catch(() => null))
  if (!parsed.success) throw new Refusal(400, 'bad-request', parsed.issues[0].message)
  return parsed.output
}
