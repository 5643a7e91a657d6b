import { Hono } from 'hono'
import { html } from 'hono/html'
import { consolePage } from '../page.ts'
import type { Mailbox } from './mailbox.ts'

/** The mailbox's pages: every message that the product sent, newest first. */
export function mailboxPages(mailbox: Mailbox) {
  const app = new Hono()

  app.get('/', (c) => {
    const to = c.req.query('to')
    const mails = mailbox.list(to)
    return c.html(
      consolePage(
        'Mailbox',
        '/mail',
        html`
        <p>Messages that the product sent arrive here and nowhere else.</p>
        ${
          mails.length === 0
            ? html`<p class="muted">Nothing yet. Buy a course, and its receipt appears here.</p>`
            : html`
          <table>
            <thead><tr><th>When</th><th>To</th><th>Subject</th></tr></thead>
            <tbody>${mails.slice(0, 200).map(
              (mail) => html`<tr>
              <td>${mail.at.slice(0, 16).replace('T', ' ')}</td><td>${mail.to}</td>
              <td><a href="/mail/${mail.id}">${mail.subject}</a></td></tr>`,
            )}</tbody>
          </table>`
        }`,
      ),
    )
  })

  app.get('/list.json', (c) => c.json(mailbox.list(c.req.query('to'))))

  app.get('/:id', (c) => {
    const mail = mailbox.find(c.req.param('id'))
    if (!mail) return c.text('There is no such message.', 404)
    return c.html(
      consolePage(
        mail.subject,
        '/mail',
        html`
        <p class="muted">From ${mail.from} to ${mail.to}, ${mail.at.slice(0, 16).replace('T', ' ')}</p>
        <iframe title="The message" sandbox="allow-popups allow-top-navigation-by-user-activation" srcdoc="${`<base target="_top">${mail.html}`}"
          style="width:100%;height:540px;border:1px solid #d8d3e4;background:#fff"></iframe>
        <h2>As plain text</h2>
        <pre style="white-space:pre-wrap;background:#fff;border:1px solid #d8d3e4;padding:14px;overflow-wrap:anywhere">${mail.text}</pre>`,
      ),
    )
  })

  return app
}
