import { randomBytes } from 'node:crypto'
import { type Account, feeFor, type Mode, type Payment, ProviderBooks, Refusal } from '../provider/books.ts'
import { behaviourOf, type CardBehaviour } from './cards.ts'

export interface CardPayment extends Payment {
  /** The card's last four digits. */
  ends: string | null
}

/** A card that its owner lets the merchant charge again. */
export interface Method {
  id: string
  key: string
  account: string
  mode: Mode
  behaviour: CardBehaviour
  ends: string
  /** The last day on which it can be charged. */
  expires?: string | null
  /** The merchant has it no more. */
  isForgotten?: true
}

/** A payment that its payer has their bank ask back. */
export interface BookedDispute {
  id: string
  payment: string
  amount: number
  reason: string
  state: 'open' | 'contested' | 'won' | 'lost'
  at: string
}

interface Token {
  account: string
  mode: Mode
  behaviour: CardBehaviour
  ends: string
  expires: string | null
}

type More = { kind: 'method'; method: Method } | { kind: 'dispute'; dispute: BookedDispute }

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

/** Thistle Card's books. Card numbers stay in this process and only until they became a token. */
export class Books extends ProviderBooks<CardPayment, More> {
  readonly disputes = new Map<string, BookedDispute>()
  private readonly methods = new Map<string, Method>()
  private readonly tokens = new Map<string, Token>()

  constructor(file: string | null, now?: () => Date) {
    super({ id: 'th', key: 'thistle' }, file, now)
    this.load()
  }

  /** Takes a card and gives a token that stands for it once. `expires`: the last day of its month. */
  tokenise(
    account: string,
    mode: Mode,
    number: string,
    expires: string | null = null,
  ): { token: string; ends: string } {
    if (!this.accounts.has(account)) throw new Refusal(404, 'unknown-account', 'There is no account with this id.')
    const digits = number.replace(/\D/g, '')
    const token = `tok-${randomBytes(12).toString('base64url')}`
    const ends = digits.slice(-4)
    this.tokens.set(token, { account, mode, behaviour: behaviourOf(digits), ends, expires })
    return { token, ends }
  }

  /** Begins a payment; the same key again answers with the payment that it made. */
  begin(
    account: Account,
    mode: Mode,
    key: string,
    request: PaymentRequest,
    when = this.now(),
  ): { payment: CardPayment; isNew: boolean } {
    const known = this.known(account.id, mode, key, request.amount, request.currency)
    if (known) return { payment: known, isNew: false }
    const card = request.method
      ? this.savedMethod(account.id, mode, request.method)
      : this.takeToken(account.id, mode, request.token)
    const hasExpired = card.expires != null && card.expires < when.toISOString().slice(0, 10)
    const behaviour: CardBehaviour = hasExpired ? 'expired' : card.behaviour
    const pays = behaviour === 'pays' || behaviour === 'pays-once'
    const state = pays ? 'captured' : behaviour === 'confirms' ? 'confirm' : 'declined'
    if (request.method && behaviour === 'pays-once') this.runDry(request.method)
    const isKept = state !== 'declined' && request.keep === true
    const kept = behaviour === 'pays-once' ? { ...card, behaviour: 'not-enough-money' as const } : card
    const method = isKept ? this.keepCard(account.id, mode, key, kept) : null
    const payment: CardPayment = {
      id: this.newId('pay'),
      key,
      account: account.id,
      mode,
      state,
      amount: request.amount,
      currency: request.currency,
      fee: state === 'captured' ? fee(request.amount, request.currency) : 0,
      reason: state === 'declined' ? behaviour : null,
      ends: card.ends,
      reference: request.reference,
      statement: request.statement,
      confirmSecret: state === 'confirm' ? this.newSecret() : null,
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

  methodOf({ method }: CardPayment): Method | null {
    return this.methods.get(method ?? '') ?? null
  }

  /** The buyer's answer in the confirmation step. An answer that comes too late changes nothing. */
  confirm(id: string, secret: string, approved: boolean): { payment: CardPayment; changed: boolean } {
    const payment = this.asked(id, secret)
    if (payment.state !== 'confirm') return { payment, changed: false }
    const settled: CardPayment = approved
      ? { ...payment, state: 'captured', confirmSecret: null, fee: fee(payment.amount, payment.currency) }
      : { ...payment, state: 'declined', confirmSecret: null, reason: 'refused-by-buyer' }
    this.write({ kind: 'payment', payment: settled })
    return { payment: settled, changed: true }
  }

  /** The payer has their bank ask a payment back. Nothing moves before it is decided. */
  dispute(paymentId: string, reason: string): { dispute: BookedDispute; payment: CardPayment } {
    const payment = this.payments.get(paymentId)
    if (payment?.state !== 'captured') throw new Refusal(404, 'unknown-payment', 'There is no such collected payment.')
    const left = payment.amount - payment.refunded
    if (left < 1) throw new Refusal(409, 'nothing-left', 'This payment was given back already.')
    if ([...this.disputes.values()].some((other) => other.payment === paymentId)) {
      throw new Refusal(409, 'disputed', 'This payment is or was disputed already.')
    }
    const at = this.now().toISOString()
    const dispute: BookedDispute = {
      id: this.newId('dis'),
      payment: paymentId,
      amount: left,
      reason,
      state: 'open',
      at,
    }
    this.write({ kind: 'dispute', dispute })
    return { dispute, payment }
  }

  /** The merchant's answer: what is given up is lost at once, what is contested waits for the card company. */
  answerDispute(
    account: string,
    mode: Mode,
    id: string,
    accept: boolean,
  ): { dispute: BookedDispute; payment: CardPayment } {
    const { dispute, payment } = this.disputed(id)
    if (payment.account !== account || payment.mode !== mode) {
      throw new Refusal(404, 'unknown-dispute', 'There is no such dispute.')
    }
    if (dispute.state !== 'open') return { dispute, payment }
    return accept ? this.decideDispute(id, false) : this.changeDispute({ ...dispute, state: 'contested' })
  }

  /** The card company decides: won, you keep the money; lost, it goes back. */
  decideDispute(id: string, isWon: boolean): { dispute: BookedDispute; payment: CardPayment } {
    const { dispute, payment } = this.disputed(id)
    if (dispute.state === 'won' || dispute.state === 'lost') return { dispute, payment }
    if (!isWon) this.giveBack(payment, `dispute ${id}`, Math.min(dispute.amount, payment.amount - payment.refunded))
    return this.changeDispute({ ...dispute, state: isWon ? 'won' : 'lost' })
  }

  private disputed(id: string) {
    const dispute = this.disputes.get(id)
    const payment = this.payments.get(dispute?.payment ?? '')
    if (!dispute || !payment) throw new Refusal(404, 'unknown-dispute', 'There is no such dispute.')
    return { dispute, payment }
  }

  private changeDispute(dispute: BookedDispute) {
    this.write({ kind: 'dispute', dispute })
    return this.disputed(dispute.id)
  }

  private takeToken(account: string, mode: Mode, id: string | undefined): Token {
    const token = id === undefined ? undefined : this.tokens.get(id)
    if (!token || token.account !== account || token.mode !== mode) {
      throw new Refusal(422, 'bad-token', 'This card token is unknown or was used already.')
    }
    this.tokens.delete(id as string)
    return token
  }

  /** Whether a merchant can charge a method still. */
  isKept(id: string): boolean {
    const method = this.methods.get(id)
    return method !== undefined && !method.isForgotten
  }

  forget(account: string, mode: Mode, id: string) {
    const method = this.methods.get(id)
    if (method?.account !== account || method.mode !== mode) return
    this.write({ kind: 'method', method: { ...method, isForgotten: true } })
  }

  /** A card that pays once has paid. */
  private runDry(id: string) {
    const method = this.methods.get(id)
    if (method) this.write({ kind: 'method', method: { ...method, behaviour: 'not-enough-money' } })
  }

  private savedMethod(account: string, mode: Mode, id: string): Method {
    const method = this.methods.get(id)
    if (method?.account !== account || method.mode !== mode || method.isForgotten)
      throw new Refusal(422, 'bad-token', 'There is no such method.')
    return method
  }

  /** A kept card is charged without its owner, so it never asks to confirm again. */
  private keepCard(
    account: string,
    mode: Mode,
    key: string,
    { behaviour: shown, ends, expires = null }: Pick<Method, 'behaviour' | 'ends' | 'expires'>,
  ): Method {
    const behaviour = shown === 'confirms' ? 'pays' : shown
    const method = { id: this.newId('method'), key, account, mode, behaviour, ends, expires }
    this.write({ kind: 'method', method })
    return method
  }

  protected rememberMore(entry: More) {
    if (entry.kind === 'method') this.methods.set(entry.method.id, entry.method)
    else this.disputes.set(entry.dispute.id, entry.dispute)
  }

  protected blank(payment: Payment): CardPayment {
    return { ...payment, ends: null }
  }

  protected checkRefund() {}
}

/** 1.7 %, and 19 cents where the payment is in euros. */
function fee(amount: number, currency: string): number {
  return feeFor(amount, currency, 170, 19)
}
