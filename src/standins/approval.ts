import { html, raw } from 'hono/html'
import { framePage } from './page.ts'

type Content = ReturnType<typeof html>

/** The look of a page at which a payer approves something, at one provider. */
export interface ApprovalLook {
  name: string
  ink: string
  ground: string
  line: string
}

/** A whole page at a provider, to which a buyer was sent and from which they go back. */
export function approvalPage(look: ApprovalLook, title: string, content: Content) {
  return framePage(
    `${title} · ${look.name}`,
    `
*{box-sizing:border-box}body{margin:0;min-height:100vh;display:grid;place-items:center;padding:24px;font:400 16px/1.5 "Instrument Sans Variable",sans-serif;color:${look.ink};background:${look.ground};font-variant-numeric:tabular-nums}
main{width:460px;max-width:100%;background:#fff;border:1px solid ${look.line};border-radius:14px;padding:26px 28px}
b.name{font-size:14px;letter-spacing:.02em}h1{font-size:23px;line-height:1.25;margin:10px 0 8px}p{margin:0 0 14px}.muted{opacity:.78;font-size:14px}
form{display:grid;gap:9px;margin-top:18px}button{font:inherit;font-weight:600;border-radius:9px;padding:11px 15px;cursor:pointer;border:1.5px solid ${look.ink};background:#fff;color:${look.ink};text-align:left}
button.go{background:${look.ink};color:#fff}button:focus-visible{outline:3px solid ${look.line};outline-offset:2px}
button.sample{border-style:dashed;background:repeating-linear-gradient(135deg,transparent 0 6px,${look.ground} 6px 8px)}`,
    html`<main><b class="name">${look.name}</b>${content}</main>`,
  )
}

/** An amount as a payer reads it. */
export function formatAmount(amount: number, currency: string): string {
  const money = new Intl.NumberFormat('en', { style: 'currency', currency })
  return money.format(amount / 10 ** (money.resolvedOptions().maximumFractionDigits ?? 2))
}

/** A button of the form that answers. */
export function answerButton(answer: string, label: string, kind: 'go' | 'sample' | 'back') {
  return html`<button ${raw(kind === 'back' ? '' : `class="${kind}"`)} name="answer" value="${answer}">${label}</button>`
}
