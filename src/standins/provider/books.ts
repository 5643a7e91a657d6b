import { randomBytes, randomUUID } from 'node:crypto'
import { Journal } from '../journal.ts'

export type Mode = 'practice' | 'live'

export interface Account {
  id: string
  name: string
  keys: Record<Mode, string>
  /** By its terms nothing else may be offered beside it. */
  sole?: boolean
}

export interface Listener {
  id: string
  account: string
  mode: Mode
  url: string
  signingSecret: string
}

/** confirm: the payer is asked · sent: the payer has sent it, the money is on its way. */
export type PaymentState = 'captured' | 'declined' | 'confirm' | 'sent' | 'abandoned'

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
  reference: string
  statement: string
  confirmSecret: string | null
  refunded: number
  /** The kept method, where it may be charged again. */
  method: string | null
  at: string
  /** When its money was collected. */
  capturedAt?: string
}

export interface Refund {
  id: string
  key: string
  payment: string
  amount: number
  at: string
}

export type BaseEntry<P extends Payment> =
  | { kind: 'account'; account: Account }
  | { kind: 'listener'; listener: Listener }
  | { kind: 'payment'; payment: P }
  | { kind: 'refund'; refund: Refund }

/** So many payments are listed at a time. */
const PAGE = 100

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
 * The books of one simulated provider: accounts, listeners, payments, refunds. Pays out nothing. What a provider
 * keeps besides stands in `More`, which it remembers itself.
 */
export abstract class ProviderBooks<P extends Payment, More extends { kind: string } = never> {
  readonly accounts = new Map<string, Account>()
  readonly listeners = new Map<string, Listener>()
  readonly payments = new Map<string, P>()
  readonly refunds = new Map<string, Refund>()
  private readonly byKey = new Map<string, P>()
  private readonly refundsByKey = new Map<string, Refund>()
  private readonly journal: Journal<BaseEntry<P> | More>

  constructor(
    /** What its ids and keys begin with. */
    private readonly prefix: { id: string; key: string },
    file: string | null,
    readonly now: () => Date = () => new Date(),
  ) {
    this.journal = new Journal(file)
  }

  /** Reads back what was written before; called once its own fields stand. */
  protected load(): void {
    for (const entry of this.journal.read()) this.remember(entry)
  }

  protected abstract rememberMore(entry: More): void
  /** A payment that nobody has asked for, to be kept as abandoned. */
  protected abstract blank(payment: Payment): P
  /** @throws Refusal where an amount of a payment cannot be given back. */
  protected abstract checkRefund(payment: P, amount: number): void

  /** The merchant charges a method no more. One that is not theirs is left alone. */
  abstract forget(account: string, mode: Mode, method: string): void

  openAccount(name: string, id = `${this.prefix.id}-${randomBytes(4).toString('hex')}`, sole = false): Account {
    const key = (mode: Mode) => `${this.prefix.key}-${mode}-${randomBytes(15).toString('base64url')}`
    const account = { id, name, keys: { practice: key('practice'), live: key('live') }, ...(sole ? { sole } : {}) }
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

  byIdempotencyKey(account: string, mode: Mode, key: string): P | undefined {
    return this.byKey.get(keyOf(account, mode, key))
  }

  /** The payment that a key made already; null where it is new. @throws Refusal where it was for other money. */
  protected known(account: string, mode: Mode, key: string, amount: number, currency: string): P | null {
    const known = this.byIdempotencyKey(account, mode, key)
    if (known && known.state !== 'abandoned' && (known.amount !== amount || known.currency !== currency)) {
      throw new Refusal(409, 'key-reused', 'This key was used for another payment.')
    }
    return known ?? null
  }

  /** A page of what was collected for an account since an instant, oldest first; `after` is the last one of the page before. */
  captured(account: string, mode: Mode, since: string, after: string): { payments: P[]; next: string | null } {
    const placeOf = ({ capturedAt, id }: P) => `${capturedAt ?? ''} ${id}`
    const all = [...this.payments.values()]
      .filter((payment) => payment.account === account && payment.mode === mode && payment.state === 'captured')
      .filter((payment) => (payment.capturedAt ?? payment.at) >= since && placeOf(payment) > after)
      .sort((a, b) => (placeOf(a) < placeOf(b) ? -1 : 1))
    const payments = all.slice(0, PAGE)
    const last = payments.at(-1)
    return { payments, next: all.length > PAGE && last ? placeOf(last) : null }
  }

  /** Closes a key for good: a waiting payment is dropped, an unseen key is kept as abandoned. */
  abandon(account: string, mode: Mode, key: string): { payment: P; changed: boolean } {
    const known = this.byIdempotencyKey(account, mode, key)
    if (known && known.state !== 'confirm') return { payment: known, changed: false }
    const payment: P = known
      ? { ...known, state: 'abandoned', confirmSecret: null }
      : this.blank({
          id: this.newId('pay'),
          key,
          account,
          mode,
          state: 'abandoned',
          amount: 0,
          currency: '',
          fee: 0,
          reason: null,
          reference: '',
          statement: '',
          confirmSecret: null,
          refunded: 0,
          method: null,
          at: this.now().toISOString(),
        })
    this.write({ kind: 'payment', payment })
    return { payment, changed: true }
  }

  /** The payment that a page of ours asks its payer about. @throws Refusal where the link is not theirs. */
  asked(id: string, secret: string): P {
    const payment = this.payments.get(id)
    if (!payment) throw new Refusal(404, 'unknown-payment', 'There is no such payment.')
    if (payment.state === 'confirm' && payment.confirmSecret !== secret) {
      throw new Refusal(401, 'wrong-link', 'This link is not valid.')
    }
    return payment
  }

  refund(account: string, mode: Mode, paymentId: string, key: string, amount: number): Refund {
    const known = this.refundsByKey.get(keyOf(account, mode, key))
    if (known) return known
    const payment = this.payments.get(paymentId)
    if (!payment || payment.account !== account || payment.mode !== mode) {
      throw new Refusal(404, 'unknown-payment', 'There is no such payment.')
    }
    if (payment.state !== 'captured') throw new Refusal(409, 'not-captured', 'Only collected money can be given back.')
    if (amount < 1 || amount > payment.amount - payment.refunded) {
      throw new Refusal(422, 'too-much', 'This is more than is left of the payment.')
    }
    this.checkRefund(payment, amount)
    return this.giveBack(payment, key, amount)
  }

  /** Books money that goes back to the payer. */
  protected giveBack(payment: P, key: string, amount: number): Refund {
    const refund = { id: this.newId('ref'), key, payment: payment.id, amount, at: this.now().toISOString() }
    this.write({ kind: 'refund', refund })
    return refund
  }

  protected newId(kind: string): string {
    return `${kind}-${randomBytes(9).toString('base64url')}`
  }

  protected newSecret(): string {
    return randomBytes(12).toString('base64url')
  }

  protected write(entry: BaseEntry<P> | More) {
    if (isBase<P>(entry) && entry.kind === 'payment' && entry.payment.state === 'captured') {
      entry.payment.capturedAt ??= this.now().toISOString()
    }
    this.journal.write(entry)
    this.remember(entry)
  }

  private remember(entry: BaseEntry<P> | More) {
    if (isBase<P>(entry)) this.rememberBase(entry)
    else this.rememberMore(entry)
  }

  private rememberBase(entry: BaseEntry<P>) {
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

function isBase<P extends Payment>(entry: { kind: string }): entry is BaseEntry<P> {
  return ['account', 'listener', 'payment', 'refund'].includes(entry.kind)
}

function keyOf(account: string, mode: Mode, key: string): string {
  return `${account} ${mode} ${key}`
}

/** A share in hundredths of a per cent, rounded half up, and a fixed part in euros; at most the amount itself. */
export function feeFor(amount: number, currency: string, rate: number, fixedInEuros: number): number {
  const share = Number((BigInt(amount) * BigInt(2 * rate) + 10_000n) / 20_000n)
  return Math.min(amount, share + (currency === 'EUR' ? fixedInEuros : 0))
}
