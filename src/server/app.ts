import { Hono } from 'hono'
import { compress } from 'hono/compress'
import { secureHeaders } from 'hono/secure-headers'
import { bundleRoutes } from './bundles/routes.ts'
import { catalogueRoutes } from './catalogue/routes.ts'
import { checkoutPageRoutes } from './checkoutPages/routes.ts'
import { agreementRoutes } from './collecting/routes.ts'
import { couponRoutes, orderCodeRoutes } from './coupons/routes.ts'
import { receiveEvent } from './events/events.ts'
import { BODY_LIMITS, limitBody } from './http/bodies.ts'
import { deadline } from './http/deadline.ts'
import { isId } from './http/isId.ts'
import { describeApi } from './http/openApi.ts'
import { plainAddresses } from './http/plainText.ts'
import { answerProblem, notFound } from './http/problem.ts'
import { problemOf } from './http/problemOf.ts'
import { log, withRequestId } from './log/log.ts'
import { mediaFiles } from './media/files.ts'
import { mediaRoutes } from './media/routes.ts'
import { messageRoutes } from './messages/routes.ts'
import { moneyRoutes } from './money/routes.ts'
import { offerRoutes } from './offers/routes.ts'
import { pageBenchRoutes } from './pages/benchRoutes.ts'
import { errorPage } from './pages/errorPage.ts'
import type { Renderer } from './pages/renderer.ts'
import { pageRoutes } from './pages/routes.ts'
import { shopRoutes } from './pages/shopRoutes.ts'
import { peopleRoutes } from './people/routes.ts'
import type { Services } from './platform/context.ts'
import { refundRoutes } from './refunds/routes.ts'
import { sameOrigin } from './session/guard.ts'
import { accountRoutes, sessionRoutes } from './session/routes.ts'
import { gatewayRoutes } from './setup/gatewayRoutes.ts'
import { schoolRoutes } from './setup/schoolRoutes.ts'
import { findRoutes } from './support/findRoutes.ts'
import { orderRoutes } from './support/routes.ts'
import { transferRoutes } from './transfers/routes.ts'

/** The API that studio and shop call through the typed client. */
export function apiRoutes(services: Services, renderer: Renderer) {
  return new Hono()
    .use(sameOrigin(services.config.origin))
    .use('/session/*', limitBody(BODY_LIMITS.anybody))
    .use('/shop/*', limitBody(BODY_LIMITS.anybody))
    .route('/session', sessionRoutes(services))
    .route('/account', accountRoutes(services))
    .route('/school', schoolRoutes(services))
    .route('/catalogue', catalogueRoutes(services))
    .route('/bundles', bundleRoutes(services))
    .route('/pages', checkoutPageRoutes(services))
    .route('/pages', pageBenchRoutes(services, renderer))
    .route('/media', mediaRoutes(services))
    .route('/offers', offerRoutes(services))
    .route('/coupons', couponRoutes(services))
    .route('/gateways', gatewayRoutes(services))
    .route('/orders', orderRoutes(services))
    .route('/agreements', agreementRoutes(services))
    .route('/settling', refundRoutes(services))
    .route('/settling', transferRoutes(services))
    .route('/settling', orderCodeRoutes(services))
    .route('/money', moneyRoutes(services))
    .route('/messages', messageRoutes(services))
    .route('/people', peopleRoutes(services))
    .route('/find', findRoutes(services))
    .route('/shop', shopRoutes(services))
}

/** The whole product behind one port. */
export function makeApp(services: Services, renderer: Renderer, isDevelopment = false) {
  const app = new Hono()
  app.onError((error, c) => {
    const problem = problemOf(error)
    // A picture or a draft that is too large may still be on its way.
    if (problem.status === 413) c.header('connection', 'close')
    if (problem.status >= 500 && problem.code !== 'busy' && problem.code !== 'away') {
      log('error', `${c.req.method} ${c.req.routePath}`, error)
    }
    if (typeof problem.more.retryAfter === 'number') c.header('retry-after', String(problem.more.retryAfter))
    // People see pages, programs see problem documents.
    const isPage = !/^\/(api|pictures|videos|assets)\//.test(c.req.path)
    return isPage ? errorPage(services, renderer, c, problem) : answerProblem(c, problem)
  })
  // A line of the log and an answer that was complained about are told to belong together by it.
  app.use(async (c, next) => {
    const id = crypto.randomUUID().slice(0, 8)
    c.header('x-request-id', id)
    await withRequestId(id, next)
  })
  app.use(plainAddresses())
  app.use(deadline())
  // Pages are worth compressing; the API's short answers cost more to compress than to send.
  const compressed = compress()
  app.use((c, next) => (c.req.path.startsWith('/api/') ? next() : compressed(c, next)))
  app.use(
    secureHeaders({
      xFrameOptions: 'SAMEORIGIN',
      // Once a browser has seen the product over TLS it asks in no other way.
      strictTransportSecurity: services.config.origin.startsWith('https:') ? 'max-age=31536000' : false,
      referrerPolicy: 'strict-origin-when-cross-origin',
      contentSecurityPolicy: isDevelopment
        ? undefined
        : {
            defaultSrc: ["'self'"],
            imgSrc: ["'self'", 'data:', 'blob:'],
            styleSrc: ["'self'", "'unsafe-inline'"],
            frameSrc: ["'self'", services.config.standinsOrigin],
            frameAncestors: ["'self'"],
            baseUri: ["'none'"],
            objectSrc: ["'none'"],
            formAction: ["'self'"],
          },
    }),
  )

  // What the API answers is for whoever asked, its files too, and is kept nowhere on the way.
  app.use('/api/*', async (c, next) => {
    await next()
    c.header('cache-control', 'no-store')
  })
  // Gateways sign what they send; they have no Origin.
  app.post('/api/events/:connection', limitBody(BODY_LIMITS.event), async (c) => {
    const connection = c.req.param('connection')
    if (!isId(connection)) throw notFound('connection')
    await receiveEvent(services, connection, c.req.header(), await c.req.text())
    return c.json({ ok: true })
  })
  app.route('/', mediaFiles(services))
  app.route('/api', apiRoutes(services, renderer))
  app.get('/api/openapi.json', (c) => c.json(describeApi(app, '/api')))
  app.all('/api/*', () => {
    throw notFound('address')
  })
  app.route('/', pageRoutes(services, renderer))
  return app
}
