import { Webhook, WebhookVerificationError } from 'standardwebhooks'
import * as v from 'valibot'
import {
  type Adapter,
  type Capabilities,
  type Credentials,
  DECLINE_REASONS,
  EventRefused,
  GatewayRefused,
  GatewayUnreachable,
  type Outcome,
} from '../contract.ts'

/** Thistle Card's own description of itself, for shop and studio alike. */
const THISTLE: Capabilities = {
  name: 'Thistle Card',
  method: 'Card',
  currencies: ['EUR', 'USD', 'GBP', 'CHF', 'JPY', 'KWD', 'SEK', 'DKK', 'NOK', 'PLN', 'CZK', 'CAD', 'AUD'],
  smallest: { EUR: 50, USD: 50, GBP: 30, CHF: 50, JPY: 50, KWD: 150 },
  largest: 99_999_999_999,
  chargesAgain: true,
  style: 'embedded',
  refunds: 'part',
  known: 'at-once',
  fee: { rate: 170, fixed: { EUR: 19 } },
  standsAlone: false,
}

const paymentSchema = v.object({
  id: v.string(),
  key: v.string(),
  state: v.picklist(['captured', 'declined', 'confirm', 'abandoned']),
  amount: v.number(),
  currency: v.string(),
  fee: v.number(),
  reason: v.nullable(v.picklist(DECLINE_REASONS)),
  card: v.nullable(v.object({ ends: v.string() })),
  method: v.nullable(v.string()),
  confirm_url: v.nullable(v.string()),
})
const methodSchema = v.object({ id: v.string(), card: v.object({ ends: v.string() }) })
const accountSchema = v.object({ name: v.string(), mode: v.picklist(['practice', 'live']) })
const listenerSchema = v.object({ signing_secret: v.string() })
const refundSchema = v.object({ id: v.string() })
const refusalSchema = v.object({ error: v.string(), message: v.string() })
const eventSchema = v.object({ type: v.string(), data: v.unknown() })

interface Options {
  /** Where Thistle Card is reached from this server and from browsers. */
  origin: string
  /** The origin whose pages hold Thistle Card's frames. */
  parentOrigin: string
  timeoutMs: number
}

/** Speaks to Thistle Card over HTTP. */
export function thistleAdapter({ origin, parentOrigin, timeoutMs }: Options): Adapter {
  const call = caller(`${origin}/thistle/v1`, timeoutMs)
  const outcomeOf = (answer: unknown) => readOutcome(answer, parentOrigin)
  return {
    id: 'thistle',
    capabilities: THISTLE,

    async verify(credentials) {
      try {
        const account = v.parse(accountSchema, await call(credentials, 'GET', '/account'))
        return { ok: true, mode: account.mode, accountName: account.name }
      } catch (error) {
        if (error instanceof GatewayRefused && error.code === 'unknown-account')
          return { ok: false, why: 'unknown-account' }
        if (error instanceof GatewayRefused && error.code === 'wrong-key') return { ok: false, why: 'wrong-key' }
        throw error
      }
    },

    async listen(credentials, url) {
      const answer = v.parse(listenerSchema, await call(credentials, 'POST', '/listeners', { url }))
      return { signingSecret: answer.signing_secret }
    },

    fieldsUrl(account, mode) {
      const query = new URLSearchParams({ account, mode, parent: parentOrigin })
      return `${origin}/thistle/fields?${query}`
    },

    async begin(credentials, { key, source, ...payment }) {
      const charged = 'kept' in source ? { method: source.kept } : source
      return outcomeOf(await call(credentials, 'POST', '/payments', { ...payment, ...charged }, key))
    },

    async keep(credentials, { key, token }) {
      const kept = v.parse(methodSchema, await call(credentials, 'POST', '/methods', { token }, key))
      return { reference: kept.id, method: `card ending ${kept.card.ends}` }
    },

    async lookUp(credentials, key) {
      try {
        return outcomeOf(await call(credentials, 'GET', `/payments/by-key/${encodeURIComponent(key)}`))
      } catch (error) {
        if (error instanceof GatewayRefused && error.code === 'unknown-key') return { state: 'absent' }
        throw error
      }
    },

    async abandon(credentials, key) {
      return outcomeOf(await call(credentials, 'POST', `/payments/by-key/${encodeURIComponent(key)}/abandon`))
    },

    async refund(credentials, { key, reference, amount }) {
      try {
        const path = `/payments/${encodeURIComponent(reference)}/refunds`
        const refund = v.parse(refundSchema, await call(credentials, 'POST', path, { amount }, key))
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
        if (error instanceof WebhookVerificationError || error instanceof SyntaxError) {
          throw new EventRefused(error.message)
        }
        throw error
      }
      const { type, data } = v.parse(eventSchema, JSON.parse(body))
      if (!type.startsWith('payment.')) return { id, type, payment: null }
      const payment = v.safeParse(paymentSchema, data)
      if (!payment.success) return { id, type, payment: null }
      return { id, type, payment: { key: payment.output.key, outcome: outcomeOf(payment.output) } }
    },
  }
}

function readOutcome(answer: unknown, parentOrigin: string): Outcome {
  const payment = v.parse(paymentSchema, answer)
  const method = payment.card ? `card ending ${payment.card.ends}` : null
  const { id: reference, amount, currency, fee } = payment
  switch (payment.state) {
    case 'captured':
      return { state: 'collected', reference, amount, currency, fee, method: method ?? 'card', kept: payment.method }
    case 'declined':
      return { state: 'declined', reference, reason: payment.reason ?? 'refused', method }
    case 'confirm':
      return {
        state: 'confirming',
        reference,
        url: `${payment.confirm_url ?? ''}&parent=${encodeURIComponent(parentOrigin)}`,
      }
    case 'abandoned':
      return { state: 'abandoned' }
  }
}

/**
 * One HTTP call. A refusal (4xx) is definite; everything else that is no answer leaves open
 * whether the call did its work.
 */
function caller(base: string, timeoutMs: number) {
  return async (credentials: Credentials, method: string, path: string, body?: unknown, key?: string) => {
    const response = await fetch(base + path, {
      method,
      headers: {
        authorization: `Bearer ${credentials.secret}`,
        'thistle-account': credentials.account,
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(key === undefined ? {} : { 'idempotency-key': key }),
      },
      body: body === undefined ? null : JSON.stringify(body),
      signal: AbortSignal.timeout(timeoutMs),
    }).catch((error: unknown) => {
      throw new GatewayUnreachable(`Thistle Card did not answer: ${String(error)}`)
    })
    const answer: unknown = await response.json().catch((error: unknown) => {
      throw new GatewayUnreachable(`Thistle Card's answer broke off: ${String(error)}`)
    })
    if (response.ok) return answer
    const refusal = v.safeParse(refusalSchema, answer)
    if (response.status >= 500 || !refusal.success) {
      throw new GatewayUnreachable(`Thistle Card answered ${response.status}`)
    }
    throw new GatewayRefused(refusal.output.error, refusal.output.message)
  }
}
