import { type Context, Hono } from 'hono'
import { getCookie } from 'hono/cookie'
import * as v from 'valibot'
import { REFUSED } from '../../core/words/en/refused.ts'
import { findBasket } from '../baskets/basket.ts'
import { BASKET_SLUG } from '../catalogue/slug.ts'
import { quoteOnPage } from '../checkout/pageQuote.ts'
import { placeOrder } from '../checkout/place.ts'
import { placeSchema } from '../checkout/placing.ts'
import { checkOrder, leaveOrder } from '../checkout/status.ts'
import { planRoutes } from '../collecting/routes.ts'
import { clientAddress, proxyList } from '../http/clientAddress.ts'
import { isId } from '../http/isId.ts'
import { Problem } from '../http/problem.ts'
import { validate } from '../http/validate.ts'
import { askNewEmail, detailsSchema, renameSelf, resendPassword, signInPerson } from '../people/service.ts'
import { inMode, type Services } from '../platform/context.ts'
import { emailSchema, getSchool } from '../school/service.ts'
import { KNOWN_DAYS, keepCookie } from '../session/cookies.ts'
import { countGuesses } from '../session/guesses.ts'
import { answering, type KeyedEnv, keyed, keyOf } from '../session/keyed.ts'
import { confirmEmail, setPassword } from '../session/links.ts'
import { passwordSchema } from '../session/passwords.ts'
import type { Person } from '../session/sessions.ts'
import type { Visitor } from '../session/visitor.ts'
import { browserHashOf, SHOP_COOKIE, visitorOf } from '../session/visitor.ts'
import { refuseUpsell, takeSchema, takeUpsell } from '../upsells/answer.ts'
import { checkoutView } from './checkout.ts'

/** Marks a browser in which a buyer has signed in before. */
const KNOWN_SHOP_COOKIE = 'acorn_known_shop'

const orderParam = v.object({ id: v.pipe(v.string(), v.uuid('There is no such order.')) })
const upsellParam = v.object({
  order: v.pipe(v.string(), v.uuid('There is no such order.')),
  step: v.pipe(v.string(), v.maxLength(60)),
})

/** What the shop's pages call: placing an order, asking how it stands, and the buyer's account. */
export function shopRoutes(base: Services) {
  const proxies = proxyList(base.config.trustedProxies)
  /** The visitor, the school, and the services with the clock of the visitor's mode. */
  const open = async (c: Context) => {
    const school = await getSchool(base.db)
    const visitor = await visitorOf(c, base, school)
    return { school, visitor, services: await inMode(base, visitor.mode) }
  }

  /** The same of who buys, with all that an order is placed by. */
  const openAsShopper = async (c: Context, key?: string) => {
    const { services, visitor } = await open(c)
    const { mode, person, isCreator, basketHash } = visitor
    const shopper = {
      mode,
      person,
      isCreator,
      browserHash: browserHashOf(c, base.config, key),
      basketHash,
      address: clientAddress(c, proxies),
    }
    return { services, shopper }
  }
  /** Who asked for the act that is being answered; read once, before its key. */
  const opened = new WeakMap<object, Awaited<ReturnType<typeof openAsShopper>>>()
  const byBuyer = keyed(base, async (c) => {
    const asked = await openAsShopper(c, keyOf(c))
    opened.set(c, asked)
    const { person, browserHash, mode, address } = asked.shopper
    return person ? { who: person.id, mode } : { who: browserHash, mode, stranger: address }
  })
  const openedFor = (c: { var: KeyedEnv['Variables'] }) => {
    const { services, shopper } = opened.get(c) as Awaited<ReturnType<typeof openAsShopper>>
    return { services: answering(c, services), shopper }
  }

  return new Hono()
    .route('/plan', planRoutes(base))
    .get(
      '/checkout/:slug',
      validate('param', v.object({ slug: v.string() })),
      validate('query', v.object({ offer: v.optional(v.string()), without: v.optional(v.string()) })),
      async (c) => {
        const { school, visitor, services } = await open(c)
        const { offer, without } = c.req.valid('query')
        const query = { offerId: offer, without: without?.split(',').filter(isId) ?? [] }
        return c.json(await checkoutView(services, school, c.req.valid('param').slug, visitor, query))
      },
    )
    .post(
      '/checkout/:slug',
      validate('param', v.object({ slug: v.string() })),
      validate('json', placeSchema),
      byBuyer,
      async (c) => {
        const { services, shopper } = openedFor(c)
        const { slug } = c.req.valid('param')
        const basket = slug === BASKET_SLUG ? await findBasket(services, shopper) : null
        return c.json(await placeOrder(services, slug, c.req.valid('json'), shopper, basket?.id ?? null))
      },
    )
    .post(
      '/checkout/:slug/quote',
      validate('param', v.object({ slug: v.string() })),
      validate('json', v.object({ lines: placeSchema.entries.lines, codes: placeSchema.entries.codes })),
      async (c) => {
        const { services, shopper } = await openAsShopper(c)
        return c.json(await quoteOnPage(services, c.req.valid('param').slug, c.req.valid('json'), shopper))
      },
    )
    .post('/orders/:id/check', validate('param', orderParam), async (c) => {
      const { services, visitor } = await open(c)
      const shopper = { ...visitor, browserHash: browserHashOf(c, base.config) }
      return c.json(await checkOrder(services, c.req.valid('param').id, shopper))
    })
    .post('/orders/:id/leave', validate('param', orderParam), async (c) => {
      const { services, visitor } = await open(c)
      const shopper = { ...visitor, browserHash: browserHashOf(c, base.config) }
      return c.json(await leaveOrder(services, c.req.valid('param').id, shopper))
    })
    .post('/upsells/:order/:step', validate('param', upsellParam), validate('json', takeSchema), byBuyer, async (c) => {
      const { services, shopper } = openedFor(c)
      const { order, step } = c.req.valid('param')
      return c.json(await takeUpsell(services, order, step, c.req.valid('json'), shopper))
    })
    .post('/upsells/:order/:step/no', validate('param', upsellParam), async (c) => {
      const { services, shopper } = await openAsShopper(c)
      const { order, step } = c.req.valid('param')
      await refuseUpsell(services, order, step, shopper)
      return c.json({ ok: true })
    })
    .post(
      '/sign-in',
      validate('json', v.object({ email: emailSchema, password: v.pipe(v.string(), v.maxLength(1000)) })),
      async (c) => {
        const { email, password } = c.req.valid('json')
        const { visitor } = await open(c)
        const known = getCookie(c, KNOWN_SHOP_COOKIE) ?? null
        const from = { address: clientAddress(c, proxies), known }
        const signedIn = await signInPerson(base, visitor.mode, email, password, from)
        keepCookie(c, base.config, SHOP_COOKIE, signedIn.token)
        keepCookie(c, base.config, KNOWN_SHOP_COOKIE, signedIn.known, KNOWN_DAYS)
        return c.json({ ok: true })
      },
    )
    .post(
      '/password',
      countGuesses(base),
      validate('json', v.object({ token: v.pipe(v.string(), v.maxLength(200)), password: passwordSchema })),
      async (c) => {
        const { token, password } = c.req.valid('json')
        const { services } = await open(c)
        const session = await setPassword(services, token, password)
        keepCookie(c, base.config, SHOP_COOKIE, session.token)
        return c.json({ ok: true })
      },
    )
    .put('/account', validate('json', v.object({ name: detailsSchema.entries.name })), async (c) => {
      const { services, visitor } = await open(c)
      await renameSelf(services, signedIn(visitor), c.req.valid('json').name)
      return c.json({ ok: true })
    })
    .post('/account/email', validate('json', v.object({ email: emailSchema })), async (c) => {
      const { services, visitor } = await open(c)
      await askNewEmail(services, signedIn(visitor), c.req.valid('json').email, clientAddress(c, proxies))
      return c.json({ ok: true })
    })
    .post(
      '/email',
      countGuesses(base),
      validate('json', v.object({ token: v.pipe(v.string(), v.maxLength(200)) })),
      async (c) => {
        const { services } = await open(c)
        const session = await confirmEmail(services, c.req.valid('json').token)
        keepCookie(c, base.config, SHOP_COOKIE, session.token)
        return c.json({ ok: true })
      },
    )
    .post('/password/resend', validate('json', v.object({ email: emailSchema })), async (c) => {
      const { services, visitor } = await open(c)
      await resendPassword(services, visitor.mode, c.req.valid('json').email, clientAddress(c, proxies))
      return c.json({ ok: true })
    })
}

/** The signed-in buyer. @throws Problem 401 where there is none. */
function signedIn({ person }: Visitor): Person {
  if (!person) throw new Problem(401, 'signed-out', REFUSED.signInFirst)
  return person
}
