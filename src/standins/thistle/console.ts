import { Hono } from 'hono'
import { html, raw } from 'hono/html'
import type { EventSender } from '../events.ts'
import { consolePage } from '../page.ts'
import { GOOD_WEATHER, type World } from '../world.ts'
import type { Books, Payment } from './books.ts'

const FLAGS: [keyof World, string][] = [
  ['down', 'Down: every call is refused, nothing is charged'],
  ['answersLost', 'Answers lost: payments are charged, but the product never hears the answer'],
  ['eventsDoubled', 'Every event is sent twice'],
  ['eventsLost', 'Events are lost'],
  ['eventsReordered', 'Events arrive in the wrong order, two at a time'],
]

/** Thistle Card's own pages for whoever has an account there, and the switches to make it misbehave. */
export function thistleConsole(books: Books, events: EventSender, world: World) {
  const app = new Hono()

  app.get('/', (c) =>
    c.html(
      consolePage(
        'Thistle Card accounts',
        '/',
        html`
        <p>Thistle Card is a simulated card company. It moves no money and pays out nothing. Copy an account id and
          a secret key from here into Young Acorn, under Setup → Gateways.</p>
        ${[...books.accounts.values()].map(
          (account) => html`
          <h2>${account.name}</h2>
          <table>
            <tr><th scope="row">Account id</th><td><code>${account.id}</code></td></tr>
            <tr><th scope="row">Secret key, practice</th><td><code>${account.keys.practice}</code></td></tr>
            <tr><th scope="row">Secret key, live</th><td><code>${account.keys.live}</code></td></tr>
          </table>`,
        )}
        <h2>Open an account</h2>
        <form method="post" action="/accounts"><label>Name of the school <input type="text" name="name" required maxlength="60" /></label><button>Open it</button></form>
        <h2>Fees</h2><p>1.7 % of every payment, and 19 cents where it is in euros.</p>`,
      ),
    ),
  )

  app.post('/accounts', async (c) => {
    const name = String((await c.req.parseBody()).name ?? '')
      .trim()
      .slice(0, 60)
    if (name) books.openAccount(name)
    return c.redirect('/', 303)
  })

  app.get('/thistle/payments', (c) => {
    const payments = [...books.payments.values()].reverse().slice(0, 300)
    return c.html(
      consolePage(
        'Payments',
        '/thistle/payments',
        html`
        <p>What Thistle Card's own books say, newest first.</p>
        ${
          payments.length === 0
            ? html`<p class="muted">No payments yet.</p>`
            : html`<table>
          <thead><tr><th>When</th><th>Mode</th><th>Reference</th><th>Payment</th><th>Card</th><th class="n">Amount</th><th class="n">Fee</th><th>State</th></tr></thead>
          <tbody>${payments.map(row)}</tbody></table>`
        }`,
      ),
    )
  })

  app.get('/thistle/payments.json', (c) => c.json([...books.payments.values()]))

  app.get('/thistle/events', (c) =>
    c.html(
      consolePage(
        'Events sent',
        '/thistle/events',
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
      slowMs: boundedNumber(form.slowMs, 60_000),
      eventsLateSeconds: boundedNumber(form.eventsLateSeconds, 86_400),
    })
    return c.redirect('/world', 303)
  })

  return app
}

function row(payment: Payment) {
  const amount = payment.currency ? formatted(payment.amount, payment.currency) : ''
  return html`<tr><td>${payment.at.slice(0, 16).replace('T', ' ')}</td><td>${payment.mode}</td><td>${payment.reference}</td>
    <td>${payment.id}</td><td>${payment.ends ?? ''}</td><td class="n">${amount}</td>
    <td class="n">${payment.fee > 0 ? formatted(payment.fee, payment.currency) : '–'}</td>
    <td>${payment.state}${payment.reason ? html`, ${payment.reason}` : ''}</td></tr>`
}

function formatted(amount: number, currency: string) {
  const format = new Intl.NumberFormat('en', { style: 'currency', currency })
  return format.format(amount / 10 ** (format.resolvedOptions().maximumFractionDigits ?? 2))
}

function boundedNumber(value: unknown, most: number) {
  const number = Math.floor(Number(value))
  return Number.isFinite(number) ? Math.min(Math.max(number, 0), most) : 0
}
