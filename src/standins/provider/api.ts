import type { HttpBindings } from '@hono/node-server'
import { RESPONSE_ALREADY_SENT } from '@hono/node-server/utils/response'
import { type Context, Hono } from 'hono'
import * as v from 'valibot'
import type { EventSender } from '../events.ts'
import type { World } from '../world.ts'
import { type Account, type Mode, type Payment, type ProviderBooks, Refusal } from './books.ts'

/** What the interface of every provider knows of a call once its key has opened an account. */
export interface Keyed {
  Variables: {
    account: Account
    mode: Mode
    /** The provider's clock; in practice the caller's, where it says so. */
    when: Date
  }
}

/** So long a connection lives on whose answer is lost, in milliseconds. */
const BROKEN_OFF_MS = 200

interface Provider<P extends Payment> {
  name: string
  books: Pick<
    ProviderBooks<P>,
    'now' | 'authenticate' | 'forget' | 'listen' | 'listeners' | 'byIdempotencyKey' | 'captured' | 'abandon' | 'refund'
  >
  events: EventSender
  world: World
  /** The payment as callers and listeners see it. */
  view: (payment: P) => object
  /** The currencies that it takes, each with its smallest payment in minor units; and its largest. */
  takes: Readonly<Record<string, number>>
  largest: number
  /** What becomes of a payment by the time at which it is looked up. */
  look?: (payment: P, when: Date) => P
}

/** The interface that merchants' servers call, under /<provider>/v1; each adds how a payment begins. */
export function providerApi<P extends Payment>({
  name,
  books,
  events,
  world,
  view,
  takes,
  largest,
  look,
}: Provider<P>) {
  const app = new Hono<Keyed>()

  app.onError((error, c) => {
    if (error instanceof Refusal) return c.json({ error: error.code, message: error.message }, error.status)
    throw error
  })

  app.use(async (c, next) => {
    if (world.slowMs > 0) await new Promise((resolve) => setTimeout(resolve, world.slowMs))
    if (world.down || world.downAt === name) return c.json({ error: 'down', message: `${name} is down.` }, 503)
    const key = (c.req.header('authorization') ?? '').replace(/^Bearer /, '')
    const opened = books.authenticate(c.req.header('gateway-account') ?? '', key)
    const said = Date.parse(c.req.header('practice-time') ?? '')
    c.set('account', opened.account)
    c.set('mode', opened.mode)
    c.set('when', opened.mode === 'practice' && Number.isFinite(said) ? new Date(said) : books.now())
    await next()
  })

  app.get('/account', (c) => {
    const { id, name: accountName, sole = false } = c.get('account')
    return c.json({ id, name: accountName, mode: c.get('mode'), sole })
  })

  app.post('/listeners', async (c) => {
    const { url } = await read(c, v.object({ url: v.pipe(v.string(), v.url()) }))
    const listener = books.listen(c.get('account').id, c.get('mode'), url)
    return c.json({ id: listener.id, signing_secret: listener.signingSecret })
  })

  app.get('/payments', (c) => {
    const { payments, next } = books.captured(
      c.get('account').id,
      c.get('mode'),
      c.req.query('since') ?? '',
      c.req.query('after') ?? '',
    )
    const listed = payments.map((payment) => ({
      ...view(payment),
      reference: payment.reference,
      captured_at: payment.capturedAt ?? payment.at,
    }))
    return c.json({ payments: listed, next })
  })

  app.get('/payments/by-key/:key', (c) => {
    const payment = books.byIdempotencyKey(c.get('account').id, c.get('mode'), c.req.param('key'))
    if (!payment) throw new Refusal(404, 'unknown-key', 'There is no payment with this key.')
    return answer(c, look ? look(payment, c.get('when')) : payment)
  })

  app.post('/payments/by-key/:key/abandon', (c) => {
    const { payment, changed } = books.abandon(c.get('account').id, c.get('mode'), c.req.param('key'))
    if (changed) announce(payment)
    return answer(c, payment)
  })

  app.delete('/methods/:id', (c) => {
    books.forget(c.get('account').id, c.get('mode'), c.req.param('id'))
    return c.json({})
  })

  app.post('/payments/:id/refunds', async (c) => {
    const { amount } = await read(c, v.object({ amount: v.pipe(v.number(), v.integer()) }))
    const refund = books.refund(c.get('account').id, c.get('mode'), c.req.param('id'), keyIn(c), amount)
    return wholeOrHalf(c, { id: refund.id, amount: refund.amount })
  })

  /** @throws Refusal where it takes no such money. */
  function checkMoney<R extends { amount: number; currency: string }>(request: R): R {
    const least = takes[request.currency]
    if (least === undefined) throw new Refusal(422, 'currency', `${name} does not take ${request.currency}.`)
    if (request.amount < least) throw new Refusal(422, 'too-small', `${name} takes nothing so small.`)
    if (request.amount > largest) throw new Refusal(422, 'too-large', `${name} takes nothing so large.`)
    return request
  }

  /** Sends the payment, or, where answers are to be lost, breaks the connection off instead. */
  async function answer(c: Context, payment: P) {
    if (world.answersLost && c.req.method === 'POST') {
      // Long enough for the event to come first; then nobody hears more of it.
      await new Promise((resolve) => setTimeout(resolve, BROKEN_OFF_MS))
      ;(c.env as HttpBindings).incoming.socket.destroy()
    }
    return wholeOrHalf(c, view(payment))
  }

  /** Sends what was done, or only the first half of it where the world is so. */
  function wholeOrHalf(c: Context, done: object) {
    if (!world.answersHalved || c.req.method !== 'POST') return c.json(done)
    const text = JSON.stringify(done)
    const { outgoing } = c.env as HttpBindings
    outgoing.writeHead(200, { 'content-type': 'application/json', 'content-length': String(Buffer.byteLength(text)) })
    outgoing.write(text.slice(0, text.length / 2), () => outgoing.destroy())
    return RESPONSE_ALREADY_SENT
  }

  /** Tells every listener of the account and mode what became of a payment. */
  function announce(payment: P): void {
    const types = {
      captured: 'payment.captured',
      declined: 'payment.declined',
      sent: 'payment.sent',
      abandoned: 'payment.abandoned',
      confirm: null,
    }
    const type = types[payment.state]
    if (type) tell(payment, type, view(payment))
  }

  function tell({ account, mode }: Pick<P, 'account' | 'mode'>, type: string, data: object): void {
    for (const listener of books.listeners.values()) {
      if (listener.account === account && listener.mode === mode) events.send(listener, type, data)
    }
  }

  return { app, checkMoney, answer, announce, tell }
}

/** The idempotency key of a call. @throws Refusal where there is none. */
export function keyIn(c: Context): string {
  const key = c.req.header('idempotency-key')
  if (!key) throw new Refusal(400, 'no-key', 'Send an Idempotency-Key.')
  return key
}

/** What every payment is asked for with; each provider adds how it is paid. */
export const PAYMENT_FIELDS = {
  amount: v.pipe(v.number(), v.integer(), v.minValue(1)),
  currency: v.pipe(v.string(), v.regex(/^[A-Z]{3}$/)),
  keep: v.optional(v.boolean()),
  method: v.optional(v.string()),
  reference: v.string(),
  statement: v.pipe(v.string(), v.maxLength(22)),
}

export async function read<const S extends v.GenericSchema>(c: Context, schema: S): Promise<v.InferOutput<S>> {
  const parsed = v.safeParse(schema, await c.req.json().catch(() => null))
  if (!parsed.success) throw new Refusal(400, 'bad-request', parsed.issues[0].message)
  return parsed.output
}
