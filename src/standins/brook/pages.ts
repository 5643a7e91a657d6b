import { Hono } from 'hono'
import { html } from 'hono/html'
import * as v from 'valibot'
import { type ApprovalLook, answerButton, approvalPage, formatAmount } from '../approval.ts'
import type { EventSender } from '../events.ts'
import { keyIn, PAYMENT_FIELDS, providerApi, read } from '../provider/api.ts'
import { Refusal } from '../provider/books.ts'
import type { World } from '../world.ts'
import { HOURS_ON_ITS_WAY, type TransferBooks, type TransferPayment } from './books.ts'

const LOOK: ApprovalLook = { name: 'Brook Transfer', ink: '#1f4a5c', ground: '#eaf2f4', line: '#bcd3da' }
const paymentRequest = v.object({ ...PAYMENT_FIELDS, return_url: v.optional(v.pipe(v.string(), v.url())) })

/** Brook Transfer: its interface for merchants, and the bank's page at which a payer sends the money. */
export function brookTransfer(books: TransferBooks, events: EventSender, world: World, origin: string) {
  const view = (payment: TransferPayment) => {
    const { id, key, state, amount, currency, fee, reason, confirmSecret, sentAt } = payment
    return {
      id,
      key,
      state,
      amount,
      currency,
      fee,
      reason,
      method: null,
      payer: sentAt ? 'transfer from the bank' : null,
      expires: null,
      confirm_url: confirmSecret ? `${origin}/brook/send/${id}?s=${confirmSecret}` : null,
    }
  }
  /** Lets a transfer end, at once or where its hours are over, and tells of it. */
  const arrive = (payment: TransferPayment, when: Date | 'at-once'): TransferPayment => {
    const ended = books.arrive(payment, when)
    if (ended.changed) announce(ended.payment)
    return ended.payment
  }
  const {
    app: api,
    checkMoney,
    answer,
    announce,
  } = providerApi({
    name: LOOK.name,
    books,
    events,
    world,
    view,
    takes: { EUR: 100 },
    largest: 1_500_000,
    look: arrive,
  })
  api.post('/payments', async (c) => {
    const request = checkMoney(await read(c, paymentRequest))
    const { payment, isNew } = books.begin(c.get('account'), c.get('mode'), keyIn(c), request, c.get('when'))
    if (isNew) announce(payment)
    return answer(c, payment)
  })
  /** Whatever has been on its way for its hours has come. */
  const arriveDue = () => {
    for (const payment of books.payments.values()) arrive(payment, books.clockOf(payment))
  }

  const pages = new Hono()
  pages.onError((error, c) => {
    if (error instanceof Refusal) return c.text(error.message, error.status)
    throw error
  })
  pages.get('/send/:id', (c) => {
    const payment = books.asked(c.req.param('id'), c.req.query('s') ?? '')
    if (payment.state !== 'confirm') return c.redirect(payment.returnUrl ?? '/', 303)
    return c.html(
      approvalPage(
        LOOK,
        'Your bank',
        html`
        <h1>Send ${formatAmount(payment.amount, payment.currency)} to ${books.accounts.get(payment.account)?.name ?? ''}?</h1>
        <p class="muted">${payment.reference}</p>
        <p>It leaves your account now, and is there in about ${HOURS_ON_ITS_WAY} hours.</p>
        <form method="post" action="/brook/send/${payment.id}?s=${c.req.query('s') ?? ''}">
          ${
            payment.mode === 'practice'
              ? html`<span class="muted">Sample transfers:</span>${answerButton('arrives', 'Send it', 'sample')}${answerButton('lost', 'Send it, but it will not arrive', 'sample')}`
              : answerButton('arrives', 'Send it', 'go')
          }
          ${answerButton('back', 'Cancel and go back', 'back')}
        </form>`,
      ),
    )
  })
  pages.post('/send/:id', async (c) => {
    const said = String((await c.req.parseBody()).answer ?? '')
    const arrives = said === 'arrives' ? true : said === 'lost' ? false : null
    const { payment, changed } = books.answer(c.req.param('id'), c.req.query('s') ?? '', arrives)
    if (changed) announce(payment)
    return c.redirect(payment.returnUrl ?? '/', 303)
  })
  return { api, pages, arrive, arriveDue }
}
