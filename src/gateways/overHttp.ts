import { Webhook, WebhookVerificationError } from 'standardwebhooks'
import * as v from 'valibot'
import { isDay } from '../core/calendar/day.ts'
import {
  type Adapter,
  type Collected,
  type Credentials,
  DECLINE_REASONS,
  EventRefused,
  EventUnreadable,
  GatewayRefused,
  GatewayUnreachable,
  type Outcome,
} from './contract.ts'
import { exchange } from './exchange.ts'

export interface GatewayAddress {
  /** Where the gateway is reached from this server and from browsers. */
  origin: string
  /** The product's own origin, whose pages hold frames of the gateway and to which buyers come back. */
  parentOrigin: string
  timeoutMs: number
}

/** What the gateways that ship have in common on the wire. */
export interface Wire {
  name: string
  /** The first part of its addresses: `/thistle/v1/…`. */
  path: string
}

const money = v.pipe(v.number(), v.safeInteger(), v.minValue(0))
/** The last day on which a method can be charged. */
const lastDay = v.nullable(v.pipe(v.string(), v.check(isDay)))
const paymentSchema = v.object({
  id: v.string(),
  key: v.string(),
  state: v.picklist(['captured', 'declined', 'confirm', 'sent', 'abandoned']),
  amount: money,
  currency: v.string(),
  fee: money,
  reason: v.nullable(v.picklist(DECLINE_REASONS)),
  /** In words, "card ending 4821". */
  payer: v.nullable(v.string()),
  /** The kept method and the last day on which it can be charged. */
  method: v.nullable(v.string()),
  expires: lastDay,
  confirm_url: v.nullable(v.string()),
})
const disputeSchema = v.object({
  id: v.string(),
  key: v.string(),
  amount: money,
  reason: v.string(),
  state: v.picklist(['open', 'contested', 'won', 'lost']),
})
const accountSchema = v.object({
  name: v.string(),
  mode: v.picklist(['practice', 'live']),
  sole: v.optional(v.boolean(), false),
})
const methodSchema = v.object({ id: v.string(), payer: v.string(), expires: lastDay })
const pageSchema = v.object({
  payments: v.array(v.object({ ...paymentSchema.entries, captured_at: v.string(), reference: v.string() })),
  next: v.nullable(v.string()),
})
const listenerSchema = v.object({ signing_secret: v.string() })
const refundSchema = v.object({ id: v.string() })
const refusalSchema = v.object({ error: v.string(), message: v.string() })
const eventSchema = v.object({ type: v.string(), data: v.unknown() })

/** The verbs of the contract that every gateway that ships answers alike over HTTP. */
export function overHttp(wire: Wire, { origin, parentOrigin, timeoutMs }: GatewayAddress) {
  const call = caller(wire, `${origin}/${wire.path}/v1`, timeoutMs)
  const outcomeOf = (answer: unknown) => readOutcome(answer, parentOrigin)
  const byKey = (key: string) => `/payments/by-key/${encodeURIComponent(key)}`

  const verbs = {
    async verify(credentials) {
      try {
        const { mode, name, sole } = readAs(accountSchema, await call(credentials, 'GET', '/account'))
        return { ok: true, mode, accountName: name, standsAlone: sole }
      } catch (error) {
        if (error instanceof GatewayRefused && error.code === 'unknown-account')
          return { ok: false, why: 'unknown-account' }
        if (error instanceof GatewayRefused && error.code === 'wrong-key') return { ok: false, why: 'wrong-key' }
        throw error
      }
    },

    async listen(credentials, url) {
      const answer = readAs(listenerSchema, await call(credentials, 'POST', '/listeners', { url }))
      return { signingSecret: answer.signing_secret }
    },

    async begin(credentials, { key, source, ...payment }) {
      const charged =
        'savedMethod' in source
          ? { method: source.savedMethod }
          : 'token' in source
            ? source
            : { return_url: source.returnUrl, keep: source.keep }
      return outcomeOf(await call(credentials, 'POST', '/payments', { ...payment, ...charged }, key))
    },

    async keep(credentials, { key, token }) {
      const savedMethod = readAs(methodSchema, await call(credentials, 'POST', '/methods', { token }, key))
      return { reference: savedMethod.id, method: savedMethod.payer, expires: savedMethod.expires }
    },

    async forget(credentials, reference) {
      await call(credentials, 'DELETE', `/methods/${encodeURIComponent(reference)}`)
    },

    async lookUp(credentials, key) {
      try {
        return outcomeOf(await call(credentials, 'GET', byKey(key)))
      } catch (error) {
        if (error instanceof GatewayRefused && error.code === 'unknown-key') return { state: 'absent' }
        throw error
      }
    },

    async abandon(credentials, key) {
      return outcomeOf(await call(credentials, 'POST', `${byKey(key)}/abandon`))
    },

    async listCollected(credentials, since) {
      const found: Collected[] = []
      for (let after: string | null = ''; after !== null; ) {
        const query = new URLSearchParams({ since: since.toISOString(), ...(after ? { after } : {}) })
        const page: v.InferOutput<typeof pageSchema> = readAs(
          pageSchema,
          await call(credentials, 'GET', `/payments?${query}`),
        )
        for (const { captured_at: at, reference: about, ...payment } of page.payments) {
          const outcome = outcomeOf(payment)
          if (outcome.state === 'collected') found.push({ key: payment.key, outcome, about, at })
        }
        after = page.next
      }
      return found
    },

    async refund(credentials, { key, reference, amount }) {
      try {
        const path = `/payments/${encodeURIComponent(reference)}/refunds`
        const refund = readAs(refundSchema, await call(credentials, 'POST', path, { amount }, key))
        return { state: 'refunded', reference: refund.id }
      } catch (error) {
        if (error instanceof GatewayRefused) return { state: 'refused', why: error.message }
        throw error
      }
    },

    readEvent(signingSecret, headers, body) {
      const id = headers['webhook-id'] ?? ''
      try {
        new Webhook(signingSecret).verify(body, headers)
      } catch (error) {
        if (error instanceof WebhookVerificationError) throw new EventRefused(error.message)
        // The document is read once its signature is found right.
        if (error instanceof SyntaxError) throw new EventUnreadable(id, 'it is no JSON document')
        throw error
      }
      const read = v.safeParse(v.pipe(v.string(), v.parseJson(), eventSchema), body)
      if (!read.success) throw new EventUnreadable(id, `not an event: ${read.issues[0].message}`)
      const { type, data } = read.output
      if (type.startsWith('dispute.')) {
        return { id, type, payment: null, dispute: disputeOf(readEventAs(disputeSchema, data, id, type)) }
      }
      if (!type.startsWith('payment.')) return { id, type, payment: null, dispute: null }
      const payment = readEventAs(paymentSchema, data, id, type)
      return { id, type, payment: { key: payment.key, outcome: outcomeOf(payment) }, dispute: null }
    },
  } satisfies Partial<Adapter>

  const answerDispute: NonNullable<Adapter['answerDispute']> = async (credentials, { reference, accept }) => {
    const path = `/disputes/${encodeURIComponent(reference)}/answer`
    return disputeOf(readAs(disputeSchema, await call(credentials, 'POST', path, { accept })))
  }
  return { ...verbs, answerDispute }
}

/** An answer as it must be. @throws GatewayUnreachable where it is otherwise: whether money moved is not known. */
function readAs<const S extends v.GenericSchema>(schema: S, answer: unknown): v.InferOutput<S> {
  const read = v.safeParse(schema, answer)
  if (!read.success) throw new GatewayUnreachable(`an answer that cannot be read: ${read.issues[0].message}`)
  return read.output
}

/** What an event of a type must hold. @throws EventUnreadable where it does not. */
function readEventAs<const S extends v.GenericSchema>(
  schema: S,
  data: unknown,
  id: string,
  type: string,
): v.InferOutput<S> {
  const read = v.safeParse(schema, data)
  if (!read.success) throw new EventUnreadable(id, `${type} holds something else than it should`)
  return read.output
}

/** What a gateway that keeps no method without a charge says when it is asked to. */
export function keepsNothing(name: string): Promise<never> {
  return Promise.reject(new GatewayRefused('not-kept', `${name} keeps nothing without a payment.`))
}

function disputeOf({ id, key, amount, reason, state }: v.InferOutput<typeof disputeSchema>) {
  return { reference: id, key, amount, reason, state }
}

function readOutcome(answer: unknown, parentOrigin: string): Outcome {
  const payment = readAs(paymentSchema, answer)
  const { id: reference, amount, currency, fee, payer, method: savedMethod, expires } = payment
  switch (payment.state) {
    case 'captured':
      return { state: 'collected', reference, amount, currency, fee, method: payer ?? '', savedMethod, expires }
    case 'declined':
      return { state: 'declined', reference, reason: payment.reason ?? 'refused', method: payer }
    case 'confirm':
      return {
        state: 'confirming',
        reference,
        url: `${payment.confirm_url ?? ''}&parent=${encodeURIComponent(parentOrigin)}`,
      }
    case 'sent':
      return { state: 'awaited', reference, method: payer }
    case 'abandoned':
      return { state: 'abandoned' }
  }
}

/**
 * One HTTP call. A refusal (4xx) is definite; everything else that is no answer leaves open
 * whether the call did its work.
 */
function caller({ name }: Wire, base: string, timeoutMs: number) {
  return async (credentials: Credentials, method: string, path: string, body?: unknown, key?: string) => {
    const { status, text } = await exchange(base + path, {
      method,
      headers: {
        authorization: `Bearer ${credentials.secret}`,
        'gateway-account': credentials.account,
        ...(credentials.at === undefined ? {} : { 'practice-time': credentials.at }),
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(key === undefined ? {} : { 'idempotency-key': key }),
      },
      body: body === undefined ? null : JSON.stringify(body),
      timeoutMs,
    }).catch((error: unknown) => {
      throw new GatewayUnreachable(`${name} did not answer: ${String(error)}`)
    })
    const answer = readJson(text)
    if (answer === undefined) throw new GatewayUnreachable(`${name} answered ${status} with what is no JSON.`)
    if (status >= 200 && status < 300) return answer
    const refusal = v.safeParse(refusalSchema, answer)
    if (status >= 500 || !refusal.success) {
      throw new GatewayUnreachable(`${name} answered ${status}`)
    }
    throw new GatewayRefused(refusal.output.error, refusal.output.message)
  }
}

function readJson(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return undefined
  }
}
