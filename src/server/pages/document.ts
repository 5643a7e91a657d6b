import { html, raw } from 'hono/html'
import { BASKET } from '../../core/words/en/basket.ts'
import { PAGE } from '../../core/words/en/notice.ts'
import { say } from '../../core/words/message.ts'
import { linkedDataOf } from './linkedData.ts'
import type { PageFiles, Renderer } from './renderer.ts'
import type { ShopPage } from './views.ts'

/** JSON that may stand inside a script element. */
function embed(data: unknown): string {
  return JSON.stringify(data).replaceAll('<', '\\u003c').replaceAll('\u2028', '\\u2028').replaceAll('\u2029', '\\u2029')
}

/** A page without what only shows: the browser takes over what is filled in. */
function takenOver(page: ShopPage): unknown {
  return page.view.name === 'checkout' ? { ...page, view: { ...page.view, page: undefined } } : page
}

function head(files: PageFiles) {
  return html`${raw(files.extraHead)}
    ${files.inlineStyle ? html`<style>${raw(files.inlineStyle)}</style>` : ''}
    ${files.styles.map((href) => html`<link rel="stylesheet" href="${href}" />`)}
    ${files.preloads.map((href) => html`<link rel="modulepreload" href="${href}" />`)}
    ${files.scripts.map((src) => html`<script type="module" src="${src}"></script>`)}`
}

const ICON =
  'data:image/svg+xml,' +
  encodeURIComponent(
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 22"><path d="M3 8c0-3 3-5 7-5s7 2 7 5z" fill="#1a231c"/><path d="M4 9.5h12c0 6-3 9.5-6 11.5-3-2-6-5.5-6-11.5z" fill="#c9dd62" stroke="#1a231c" stroke-width="1.4"/></svg>',
  )

/** A page of the shop: its HTML, its data where the browser takes a part over, and its description for search engines. */
export async function shopDocument(page: ShopPage, renderer: Renderer, origin: string, path: string) {
  const url = origin + path
  const { markup, parts } = await renderer.render(page)
  const { title, description } = summaryOf(page)
  const linkedData = linkedDataOf(page, url)
  const isHidden = page.view.name === 'checkout' && !page.view.page.shaped.search.isListed
  return html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width,initial-scale=1" />
        <title>${title}</title>
        <meta name="description" content="${description}" />
        ${isHidden ? html`<meta name="robots" content="noindex" />` : ''}
        ${page.view.name === 'checkout' && !page.view.isBasket ? sharedAs({ title, description }, page.view.slug, origin) : ''}
        <link rel="icon" href="${ICON}" />
        ${head(renderer.shopFiles(parts))}
        ${linkedData ? html`<script type="application/ld+json">${raw(embed(linkedData))}</script>` : ''}
      </head>
      <body>
        <div id="app">${raw(markup)}</div>
        ${parts.length > 0 ? html`<script type="application/json" id="page">${raw(embed(takenOver(page)))}</script>` : ''}
      </body>
    </html>`
}

/** The studio: one page whose content is made in the browser. */
export function studioDocument(files: PageFiles) {
  return html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width,initial-scale=1" />
        <title>Young Acorn</title>
        <meta name="robots" content="noindex" />
        <link rel="icon" href="${ICON}" />
        ${head(files)}
      </head>
      <body><div id="app"></div></body>
    </html>`
}

/** What a link to a checkout page shows where it is shared (the Open Graph protocol). */
function sharedAs({ title, description }: { title: string; description: string }, slug: string, origin: string) {
  return html`<link rel="canonical" href="${origin}/buy/${slug}" />
    <meta property="og:type" content="website" />
    <meta property="og:url" content="${origin}/buy/${slug}" />
    <meta property="og:title" content="${title}" />
    <meta property="og:description" content="${description}" />
    <meta property="og:image" content="${origin}/sharing/${slug}.png" />
    <meta property="og:image:width" content="1200" />
    <meta property="og:image:height" content="630" />`
}

function summaryOf({ school, view }: ShopPage): { title: string; description: string } {
  const titled = (what: string, description = '') => ({
    title: say(PAGE.title, { what, school: school.name }),
    description,
  })
  switch (view.name) {
    case 'school': {
      const courses = view.sections.flatMap(({ products }) => products.map(({ title }) => title)).join(', ')
      return { title: school.name, description: say(PAGE.school, { school: school.name, courses }) }
    }
    case 'course':
    case 'learn':
      return titled(view.course.title, view.course.summary)
    case 'bundle':
      return titled(view.bundle.title, view.bundle.summary)
    case 'checkout': {
      const { search } = view.page.shaped
      const { title, description } = titled(view.heading, view.product.summary)
      return { title: search.title.trim() || title, description: search.description.trim() || description }
    }
    case 'plan':
      return titled(view.course.title)
    case 'basket':
      return titled(BASKET.title)
    case 'upsell':
      return titled(view.offered.title)
    case 'receipt':
    case 'thanks':
      return titled(PAGE.thanks)
    case 'my':
      return titled(PAGE.my)
    case 'sign-in':
      return titled(PAGE.signIn)
    case 'password':
      return titled(PAGE.password)
    case 'email':
      return titled(PAGE.email)
    case 'notice':
      return titled(view.title, view.text)
  }
}
