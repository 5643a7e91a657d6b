import type { Context } from 'hono'
import { html } from 'hono/html'
import { NOTICE } from '../../core/words/en/notice.ts'
import type { Problem } from '../http/problem.ts'
import { log } from '../log/log.ts'
import type { Services } from '../platform/context.ts'
import { getSchool, type School } from '../school/service.ts'
import { shopDocument } from './document.ts'
import type { Renderer } from './renderer.ts'
import { shopPage } from './shopPage.ts'
import type { NoticeView } from './views.ts'

/** What a visitor reads where a page of the shop could not be made: what is wrong, and a way on. */
function noticeOf({ status, code, title }: Problem, path: string): NoticeView {
  const again = { label: NOTICE.tryAgain, href: path }
  const home = { label: NOTICE.allCourses, href: '/' }
  if (code === 'away') {
    return {
      name: 'notice',
      status,
      ...NOTICE.away,
      actions: [again],
    }
  }
  if (status === 503) {
    return {
      name: 'notice',
      status,
      ...NOTICE.busy,
      actions: [again, home],
    }
  }
  if (status >= 500) {
    return {
      name: 'notice',
      status,
      ...NOTICE.broken,
      actions: [again, home],
    }
  }
  return {
    name: 'notice',
    status,
    title: status === 404 ? NOTICE.missing.title : title,
    text: code === 'bad-request' ? NOTICE.mistyped : NOTICE.missing.text,
    actions: [home],
  }
}

/** The school as it was shown last: where there is no database its error page is shown by that. */
const lastSeen = new WeakMap<Services['db'], School>()

/** Remembers how the school looks, for the error pages of a time without a database. */
export function rememberSchool({ db }: Services, school: School): void {
  lastSeen.set(db, school)
}

async function schoolOf({ db }: Services, { status }: Problem): Promise<School | undefined> {
  if (status === 503) return lastSeen.get(db)
  return getSchool(db)
}

/**
 * The error page of the shop, in its own looks; as plain as can be where even those are not to be had. Where the database
 * is busy or away it is not asked.
 */
export async function errorPage(
  services: Services,
  renderer: Renderer,
  c: Context,
  problem: Problem,
): Promise<Response> {
  const view = noticeOf(problem, c.req.path)
  c.status(problem.status)
  c.header('cache-control', 'no-store')
  try {
    const school = await schoolOf(services, problem)
    if (!school) return c.html(plainDocument(view))
    const shown = { basket: null, mode: school.shopMode, isOwnView: false, visitor: null, view }
    const page = shopPage(school, shown)
    return c.html(await shopDocument(page, renderer, services.config.origin, c.req.path))
  } catch (error) {
    log('error', 'error page', error)
    return c.html(plainDocument(view))
  }
}

function plainDocument({ title, text, actions }: NoticeView) {
  return html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width,initial-scale=1" />
        <title>${title}</title>
      </head>
      <body style="font:16px/1.5 sans-serif;max-width:34em;margin:12vh auto;padding:0 16px">
        <h1 style="font-size:1.5em">${title}</h1>
        <p>${text}</p>
        <p>${actions.map(({ label, href }) => html`<a href="${href}" style="margin-right:1em">${label}</a>`)}</p>
      </body>
    </html>`
}
