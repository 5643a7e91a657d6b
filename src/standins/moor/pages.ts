import { Hono } from 'hono'
import { html } from 'hono/html'
import * as v from 'valibot'
import { type ApprovalLook, answerButton, approvalPage, formatAmount } from '../approval.ts'
import type { EventSender } from '../events.ts'
import { keyIn, PAYMENT_FIELDS, providerApi, read } from '../provider/api.ts'
import { Refusal } from '../provider/books.ts'
import type { World } from '../world.ts'
import { APPROVED_UP_TO, SAMPLE_WALLETS, type WalletBooks, type WalletPayment } from './books.ts'

const LOOK: ApprovalLook = { name: 'Moor Wallet', ink: '#5a2747', ground: '#f6eef3', line: '#dcc4d3' }
const TAKES = { EUR: 100, USD: 100, GBP: 100, CHF: 100, SEK: 1, DKK: 1, NOK: 1, PLN: 1 }
const paymentRequest = v.object({ ...PAYMENT_FIELDS, return_url: v.optional(v.pipe(v.string(), v.url())) })

/** Moor Wallet: its interface for merchants, and the page at which a payer approves. */
export function moorWallet(books: WalletBooks, events: EventSender, world: World, origin: string) {
  const view = (payment: WalletPayment) => {
    const { id, key, state, amount, currency, fee, reason, method, wallet, confirmSecret } = payment
    return {
      id,
      key,
      state,
      amount,
      currency,
      fee,
      reason,
      method,
      payer: wallet,
      expires: null,
      confirm_url: confirmSecret ? `${origin}/moor/approve/${id}?s=${confirmSecret}` : null,
    }
  }
  const {
    app: api,
    checkMoney,
    answer,
    announce,
  } = providerApi({ name: LOOK.name, books, events, world, view, takes: TAKES, largest: 1_000_000 })
  api.post('/payments', async (c) => {
    const request = checkMoney(await read(c, paymentRequest))
    const { payment, isNew } = books.begin(c.get('account'), c.get('mode'), keyIn(c), request)
    if (isNew) announce(payment)
    return answer(c, payment)
  })

  const pages = new Hono()
  pages.onError((error, c) => {
    if (error instanceof Refusal) return c.text(error.message, error.status)
    throw error
  })
  pages.get('/approve/:id', (c) => {
    const payment = books.asked(c.req.param('id'), c.req.query('s') ?? '')
    if (payment.state !== 'confirm') return c.redirect(payment.returnUrl ?? '/', 303)
    const { amount, currency, reference, keep, mode } = payment
    const limit = APPROVED_UP_TO[currency] ?? 0
    return c.html(
      approvalPage(
        LOOK,
        'Approve',
        html`
        <h1>Pay ${formatAmount(amount, currency)} to ${books.accounts.get(payment.account)?.name ?? ''}?</h1>
        <p class="muted">${reference}</p>
        ${keep ? html`<p>By approving you also let them charge later payments, up to ${formatAmount(limit, currency)} each, until you end it in your wallet.</p>` : ''}
        <form method="post" action="/moor/approve/${payment.id}?s=${c.req.query('s') ?? ''}">
          ${
            mode === 'practice'
              ? html`<span class="muted">Sample wallets:</span>${SAMPLE_WALLETS.map(({ behaviour, label }) => answerButton(behaviour, label, 'sample'))}`
              : answerButton('pays', 'Approve', 'go')
          }
          ${answerButton('back', 'Cancel and go back', 'back')}
        </form>`,
      ),
    )
  })
  pages.post('/approve/:id', async (c) => {
    const said = String((await c.req.parseBody()).answer ?? '')
    const behaviour = SAMPLE_WALLETS.find((wallet) => wallet.behaviour === said)?.behaviour ?? null
    const { payment, changed } = books.answer(c.req.param('id'), c.req.query('s') ?? '', behaviour)
    if (changed) announce(payment)
    return c.redirect(payment.returnUrl ?? '/', 303)
  })
  return { api, pages }
}
