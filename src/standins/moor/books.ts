import { type Account, feeFor, type Mode, type Payment, ProviderBooks, Refusal } from '../provider/books.ts'

/** What a wallet does when it is asked: each is a made-up wallet to choose from in practice. */
export const SAMPLE_WALLETS = [
  { name: 'wallet of Ada', behaviour: 'pays', label: 'Pays' },
  { name: 'wallet of Ben', behaviour: 'not-enough-money', label: 'Not enough money' },
  { name: 'wallet of Cleo', behaviour: 'pays-once', label: 'Pays once, then fails' },
] as const
export type WalletBehaviour = (typeof SAMPLE_WALLETS)[number]['behaviour']

export interface WalletPayment extends Payment {
  returnUrl: string | null
  /** Its payer is asked to let it be charged again. */
  keep: boolean
  /** The wallet that paid, in words. */
  wallet: string | null
}

/** What a wallet's owner lets a merchant charge by itself, up to a limit a charge. */
export interface Approval {
  id: string
  account: string
  mode: Mode
  wallet: string
  behaviour: WalletBehaviour
  isEnded: boolean
}

type More = { kind: 'approval'; approval: Approval }

/** The largest charge by a kept approval, in minor units. */
export const APPROVED_UP_TO: Readonly<Record<string, number>> = {
  EUR: 50_000,
  USD: 50_000,
  GBP: 45_000,
  CHF: 50_000,
  SEK: 500_000,
  DKK: 350_000,
  NOK: 500_000,
  PLN: 200_000,
}

export interface WalletRequest {
  amount: number
  currency: string
  return_url?: string | undefined
  keep?: boolean | undefined
  method?: string | undefined
  reference: string
  statement: string
}

/** Moor Wallet's books. */
export class WalletBooks extends ProviderBooks<WalletPayment, More> {
  readonly approvals = new Map<string, Approval>()

  constructor(file: string | null, now?: () => Date) {
    super({ id: 'mw', key: 'moor' }, file, now)
    this.load()
  }

  /** Begins a payment: one that its payer must approve, or a charge by an approval kept before. */
  begin(account: Account, mode: Mode, key: string, request: WalletRequest): { payment: WalletPayment; isNew: boolean } {
    const { amount, currency, reference, statement } = request
    const known = this.known(account.id, mode, key, amount, currency)
    if (known) return { payment: known, isNew: false }
    const blank = this.blank({
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
      confirmSecret: null,
      refunded: 0,
      method: null,
      at: this.now().toISOString(),
    })
    const payment = request.method
      ? this.charged(blank, this.approvalOf(account.id, mode, request.method))
      : { ...blank, ...this.asking(request) }
    this.write({ kind: 'payment', payment })
    return { payment, isNew: true }
  }

  private asking({ return_url, keep = false }: WalletRequest) {
    if (!return_url) throw new Refusal(400, 'bad-request', 'Say where the payer comes back to.')
    return { confirmSecret: this.newSecret(), returnUrl: return_url, keep }
  }

  private charged(payment: WalletPayment, approval: Approval): WalletPayment {
    const { wallet, behaviour, isEnded } = approval
    const isOver = payment.amount > (APPROVED_UP_TO[payment.currency] ?? 0)
    const reason = isEnded
      ? 'approval-ended'
      : isOver
        ? 'over-limit'
        : behaviour === 'not-enough-money'
          ? behaviour
          : null
    if (reason) return { ...payment, state: 'declined', reason, wallet }
    this.runDry(approval)
    return { ...payment, state: 'captured', fee: fee(payment.amount, payment.currency), wallet }
  }

  private approvalOf(account: string, mode: Mode, id: string): Approval {
    const approval = this.approvals.get(id)
    if (approval?.account !== account || approval.mode !== mode)
      throw new Refusal(422, 'bad-token', 'There is no such approval.')
    return approval
  }

  /** The payer approves with a wallet, or goes back without. An answer that comes too late changes nothing. */
  answer(id: string, secret: string, behaviour: WalletBehaviour | null): { payment: WalletPayment; changed: boolean } {
    const payment = this.asked(id, secret)
    if (payment.state !== 'confirm') return { payment, changed: false }
    const sample = SAMPLE_WALLETS.find((wallet) => wallet.behaviour === behaviour)
    const settled: WalletPayment = {
      ...payment,
      confirmSecret: null,
      ...(!sample
        ? { state: 'declined', reason: 'refused-by-buyer' }
        : sample.behaviour === 'not-enough-money'
          ? { state: 'declined', reason: 'not-enough-money', wallet: sample.name }
          : {
              state: 'captured',
              fee: fee(payment.amount, payment.currency),
              wallet: sample.name,
              method: payment.keep ? this.approve(payment, sample) : null,
            }),
    }
    this.write({ kind: 'payment', payment: settled })
    return { payment: settled, changed: true }
  }

  private approve({ account, mode }: WalletPayment, sample: (typeof SAMPLE_WALLETS)[number]): string {
    const behaviour = sample.behaviour === 'pays-once' ? 'not-enough-money' : sample.behaviour
    const approval = { id: this.newId('app'), account, mode, wallet: sample.name, behaviour, isEnded: false }
    this.write({ kind: 'approval', approval })
    return approval.id
  }

  /** A wallet that pays once has paid. */
  private runDry(approval: Approval) {
    if (approval.behaviour === 'pays-once')
      this.write({ kind: 'approval', approval: { ...approval, behaviour: 'not-enough-money' } })
  }

  forget(account: string, mode: Mode, id: string) {
    const approval = this.approvals.get(id)
    if (approval?.account === account && approval.mode === mode) this.endApproval(id)
  }

  /** The wallet's owner no longer lets the merchant charge it. */
  endApproval(id: string) {
    const approval = this.approvals.get(id)
    if (approval) this.write({ kind: 'approval', approval: { ...approval, isEnded: true } })
  }

  protected rememberMore({ approval }: More) {
    this.approvals.set(approval.id, approval)
  }

  protected blank(payment: Payment): WalletPayment {
    return { ...payment, returnUrl: null, keep: false, wallet: null }
  }

  protected checkRefund(payment: WalletPayment, amount: number) {
    if (amount !== payment.amount) throw new Refusal(422, 'whole-only', 'Moor Wallet gives back whole payments only.')
  }
}

/** 2.4 %, and 10 cents where the payment is in euros. */
function fee(amount: number, currency: string): number {
  return feeFor(amount, currency, 240, 10)
}
