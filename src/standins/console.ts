import { type Context, Hono } from 'hono'
import { html, raw } from 'hono/html'
import { formatAmount } from './approval.ts'
import type { TransferBooks, TransferPayment } from './brook/books.ts'
import type { EventSender } from './events.ts'
import type { WalletBooks, WalletPayment } from './moor/books.ts'
import { consolePage } from './page.ts'
import { type Payment, Refusal } from './provider/books.ts'
import type { BookedDispute, Books, CardPayment } from './thistle/books.ts'
import { GOOD_WEATHER, type World } from './world.ts'

type Content = ReturnType<typeof html>

const FLAGS: [keyof World, string][] = [
  ['down', 'Down: every call is refused, nothing is charged'],
  ['answersLost', 'Answers lost: payments are charged, but the product never hears the answer'],
  ['answersHalved', 'Half answers: payments and refunds are done, but the answer ends in its middle'],
  ['eventsDoubled', 'Every event is sent twice'],
  ['eventsLost', 'Events are lost'],
  ['eventsReordered', 'Events arrive in the wrong order, two at a time'],
]
/** Copies what stands beside a button, and says so. */
const COPY = `document.addEventListener('click', async (event) => {
  const button = event.target.closest('button[data-copy]')
  if (!button) return
  await navigator.clipboard.writeText(button.dataset.copy)
  document.getElementById('said').textContent = 'Copied: ' + button.dataset.copy
  button.textContent = 'Copied'
})`

/** A text that is copied by a press. */
function copied(text: string) {
  return html`<code>${text}</code> <button type="button" class="s" data-copy="${text}">Copy</button>`
}

const NAMES = ['Thistle Card', 'Moor Wallet', 'Brook Transfer']

interface Outside {
  books: Books
  wallets: WalletBooks
  transfers: TransferBooks
  events: EventSender
  world: World
  announceDispute: (disputed: { dispute: BookedDispute; payment: CardPayment }) => void
  arrive: (payment: TransferPayment, when: 'at-once') => void
}

/** The providers' own pages for whoever has an account there, and the switches to make the world misbehave. */
export function standinsConsole({ books, wallets, transfers, events, world, announceDispute, arrive }: Outside) {
  const app = new Hono()
  const providers = [
    {
      id: 'thistle',
      name: 'Thistle Card',
      books,
      what: 'a simulated card company',
      fees: '1.7 % of every payment, and 19 cents where it is in euros.',
    },
    {
      id: 'moor',
      name: 'Moor Wallet',
      books: wallets,
      what: 'a simulated wallet',
      fees: '2.4 % of every payment, and 10 cents where it is in euros.',
    },
    {
      id: 'brook',
      name: 'Brook Transfer',
      books: transfers,
      what: 'a simulated service for transfers from the buyer’s bank',
      fees: '0.6 % of every payment and 15 cents. Euros only.',
    },
  ]

  app.onError((error, c) => {
    if (error instanceof Refusal) return c.text(error.message, error.status)
    throw error
  })

  app.get('/', (c) =>
    c.html(
      consolePage(
        'Accounts',
        '/',
        html`
        <p>Simulated providers: they move no money and pay out nothing. Copy an account id and a secret key from here
          into Young Acorn, under Setup → Gateways.</p>
        <p role="status" id="said" class="muted"></p>
        <script>${raw(COPY)}</script>
        ${providers.map(
          (provider) => html`
          <h2 id="${provider.id}">${provider.name}</h2>
          <p class="muted">${provider.name} is ${provider.what}. It takes ${provider.fees}</p>
          ${[...provider.books.accounts.values()].map(
            (account) => html`
            <table>
              <tr><th scope="row">School</th><td>${account.name}${account.sole ? ' · by its terms the only way offered' : ''}</td></tr>
              <tr><th scope="row">Account id</th><td>${copied(account.id)}</td></tr>
              <tr><th scope="row">Secret key, practice</th><td>${copied(account.keys.practice)}</td></tr>
              <tr><th scope="row">Secret key, live</th><td>${copied(account.keys.live)}</td></tr>
            </table><br />`,
          )}
          <form method="post" action="/accounts">
            <input type="hidden" name="provider" value="${provider.id}" />
            <label>Name of the school <input type="text" name="name" required maxlength="60" /></label>
            ${provider.id === 'brook' ? html`<label><input type="checkbox" name="sole" /> On terms by which nothing else may be offered beside it</label>` : ''}
            <button>Open an account</button>
          </form>`,
        )}`,
      ),
    ),
  )

  app.post('/accounts', async (c) => {
    const form = await c.req.parseBody()
    const name = String(form.name ?? '')
      .trim()
      .slice(0, 60)
    const provider = providers.find(({ id }) => id === form.provider) ?? providers[0]
    if (name) provider?.books.openAccount(name, undefined, form.sole === 'on')
    return c.redirect(`/#${provider?.id}`, 303)
  })

  app.get('/thistle/payments.json', (c) => c.json([...books.payments.values()]))
  app.get('/moor/payments.json', (c) => c.json([...wallets.payments.values()]))
  app.get('/brook/payments.json', (c) => c.json([...transfers.payments.values()]))

  app.get('/thistle/payments', (c) => {
    const disputes = new Map([...books.disputes.values()].map((dispute) => [dispute.payment, dispute]))
    const more = (payment: CardPayment) => {
      const dispute = disputes.get(payment.id)
      if (!dispute)
        return payment.state === 'captured' && payment.refunded < payment.amount
          ? press(`/thistle/payments/${payment.id}/dispute`, 'Dispute it as its payer')
          : ''
      const decide = `/thistle/disputes/${dispute.id}`
      return html`disputed, ${dispute.state} ${dispute.state === 'contested' || dispute.state === 'open' ? html`${press(`${decide}/won`, 'Let the school win')} ${press(`${decide}/lost`, 'Let it lose')}` : ''}`
    }
    return paymentsPage(
      c,
      'Card payments',
      '/thistle/payments',
      'Card',
      [...books.payments.values()],
      ({ ends }) => ends,
      more,
    )
  })
  app.post('/thistle/payments/:id/dispute', (c) => {
    announceDispute(books.dispute(c.req.param('id'), 'The payer says they did not order this.'))
    return c.redirect('/thistle/payments', 303)
  })
  app.post('/thistle/disputes/:id/:outcome', (c) => {
    announceDispute(books.decideDispute(c.req.param('id'), c.req.param('outcome') === 'won'))
    return c.redirect('/thistle/payments', 303)
  })

  app.get('/moor/payments', (c) => {
    const more = ({ method }: WalletPayment) => {
      const approval = wallets.approvals.get(method ?? '')
      if (!approval) return ''
      return approval.isEnded
        ? 'approval ended'
        : press(`/moor/approvals/${approval.id}/end`, 'End the approval as its payer')
    }
    return paymentsPage(
      c,
      'Wallet payments',
      '/moor/payments',
      'Wallet',
      [...wallets.payments.values()],
      ({ wallet }) => wallet,
      more,
    )
  })
  app.post('/moor/approvals/:id/end', (c) => {
    wallets.endApproval(c.req.param('id'))
    return c.redirect('/moor/payments', 303)
  })

  app.get('/brook/payments', (c) => {
    const more = ({ id, state }: TransferPayment) =>
      state === 'sent' ? press(`/brook/payments/${id}/arrive`, 'Let it come to its end now') : ''
    const sent = ({ sentAt }: TransferPayment) => sentAt?.slice(0, 16).replace('T', ' ') ?? null
    return paymentsPage(c, 'Transfers', '/brook/payments', 'Sent', [...transfers.payments.values()], sent, more)
  })
  app.post('/brook/payments/:id/arrive', (c) => {
    const payment = transfers.payments.get(c.req.param('id'))
    if (payment) arrive(payment, 'at-once')
    return c.redirect('/brook/payments', 303)
  })

  app.get('/events', (c) =>
    c.html(
      consolePage(
        'Events sent',
        '/events',
        html`
        <p>Signed by the Standard Webhooks scheme; an event that is not taken is sent again.</p>
        ${
          events.log.length === 0
            ? html`<p class="muted">None since this stand-in was started.</p>`
            : html`<table>
          <thead><tr><th>When</th><th>Type</th><th>To</th><th>Tries</th><th>Answer</th></tr></thead>
          <tbody>${events.log.map(
            (event) => html`<tr><td>${event.at.slice(0, 19).replace('T', ' ')}</td><td>${event.type}</td>
            <td>${event.url}</td><td class="n">${event.tries}</td><td>${event.answer ?? 'on its way'}</td></tr>`,
          )}</tbody></table>`
        }`,
      ),
    ),
  )

  app.get('/world', (c) =>
    c.html(
      consolePage(
        'Misbehave',
        '/world',
        html`
        <p>Make the outside world go wrong, and watch what the product does.</p>
        <form method="post" action="/world">
          ${FLAGS.map(([name, label]) => html`<label><input type="checkbox" name="${name}" ${world[name] ? raw('checked') : ''} /> ${label}</label>`)}
          <label>Down is only <select name="downAt"><option value="">nobody in particular</option>
            ${NAMES.map((name) => html`<option ${world.downAt === name ? raw('selected') : ''}>${name}</option>`)}</select></label>
          <label><input type="number" name="slowMs" min="0" max="60000" value="${world.slowMs}" style="width:90px" /> milliseconds before every answer</label>
          <label><input type="number" name="eventsLateSeconds" min="0" max="86400" value="${world.eventsLateSeconds}" style="width:90px" /> seconds before an event is sent</label>
          <button>Set</button>
        </form>`,
      ),
    ),
  )

  app.post('/world', async (c) => {
    const form = await c.req.parseBody()
    const flags = Object.fromEntries(FLAGS.map(([name]) => [name, form[name] === 'on']))
    Object.assign(world, GOOD_WEATHER, flags, {
      downAt: NAMES.find((name) => name === form.downAt) ?? '',
      slowMs: boundedNumber(form.slowMs, 60_000),
      eventsLateSeconds: boundedNumber(form.eventsLateSeconds, 86_400),
    })
    return c.redirect('/world', 303)
  })

  return app
}

/** A provider's own books, newest first. */
function paymentsPage<P extends Payment>(
  c: Context,
  title: string,
  path: string,
  payerLabel: string,
  payments: P[],
  payer: (payment: P) => string | null,
  more: (payment: P) => Content | string,
) {
  const row = (
    payment: P,
  ) => html`<tr><td>${payment.at.slice(0, 16).replace('T', ' ')}</td><td>${payment.mode}</td><td>${payment.reference}</td>
    <td>${payment.id}</td><td>${payer(payment) ?? ''}</td><td class="n">${payment.currency ? formatAmount(payment.amount, payment.currency) : ''}</td>
    <td class="n">${payment.fee > 0 ? formatAmount(payment.fee, payment.currency) : '–'}</td>
    <td class="n">${payment.refunded > 0 ? formatAmount(payment.refunded, payment.currency) : '–'}</td>
    <td>${payment.state}${payment.reason ? html`, ${payment.reason}` : ''}<br />${more(payment)}</td></tr>`
  const newest = payments.reverse().slice(0, 300)
  return c.html(
    consolePage(
      title,
      path,
      html`
      <p>What the provider’s own books say, newest first.</p>
      ${
        newest.length === 0
          ? html`<p class="muted">No payments yet.</p>`
          : html`<table>
        <thead><tr><th>When</th><th>Mode</th><th>Reference</th><th>Payment</th><th>${payerLabel}</th><th class="n">Amount</th><th class="n">Fee</th><th class="n">Given back</th><th>State</th></tr></thead>
        <tbody>${newest.map(row)}</tbody></table>`
      }`,
    ),
  )
}

function press(action: string, label: string) {
  return html`<form class="in" method="post" action="${action}"><button class="s">${label}</button></form>`
}

function boundedNumber(value: unknown, most: number) {
  const number = Math.floor(Number(value))
  return Number.isFinite(number) ? Math.min(Math.max(number, 0), most) : 0
}
