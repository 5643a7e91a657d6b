import { type Account, feeFor, type Mode, type Payment, ProviderBooks, Refusal } from '../provider/books.ts'

export interface TransferPayment extends Payment {
  returnUrl: string | null
  /** When the payer sent it, and whether it will arrive. */
  sentAt: string | null
  arrives: boolean
  /** How far the caller's practice clock ran ahead, in milliseconds. */
  aheadMs: number
}

/** So long a transfer is on its way. */
export const HOURS_ON_ITS_WAY = 3

export interface TransferRequest {
  amount: number
  currency: string
  return_url?: string | undefined
  method?: string | undefined
  reference: string
  statement: string
}

/** Brook Transfer's books: euros only, sent from the payer's bank, there hours later. */
export class TransferBooks extends ProviderBooks<TransferPayment> {
  constructor(file: string | null, now?: () => Date) {
    super({ id: 'bt', key: 'brook' }, file, now)
    this.load()
  }

  begin(
    account: Account,
    mode: Mode,
    key: string,
    { amount, currency, return_url, method, reference, statement }: TransferRequest,
    when = this.now(),
  ): { payment: TransferPayment; isNew: boolean } {
    const known = this.known(account.id, mode, key, amount, currency)
    if (known) return { payment: known, isNew: false }
    if (method) throw new Refusal(422, 'bad-token', 'Brook Transfer keeps no method.')
    if (!return_url) throw new Refusal(400, 'bad-request', 'Say where the payer comes back to.')
    const payment: TransferPayment = {
      id: this.newId('pay'),
      key,
      account: account.id,
      mode,
      state: 'confirm',
      amount,
      currency,
      fee: 0,
      reason: null,
      reference,
      statement,
      confirmSecret: this.newSecret(),
      refunded: 0,
      method: null,
      at: this.now().toISOString(),
      returnUrl: return_url,
      sentAt: null,
      arrives: true,
      aheadMs: when.getTime() - this.now().getTime(),
    }
    this.write({ kind: 'payment', payment })
    return { payment, isNew: true }
  }

  /** The payer sends it (`arrives`: whether it will come), or goes back without (null). */
  answer(id: string, secret: string, arrives: boolean | null): { payment: TransferPayment; changed: boolean } {
    const payment = this.asked(id, secret)
    if (payment.state !== 'confirm') return { payment, changed: false }
    return this.change(
      arrives === null
        ? { ...payment, state: 'declined', reason: 'refused-by-buyer', confirmSecret: null }
        : { ...payment, state: 'sent', arrives, sentAt: this.clockOf(payment).toISOString(), confirmSecret: null },
    )
  }

  /** Lets a transfer that is on its way come to its end: at once, or once its hours are over. */
  arrive(payment: TransferPayment, when: Date | 'at-once'): { payment: TransferPayment; changed: boolean } {
    if (payment.state !== 'sent') return { payment, changed: false }
    const isDue =
      when === 'at-once' || when.getTime() - Date.parse(payment.sentAt ?? '') >= HOURS_ON_ITS_WAY * 3_600_000
    if (!isDue) return { payment, changed: false }
    return this.change(
      payment.arrives
        ? { ...payment, state: 'captured', fee: feeFor(payment.amount, payment.currency, 60, 15) }
        : { ...payment, state: 'declined', reason: 'not-arrived' },
    )
  }

  /** The clock of whoever asked for a payment, as far as it is known here. */
  clockOf({ aheadMs }: TransferPayment): Date {
    return new Date(this.now().getTime() + aheadMs)
  }

  private change(payment: TransferPayment) {
    this.write({ kind: 'payment', payment })
    return { payment, changed: true }
  }

  /** It keeps none. */
  forget() {}

  protected rememberMore() {}

  protected blank(payment: Payment): TransferPayment {
    return { ...payment, returnUrl: null, sentAt: null, arrives: false, aheadMs: 0 }
  }

  protected checkRefund() {}
}
