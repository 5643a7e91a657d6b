import { type Context, Hono } from 'hono'
import { getCookie } from 'hono/cookie'
import { countIn } from '../baskets/basket.ts'
import { liveFront } from '../catalogue/front.ts'
import { MAX_CAME_FROM } from '../checkout/placing.ts'
import { modeOfPayLink } from '../collecting/payLinks.ts'
import type { Mode } from '../db/schema/columns.ts'
import { isId } from '../http/isId.ts'
import { notFound, Problem } from '../http/problem.ts'
import { readOrderLink } from '../orders/orderLinks.ts'
import { receiptOf } from '../orders/receipt.ts'
import { receiptPdf } from '../orders/receiptPdf.ts'
import { inMode, type Services } from '../platform/context.ts'
import { findSchool } from '../school/service.ts'
import { dropCookie } from '../session/cookies.ts'
import { sameOrigin } from '../session/guard.ts'
import { countGuesses } from '../session/guesses.ts'
import { closeSession } from '../session/sessions.ts'
import { BROWSER_COOKIE, browserHashOf, SHOP_COOKIE, visitorOf } from '../session/visitor.ts'
import { basketPages, type Load } from './basketPages.ts'
import { checkoutView, movedTo } from './checkout.ts'
import { shopDocument, studioDocument } from './document.ts'
import { rememberSchool } from './errorPage.ts'
import { missing } from './notices.ts'
import { cameBackPaid } from './pending.ts'
import type { Renderer } from './renderer.ts'
import {
  bundleView,
  courseView,
  emailView,
  learnView,
  myView,
  orderLinkEnded,
  passwordView,
  planPage,
  receiptView,
  schoolView,
  termsView,
  thanksView,
} from './service.ts'
import { sharingOf, sharingPicture } from './sharing.ts'
import { shopPage } from './shopPage.ts'
import { upsellView } from './upsell.ts'
import type { ShopView } from './views.ts'

/** The shop's pages, made on the server with their data inside, and the studio's one page. */
export function pageRoutes(base: Services, renderer: Renderer) {
  const app = new Hono()
  const guesses = countGuesses(base)

  /** `modeOf`: the mode of what a link shows, which works whatever is sold to strangers. */
  const page = (load: Load, modeOf?: (c: Context) => Promise<Mode | null>) => async (c: Context) => {
    const school = await findSchool(base.db)
    if (!school) return c.redirect('/studio')
    rememberSchool(base, school)
    const browserHash = browserHashOf(c, base.config)
    const { isOwnView, ...seen } = await visitorOf(c, base, school)
    const mode = (await modeOf?.(c)) ?? seen.mode
    const visitor = { ...seen, browserHash, mode, person: seen.person?.mode === mode ? seen.person : null }
    const services = await inMode(base, mode)
    const view = await load(services, c, school, visitor)
    if ('goTo' in view && !('name' in view)) return c.redirect(view.goTo, 303)
    const front = await liveFront(base.db)
    const data = shopPage(school, {
      mode: visitor.mode,
      basket: front.hasBasket ? await countIn(services, visitor) : null,
      isOwnView,
      visitor: visitor.person && { name: visitor.person.name, email: visitor.person.email },
      view,
    })
    const document = await shopDocument(data, renderer, base.config.origin, c.req.path)
    // What one visitor sees is not for another, and the price must never be an old one.
    c.header('cache-control', 'no-store')
    return c.html(document, statusOf(view) as 200)
  }

  app.get(
    '/',
    page((services, c, school) =>
      schoolView(services, school, {
        search: c.req.query('search'),
        section: c.req.query('section'),
        price: c.req.query('price'),
      }),
    ),
  )
  app.get(
    '/course/:slug',
    page((services, c, school, visitor) => courseView(services, school, c.req.param('slug') ?? '', visitor)),
  )
  app.get(
    '/bundle/:slug',
    page((services, c, school, visitor) => bundleView(services, school, c.req.param('slug') ?? '', visitor)),
  )
  app.get(
    '/buy/:slug',
    page(async (services, c, school, visitor) => {
      const slug = c.req.param('slug') ?? ''
      const moved = await movedTo(services, slug, visitor, new URL(c.req.url).search)
      if (moved !== null) return { goTo: moved }
      const back = c.req.query('back')
      const view = await checkoutView(services, school, slug, visitor, {
        offerId: c.req.query('offer'),
        cameBackFrom: back,
        without: c.req.query('without')?.split(',').filter(isId) ?? [],
        code: plainParameter(c.req.query('code'), 60),
        name: plainParameter(c.req.query('name'), 100),
        email: plainParameter(c.req.query('email'), 254),
        from: plainParameter(c.req.query('from'), MAX_CAME_FROM),
      })
      // Looked at last: what was paid for while the page was read may have left a basket empty.
      return (await cameBackPaid(services, visitor, back)) ? { goTo: `/next/${back}` } : view
    }),
  )
  // What a shared link shows: by what the page sells to strangers.
  app.get('/sharing/:slug{.+\\.png}', async (c) => {
    const slug = c.req.param('slug').replace(/\.png$/, '')
    const school = await findSchool(base.db)
    if (!school) throw notFound('picture')
    const visitor = { mode: school.shopMode, person: null, browserHash: null }
    const services = await inMode(base, school.shopMode)
    const view = await checkoutView(services, school, slug, visitor)
    if (view.name !== 'checkout') throw notFound('picture')
    const { tag, png } = sharingPicture(services, sharingOf(view, school))
    const headers = { etag: `"${tag}"`, 'cache-control': 'public, max-age=600' }
    if (c.req.header('if-none-match') === `"${tag}"`) return c.body(null, 304, headers)
    return c.body(new Uint8Array(await png), 200, { ...headers, 'content-type': 'image/png' })
  })
  basketPages(app, base, page)
  // Where every purchase leads: what is offered after it, or the thanks page.
  app.get(
    '/next/:order',
    page(async (services, c, school, visitor) => {
      const id = c.req.param('order') ?? ''
      if (!isId(id)) return missing()
      return (await upsellView(services, school, id, visitor)) ?? { goTo: `/thanks/${id}` }
    }),
  )
  app.get(
    '/thanks/:order',
    page((services, c, _school, visitor) => {
      const id = c.req.param('order') ?? ''
      return isId(id) ? thanksView(services, id, visitor) : missing()
    }),
  )
  // The receipt of one payment, for who may see the order.
  app.get(
    '/order/:key/payments/:payment',
    guesses,
    page(
      async (services, c, _school, visitor) => {
        const key = c.req.param('key') ?? ''
        const link = await readOrderLink(services, key)
        if (!link) return orderLinkEnded(visitor)
        return receiptView(services, link.orderId, c.req.param('payment') ?? '', visitor, key)
      },
      async (c) => (await readOrderLink(base, c.req.param('key') ?? ''))?.mode ?? null,
    ),
  )
  app.get(
    '/thanks/:order/payments/:payment',
    page((services, c, _school, visitor) => {
      const id = c.req.param('order') ?? ''
      return isId(id) ? receiptView(services, id, c.req.param('payment') ?? '', visitor) : missing()
    }),
  )
  // The receipt as a file, for who may see the order.
  app.get('/order/:key/receipt.pdf', guesses, async (c) => {
    const link = await readOrderLink(base, c.req.param('key'))
    if (!link) throw new Problem(410, 'link-ended', 'This link has expired, or is not complete.')
    return answerPdf(c, base, link.orderId)
  })
  app.get('/thanks/:order/receipt.pdf', async (c) => {
    const id = c.req.param('order')
    const school = await findSchool(base.db)
    if (!school || !isId(id)) throw notFound('receipt')
    const visitor = await visitorOf(c, base, school)
    const view = await thanksView(await inMode(base, visitor.mode), id, visitor)
    if (view.name !== 'thanks') throw notFound('receipt')
    return answerPdf(c, base, id)
  })
  app.get(
    '/order/:key',
    guesses,
    page(
      async (services, c, _school, visitor) => {
        const link = await readOrderLink(services, c.req.param('key') ?? '')
        return link ? thanksView(services, link.orderId, visitor, c.req.param('key')) : orderLinkEnded(visitor)
      },
      async (c) => (await readOrderLink(base, c.req.param('key') ?? ''))?.mode ?? null,
    ),
  )
  app.get(
    '/my',
    page((services, _c, _school, visitor) => myView(services, visitor)),
  )
  const plan: Load = (services, c, _school, visitor) =>
    planPage(services, c.req.param('key') ?? '', visitor, c.req.query('back') !== undefined)
  app.get(
    '/pay/:key',
    guesses,
    page(plan, (c) => modeOfPayLink(base, c.req.param('key') ?? '')),
  )
  app.get('/my/plan/:key', guesses, page(plan))
  app.get(
    '/learn/:slug/:lesson?',
    page((services, c, school, visitor) =>
      learnView(services, school, c.req.param('slug') ?? '', c.req.param('lesson'), visitor),
    ),
  )
  app.get(
    '/terms',
    page((_services, _c, school) => termsView(school)),
  )
  app.get(
    '/sign-in',
    page((_services, c) => ({
      name: 'sign-in',
      goTo: ownPath(c.req.query('then'), base.config.origin),
      email: c.req.query('email') ?? '',
      titles: [],
    })),
  )
  app.get(
    '/password/:token',
    guesses,
    page((services, c) => passwordView(services, c.req.param('token') ?? '')),
  )
  app.get(
    '/email/:token',
    guesses,
    page((services, c) => emailView(services, c.req.param('token') ?? '')),
  )
  app.post('/sign-out', sameOrigin(base.config.origin), async (c) => {
    await closeSession(base, getCookie(c, SHOP_COOKIE))
    dropCookie(c, base.config, SHOP_COOKIE)
    // What this browser bought without signing in is not open in it any more either.
    dropCookie(c, base.config, BROWSER_COOKIE)
    return c.redirect('/', 303)
  })
  app.get('/studio/*', (c) => c.html(studioDocument(renderer.studioFiles())))
  app.get('/studio', (c) => c.html(studioDocument(renderer.studioFiles())))
  app.get(
    '*',
    page(() => missing()),
  )
  return app
}

/** What an address says, as plain text of one line: without control characters, and no longer than is kept. */
function plainParameter(value: string | undefined, most: number): string | undefined {
  return value
    ?.replace(/[\p{Cc}\p{Cf}\p{Cs}\p{Zl}\p{Zp}]/gu, ' ')
    .trim()
    .slice(0, most)
}

async function answerPdf(c: Context, services: Services, orderId: string) {
  const receipt = await receiptOf(services, orderId)
  const pdf = await receiptPdf(receipt)
  return c.body(new Uint8Array(pdf), 200, {
    'content-type': 'application/pdf',
    'content-disposition': `inline; filename="receipt-${receipt.number}.pdf"`,
    'cache-control': 'no-store',
  })
}

function statusOf(view: ShopView): number {
  if (view.name === 'notice') return view.status
  // A link that has ended has no email to say.
  return (view.name === 'password' || view.name === 'email') && view.email === null ? 410 : 200
}

/**
 * A path of our own to go to; anything that leads elsewhere, as a browser would read it, becomes "My courses".
 */
export function ownPath(path: string | undefined, origin: string): string {
  if (!path || !URL.canParse(path, origin)) return '/my'
  const url = new URL(path, origin)
  // A path may still begin with two slashes here, which a browser would read as another host.
  return url.origin === new URL(origin).origin && !url.pathname.startsWith('//')
    ? url.pathname + url.search + url.hash
    : '/my'
}
