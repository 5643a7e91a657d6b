import { type Context, Hono } from 'hono'
import { html, raw } from 'hono/html'
import { framePage } from '../page.ts'
import { type Mode, Refusal } from '../provider/books.ts'
import type { World } from '../world.ts'
import type { Books, CardPayment } from './books.ts'
import { cardProblem, endOfMonth, lastDayOf, SAMPLE_CARDS } from './cards.ts'

const FIELDS_STYLE = `
*{box-sizing:border-box}body{margin:0;padding:3px 3px 4px;font:400 15px/1.4 "Instrument Sans Variable",sans-serif;color:#1a231c;font-variant-numeric:tabular-nums}
.row{display:grid;grid-template-columns:1fr 86px 66px;border-bottom:1.5px solid #626d63;background:linear-gradient(transparent 70%,#f4f6ee 70%)}
.row:focus-within{border-color:#4d6a14}
label{display:block}label span{position:absolute;width:1px;height:1px;overflow:hidden;clip-path:inset(50%)}
input{width:100%;border:0;background:none;font:inherit;color:inherit;padding:9px 3px;font-variant-numeric:tabular-nums;min-width:0}
input::placeholder{color:#626d63;opacity:1}input:focus{outline:2px solid #4d6a14;outline-offset:-1px;border-radius:3px}
#why{color:#9c2b27;font-size:13.5px;margin:5px 2px 0;font-weight:550}#why:empty{display:none}
.rack{display:flex;gap:7px;flex-wrap:wrap;align-items:center;margin-top:10px;font-size:13px;color:#48534a}
.rack button{font:inherit;font-weight:550;color:#1a231c;border:1.5px dashed #48534a;border-radius:7px;background:repeating-linear-gradient(135deg,transparent 0 6px,#eef1e6 6px 8px);padding:4px 10px;cursor:pointer}
.rack button[aria-pressed=true]{background:#e9f2c4;border-style:solid;border-color:#4d6a14}
button:focus-visible{outline:2px solid #4d6a14;outline-offset:2px}
@media(max-width:380px){.row{grid-template-columns:1fr 74px 52px}}
`

const FIELDS_SCRIPT = `
const parent_ = document.body.dataset.parent, account = document.body.dataset.account, mode = document.body.dataset.mode, at = document.body.dataset.at;
const $ = (id) => document.getElementById(id);
const say = (message) => parent.postMessage(message, parent_);
const height = () => say({ type: 'fields:height', height: Math.ceil(document.body.getBoundingClientRect().height) });
new ResizeObserver(height).observe(document.body);
const show = (field, why) => {
  $('why').textContent = why ?? '';
  for (const name of ['number', 'expiry', 'code']) $(name).toggleAttribute('aria-invalid', name === field);
  if (field) $(field).focus();
  height();
};
for (const name of ['number', 'expiry', 'code']) $(name).addEventListener('input', () => { show(); press(null); });
$('number').addEventListener('input', (e) => { if (!e.target.value.endsWith(' ')) e.target.value = e.target.value.replace(/\\D/g, '').replace(/(.{4})(?=.)/g, '$1 '); });
$('expiry').addEventListener('input', (e) => { if (/^\\d{2}$/.test(e.target.value) && e.inputType !== 'deleteContentBackward') e.target.value += ' / '; });
const press = (chosen) => document.querySelectorAll('.rack button').forEach((b) => b.setAttribute('aria-pressed', String(b === chosen)));
document.querySelectorAll('.rack button').forEach((b) => b.addEventListener('click', () => {
  $('number').value = b.dataset.number.replace(/(.{4})(?=.)/g, '$1 '); $('expiry').value = b.dataset.expiry; $('code').value = '123'; show(); press(b);
}));
document.addEventListener('keydown', (e) => { if (e.key === 'Enter' && e.target.tagName === 'INPUT') say({ type: 'fields:enter' }); });
addEventListener('message', async (event) => {
  if (event.origin !== parent_) return;
  if (event.data?.type === 'fields:measure') height();
  if (event.data?.type !== 'fields:tokenise') return;
  const id = event.data.id;
  const body = JSON.stringify({ account, mode, at, number: $('number').value, expiry: $('expiry').value, code: $('code').value });
  try {
    const response = await fetch('/thistle/fields/tokens', { method: 'POST', headers: { 'content-type': 'application/json' }, body });
    const answer = await response.json();
    if (response.ok) return say({ type: 'fields:token', id, token: answer.token });
    show(answer.field, answer.why);
    say({ type: response.status >= 500 ? 'fields:down' : 'fields:invalid', id, why: answer.why });
  } catch {
    show(null, 'The card service does not answer. Try again.');
    say({ type: 'fields:down', id, why: 'The card service does not answer.' });
  }
});
say({ type: 'fields:ready' });
`

const CONFIRM_STYLE = `
*{box-sizing:border-box}body{margin:0;padding:22px 24px;font:400 15px/1.5 "Instrument Sans Variable",sans-serif;color:#231f33;background:#fff}
b.bank{font-size:13px;letter-spacing:.02em;color:#4b3c86}h1{font-size:20px;line-height:1.3;margin:8px 0 6px}p{margin:0 0 16px;color:#5d5673}
form{display:flex;gap:8px;flex-wrap:wrap}button{font:inherit;font-weight:600;border-radius:6px;padding:9px 15px;cursor:pointer;border:1px solid #34285f;background:#fff;color:#34285f}
button.go{background:#34285f;color:#fff}button:focus-visible{outline:2px solid #4b3c86;outline-offset:2px}
`

/** What buyers see of Thistle Card: the card fields and the confirmation step, both in a frame. */
export function thistleFields(books: Books, world: World, announce: (payment: CardPayment) => void) {
  const app = new Hono()
  /** The clock that a practice card is held against: the product's, which may run ahead. */
  const clockOf = (mode: Mode, at: unknown) => {
    const said = Date.parse(String(at ?? ''))
    return mode === 'practice' && Number.isFinite(said) ? new Date(said) : books.now()
  }

  app.get('/fields', (c) => {
    const parent = originOf(c.req.query('parent'))
    const account = c.req.query('account') ?? ''
    const mode: Mode = c.req.query('mode') === 'live' ? 'live' : 'practice'
    if (!parent || !books.accounts.has(account)) return c.text('Unknown account or page.', 400)
    allowFrame(c, parent)
    const at = clockOf(mode, c.req.query('at'))
    const rack = html`<div class="rack" role="group" aria-label="Sample cards">
      <span>Sample cards:</span>
      ${SAMPLE_CARDS.map((card) => html`<button type="button" aria-pressed="false" data-number="${card.number}" data-expiry="${endOfMonth(at, 'expires' in card ? card.expires : 53).expiry}">${card.label}</button>`)}
    </div>`
    return c.html(
      framePage(
        'Card',
        FIELDS_STYLE,
        html`
        <form class="row" autocomplete="off" onsubmit="return false">
          <label><span>Card number</span><input id="number" inputmode="numeric" placeholder="Card number" maxlength="23" aria-describedby="why" /></label>
          <label><span>Expires, month and year</span><input id="expiry" inputmode="numeric" placeholder="MM / YY" maxlength="7" aria-describedby="why" /></label>
          <label><span>Security code</span><input id="code" inputmode="numeric" placeholder="Code" maxlength="4" aria-describedby="why" /></label>
        </form>
        <div id="why" role="alert"></div>
        ${mode === 'practice' ? rack : ''}
        <script>
          Object.assign(document.body.dataset, ${raw(JSON.stringify({ parent, account, mode, at: at.toISOString() }).replaceAll('<', '\\u003c'))})
        </script>
        <script>${raw(FIELDS_SCRIPT)}</script>`,
      ),
    )
  })

  app.post('/fields/tokens', async (c) => {
    if (world.slowMs > 0) await new Promise((resolve) => setTimeout(resolve, world.slowMs))
    if (world.down || world.downAt === 'Thistle Card')
      return c.json({ field: null, why: 'The card service is down at the moment.' }, 503)
    const body = (await c.req.json().catch(() => ({}))) as Record<string, unknown>
    const card = { number: String(body.number ?? ''), expiry: String(body.expiry ?? ''), code: String(body.code ?? '') }
    const mode: Mode = body.mode === 'live' ? 'live' : 'practice'
    const problem = cardProblem(card, clockOf(mode, body.at))
    if (problem) return c.json(problem, 422)
    try {
      return c.json(books.tokenise(String(body.account ?? ''), mode, card.number, lastDayOf(card.expiry)))
    } catch (error) {
      if (error instanceof Refusal) return c.json({ field: null, why: error.message }, error.status)
      throw error
    }
  })

  app.get('/confirm/:id', (c) => {
    const payment = books.payments.get(c.req.param('id'))
    const parent = originOf(c.req.query('parent'))
    if (!payment || !parent) return c.text('Unknown payment.', 404)
    allowFrame(c, parent)
    if (payment.state !== 'confirm') {
      return c.html(
        framePage(
          'Done',
          CONFIRM_STYLE,
          html`<h1>This payment is settled.</h1>${tellParent(parent, 'fields:confirmed')}`,
        ),
      )
    }
    const money = new Intl.NumberFormat('en', { style: 'currency', currency: payment.currency })
    const amount = money.format(payment.amount / 10 ** (money.resolvedOptions().maximumFractionDigits ?? 2))
    return c.html(
      framePage(
        'Confirm',
        CONFIRM_STYLE,
        html`
        <b class="bank">Your bank asks</b>
        <h1>Approve ${amount} to ${books.accounts.get(payment.account)?.name ?? ''}?</h1>
        <p>Card ending ${payment.ends ?? ''} · ${payment.reference}</p>
        <form method="post" action="/thistle/confirm/${payment.id}?parent=${encodeURIComponent(parent)}">
          <input type="hidden" name="secret" value="${c.req.query('s') ?? ''}" />
          <button class="go" name="answer" value="approve">Approve</button>
          <button name="answer" value="refuse">Refuse</button>
          <button type="button" id="leave">Walk away</button>
        </form>
        <script>
          document.getElementById('leave').addEventListener('click', () => parent.postMessage({ type: 'fields:left' }, ${raw(JSON.stringify(parent))}))
        </script>`,
      ),
    )
  })

  app.post('/confirm/:id', async (c) => {
    const parent = originOf(c.req.query('parent'))
    if (!parent) return c.text('Unknown page.', 400)
    const form = await c.req.parseBody()
    try {
      const { payment, changed } = books.confirm(
        c.req.param('id'),
        String(form.secret ?? ''),
        form.answer === 'approve',
      )
      if (changed) announce(payment)
    } catch (error) {
      if (error instanceof Refusal) return c.text(error.message, error.status)
      throw error
    }
    allowFrame(c, parent)
    return c.html(
      framePage(
        'Done',
        CONFIRM_STYLE,
        html`<h1>Thank you.</h1><p>One moment.</p>${tellParent(parent, 'fields:confirmed')}`,
      ),
    )
  })

  return app
}

function tellParent(parent: string, type: string) {
  return html`<script>parent.postMessage(${raw(JSON.stringify({ type }))}, ${raw(JSON.stringify(parent))})</script>`
}

function allowFrame(c: Context, parent: string) {
  c.header('content-security-policy', `frame-ancestors ${parent}`)
}

function originOf(text: string | undefined): string | null {
  try {
    const url = new URL(text ?? '')
    return url.protocol === 'http:' || url.protocol === 'https:' ? url.origin : null
  } catch {
    return null
  }
}
