import { randomBytes, randomUUID } from 'node:crypto'
import { Journal } from '../journal.ts'
import { behaviourOf, type CardBehaviour } from './cards.ts'

export type Mode = 'practice' | 'live'

export interface Account {
  id: string
  name: string
  keys: Record<Mode, string>
}

export interface Listener {
  id: string
  account: string
  mode: Mode
  url: string
  signingSecret: string
}

export type PaymentState = 'captured' | 'declined' | 'confirm' | 'abandoned'

export interface Payment {
  id: string
  key: string
  account: string
  mode: Mode
  state: PaymentState
  amount: number
  currency: string
  fee: number
  reason: string | null
  ends: string | null
  reference: string
  statement: string
  confirmSecret: string | null
  refunded: number
  /** The kept method, where it may be charged again. */
  method: string | null
  at: string
}

/** A card that its owner lets the merchant charge again. */
export interface Method {
  id: string
  key: string
  account: string
  mode: Mode
  behaviour: CardBehaviour
  ends: string
}

export interface Refund {
  id: string
  key: string
  payment: string
  amount: number
  at: string
}

interface Token {
  account: string
  mode: Mode
  behaviour: CardBehaviour
  ends: string
}

type Entry =
  | { kind: 'account'; account: Account }
  | { kind: 'listener'; listener: Listener }
  | { kind: 'payment'; payment: Payment }
  | { kind: 'refund'; refund: Refund }
  | { kind: 'method'; method: Method }

/** What is to be charged: a token (`keep` where it may be charged again), or a kept method. */
export interface PaymentRequest {
  amount: number
  currency: string
  token?: string | undefined
  keep?: boolean | undefined
  method?: string | undefined
  reference: string
  statement: string
}

/** A request that the books refuse. */
export class Refusal extends Error {
  constructor(
    readonly status: 400 | 401 | 404 | 409 | 422,
    readonly code: string,
    message: string,
  ) {
    super(message)
  }
}

/**
 * Thistle Card's books: accounts, listeners, payments. Pays out nothing. Card numbers stay in
 * this process and only until they became a token.
 */
export class Books {
  private readonly journal: Journal<Entry>
  readonly accounts = new Map<string, Account>()
  readonly listeners = new Map<string, Listener>()
  readonly payments = new Map<string, Payment>()
  readonly refunds = new Map<string, Refund>()
  private readonly byKey = new Map<string, Payment>()
  private readonly refundsByKey = new Map<string, Refund>()
  private readonly methods = new Map<string, Method>()
  private readonly tokens = new Map<string, Token>()

  constructor(
    file: string | null,
    private readonly now: () => Date = () => new Date(),
  ) {
    this.journal = new Journal(file)
    for (const entry of this.journal.read()) this.remember(entry)
  }

  openAccount(name: string, id = `th-${randomBytes(4).toString('hex')}`): Account {
    const key = (mode: Mode) => `thistle-${mode}-${randomBytes(15).toString('base64url')}`
    const account = { id, name, keys: { practice: key('practice'), live: key('live') } }
    this.write({ kind: 'account', account })
    return account
  }

  /** The account and mode that a secret key opens. */
  authenticate(accountId: string, key: string): { account: Account; mode: Mode } {
    const account = this.accounts.get(accountId)
    if (!account) throw new Refusal(401, 'unknown-account', 'There is no account with this id.')
    if (key === account.keys.practice) return { account, mode: 'practice' }
    if (key === account.keys.live) return { account, mode: 'live' }
    throw new Refusal(401, 'wrong-key', 'This key does not open this account.')
  }

  listen(account: string, mode: Mode, url: string): Listener {
    for (const known of this.listeners.values()) {
      if (known.account === account && known.mode === mode && known.url === url) return known
    }
    const signingSecret = `whsec_${randomBytes(24).toString('base64')}`
    const listener = { id: randomUUID(), account, mode, url, signingSecret }
    this.write({ kind: 'listener', listener })
    return listener
  }

  /** Takes a card and gives a token that stands for it once. */
  tokenise(account: string, mode: Mode, number: string): { token: string; ends: string } {
    if (!this.accounts.has(account)) throw new Refusal(404, 'unknown-account', 'There is no account with this id.')
    const digits = number.replace(/\D/g, '')
    const token = `tok-${randomBytes(12).toString('base64url')}`
    const ends = digits.slice(-4)
    this.tokens.set(token, { account, mode, behaviour: behaviourOf(digits), ends })
    return { token, ends }
  }

  /** Begins a payment; the same key again answers with the payment that it made. */
  begin(account: Account, mode: Mode, key: string, request: PaymentRequest): { payment: Payment; isNew: boolean } {
    const known = this.byKey.get(keyOf(account.id, mode, key))
    if (known) {
      if (known.state !== 'abandoned' && (known.amount !== request.amount || known.currency !== request.currency)) {
        throw new Refusal(409, 'key-reused', 'This key was used for another payment.')
      }
      return { payment: known, isNew: false }
    }
    const card = request.method
      ? this.keptMethod(account.id, mode, request.method)
      : this.takeToken(account.id, mode, request.token)
    const pays = card.behaviour === 'pays' || card.behaviour === 'pays-once'
    const state = pays ? 'captured' : card.behaviour === 'confirms' ? 'confirm' : 'declined'
    if (request.method && card.behaviour === 'pays-once') this.runDry(request.method)
    const isKept = state !== 'declined' && request.keep === true
    const kept = card.behaviour === 'pays-once' ? { ...card, behaviour: 'not-enough-money' as const } : card
    const method = isKept ? this.keepCard(account.id, mode, key, kept) : null
    const payment: Payment = {
      id: `pay-${randomBytes(9).toString('base64url')}`,
      key,
      account: account.id,
      mode,
      state,
      amount: request.amount,
      currency: request.currency,
      fee: state === 'captured' ? feeFor(request.amount, request.currency) : 0,
      reason: state === 'declined' ? card.behaviour : null,
      ends: card.ends,
      reference: request.reference,
      statement: request.statement,
      confirmSecret: state === 'confirm' ? randomBytes(12).toString('base64url') : null,
      refunded: 0,
      method: method?.id ?? null,
      at: this.now().toISOString(),
    }
    this.write({ kind: 'payment', payment })
    return { payment, isNew: true }
  }

  /** Keeps a card for later charges without charging it; the same key again gives the same method. */
  keep(account: string, mode: Mode, key: string, token: string): Method {
    const known = [...this.methods.values()].find(
      (method) => method.account === account && method.mode === mode && method.key === key,
    )
    return known ?? this.keepCard(account, mode, key, this.takeToken(account, mode, token))
  }

  private takeToken(account: string, mode: Mode, id: string | undefined): Token {
    const token = id === undefined ? undefined : this.tokens.get(id)
    if (!token || token.account !== account || token.mode !== mode) {
      throw new Refusal(422, 'bad-token', 'This card token is unknown or was used already.')
    }
    this.tokens.delete(id as string)
    return token
  }

  /** A card that pays once has paid. */
  private runDry(id: string) {
    const method = this.methods.get(id)
    if (method) this.write({ kind: 'method', method: { ...method, behaviour: 'not-enough-money' } })
  }

  private keptMethod(account: string, mode: Mode, id: string): Method {
    const method = this.methods.get(id)
    if (method?.account !== account || method.mode !== mode)
      throw new Refusal(422, 'bad-token', 'There is no such method.')
    return method
  }

  /** A kept card is charged without its owner, so it never asks to confirm again. */
  private keepCard(account: string, mode: Mode, key: string, card: Pick<Token, 'behaviour' | 'ends'>): Method {
    const behaviour = card.behaviour === 'confirms' ? 'pays' : card.behaviour
    const method = {
      id: `method-${randomBytes(9).toString('base64url')}`,
      key,
      account,
      mode,
      behaviour,
      ends: card.ends,
    }
    this.write({ kind: 'method', method })
    return method
  }

  byIdempotencyKey(account: string, mode: Mode, key: string): Payment | undefined {
    return this.byKey.get(keyOf(account, mode, key))
  }

  /** Closes a key for good: a waiting payment is dropped, an unseen key is kept as abandoned. */
  abandon(account: string, mode: Mode, key: string): { payment: Payment; changed: boolean } {
    const known = this.byKey.get(keyOf(account, mode, key))
    if (known && known.state !== 'confirm') return { payment: known, changed: false }
    const payment: Payment = known
      ? { ...known, state: 'abandoned', confirmSecret: null }
      : {
          id: `pay-${randomBytes(9).toString('base64url')}`,
          key,
          account,
          mode,
          state: 'abandoned',
          amount: 0,
          currency: '',
          fee: 0,
          reason: null,
          ends: null,
          reference: '',
          statement: '',
          confirmSecret: null,
          refunded: 0,
          method: null,
          at: this.now().toISOString(),
        }
    this.write({ kind: 'payment', payment })
    return { payment, changed: true }
  }

  /** The buyer's answer in the confirmation step. An answer that comes too late changes nothing. */
  confirm(id: string, secret: string, approved: boolean): { payment: Payment; changed: boolean } {
    const payment = this.payments.get(id)
    if (!payment) throw new Refusal(404, 'unknown-payment', 'There is no such payment.')
    if (payment.state !== 'confirm') return { payment, changed: false }
    if (payment.confirmSecret !== secret) throw new Refusal(401, 'wrong-link', 'This link is not valid.')
    const settled: Payment = approved
      ? { ...payment, state: 'captured', confirmSecret: null, fee: feeFor(payment.amount, payment.currency) }
      : { ...payment, state: 'declined', confirmSecret: null, reason: 'refused-by-buyer' }
    this.write({ kind: 'payment', payment: settled })
    return { payment: settled, changed: true }
  }

  refund(
    account: string,
    mode: Mode,
    paymentId: string,
    key: string,
    amount: number,
  ): { refund: Refund; isNew: boolean } {
    const known = this.refundsByKey.get(keyOf(account, mode, key))
    if (known) return { refund: known, isNew: false }
    const payment = this.payments.get(paymentId)
    if (!payment || payment.account !== account || payment.mode !== mode) {
      throw new Refusal(404, 'unknown-payment', 'There is no such payment.')
    }
    if (payment.state !== 'captured') throw new Refusal(409, 'not-captured', 'Only collected money can be given back.')
    if (amount < 1 || amount > payment.amount - payment.refunded) {
      throw new Refusal(422, 'too-much', 'This is more than is left of the payment.')
    }
    const refund = {
      id: `ref-${randomBytes(9).toString('base64url')}`,
      key,
      payment: payment.id,
      amount,
      at: this.now().toISOString(),
    }
    this.write({ kind: 'refund', refund })
    return { refund, isNew: true }
  }

  /** Payments of one account, newest first. */
  paymentsOf(account: string): Payment[] {
    return [...this.payments.values()].filter((payment) => payment.account === account).reverse()
  }

  private write(entry: Entry) {
    this.journal.write(entry)
    this.remember(entry)
  }

  private remember(entry: Entry) {
    switch (entry.kind) {
      case 'account':
        this.accounts.set(entry.account.id, entry.account)
        break
      case 'listener':
        this.listeners.set(entry.listener.id, entry.listener)
        break
      case 'payment':
        this.payments.set(entry.payment.id, entry.payment)
        this.byKey.set(keyOf(entry.payment.account, entry.payment.mode, entry.payment.key), entry.payment)
        break
      case 'method':
        this.methods.set(entry.method.id, entry.method)
        break
      case 'refund': {
        const payment = this.payments.get(entry.refund.payment)
        this.refunds.set(entry.refund.id, entry.refund)
        if (!payment) break
        this.refundsByKey.set(keyOf(payment.account, payment.mode, entry.refund.key), entry.refund)
        payment.refunded += entry.refund.amount
        break
      }
    }
  }
}

function keyOf(account: string, mode: Mode, key: string): string {
  return `${account} ${mode} ${key}`
}

/** 1.7 %, and 19 cents where the payment is in euros. */
function feeFor(amount: number, currency: string): number {
  const share = Number((BigInt(amount) * 340n + 10_000n) / 20_000n)
  return Math.min(amount, share + (currency === 'EUR' ? 19 : 0))
}
