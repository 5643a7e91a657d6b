import { html, raw } from 'hono/html'

type Content = ReturnType<typeof html>

const STYLE = `
@font-face{font-family:"Instrument Sans Variable";src:url(/assets/instrument-sans.woff2) format("woff2");font-weight:400 700}
*{box-sizing:border-box}
body{margin:0;font:400 14px/1.5 "Instrument Sans Variable",sans-serif;color:#231f33;background:#f1eff5;font-variant-numeric:tabular-nums}
header{display:flex;gap:20px;align-items:baseline;padding:14px 28px;background:#fff;border-bottom:1px solid #d8d3e4;flex-wrap:wrap}
header b{font-size:16px}header a{color:#4b3c86;text-decoration:none;font-weight:550}header a[aria-current]{text-decoration:underline;text-underline-offset:4px}
main{max-width:1000px;margin:0 auto;padding:24px 28px}
h1{font-size:24px;margin:0 0 6px}h2{font-size:17px;margin:26px 0 8px}
p{max-width:70ch;margin:6px 0}table{border-collapse:collapse;width:100%;background:#fff;border:1px solid #d8d3e4}
th{text-align:left;font-size:12.5px;color:#5d5673;padding:7px 10px;border-bottom:1px solid #c6bfd8}td{padding:7px 10px;border-bottom:1px solid #e6e2ee;vertical-align:top}
code{font-family:ui-monospace,monospace;font-size:13px;user-select:all;background:#f6f4fa;padding:1px 5px;border-radius:4px;overflow-wrap:anywhere}
form.in{display:inline}button{font:inherit;font-weight:600;background:#34285f;color:#fff;border:0;border-radius:6px;padding:8px 14px;cursor:pointer}
input[type=text],input[type=number]{font:inherit;padding:7px 9px;border:1px solid #8d84a6;border-radius:6px}
label{display:flex;gap:9px;align-items:center;margin:8px 0}a{color:#4b3c86}button.s{padding:3px 9px;font-size:13px;background:#fff;color:#34285f;border:1px solid #8d84a6}.n{text-align:right}select{font:inherit;padding:6px}.muted{color:#5d5673}
:focus-visible{outline:2px solid #4b3c86;outline-offset:2px}
`

/** A page of the stand-ins' console. */
export function consolePage(title: string, path: string, content: Content) {
  const links = [
    ['/', 'Accounts'],
    ['/thistle/payments', 'Card payments'],
    ['/moor/payments', 'Wallet payments'],
    ['/brook/payments', 'Transfers'],
    ['/events', 'Events sent'],
    ['/world', 'Misbehave'],
    ['/mail', 'Mailbox'],
  ] as const
  return html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width,initial-scale=1" />
        <title>${title} · stand-ins</title>
        <link rel="icon" href="data:," />
        <style>${raw(STYLE)}</style>
      </head>
      <body>
        <header>
          <b>The simulated outside world</b>
          ${links.map(([href, label]) => html`<a href="${href}" ${href === path ? raw('aria-current="page"') : ''}>${label}</a>`)}
        </header>
        <main><h1>${title}</h1>${content}</main>
      </body>
    </html>`
}

/** A bare page that lives in a frame of the product. */
export function framePage(title: string, style: string, content: Content) {
  return html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width,initial-scale=1" />
        <title>${title}</title>
        <link rel="icon" href="data:," />
        <style>
          ${raw('@font-face{font-family:"Instrument Sans Variable";src:url(/assets/instrument-sans.woff2) format("woff2");font-weight:400 700}')}
          ${raw(style)}
        </style>
      </head>
      <body>${content}</body>
    </html>`
}
