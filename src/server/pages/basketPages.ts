import type { Context, Handler, Hono } from 'hono'
import { readMoney } from '../../core/money/parse.ts'
import { BASKET_DAYS, isBasketKnown, nameIn, putIn, setTakenOut } from '../baskets/basket.ts'
import { basketView } from '../baskets/shown.ts'
import { liveFront } from '../catalogue/front.ts'
import { sellableLines } from '../catalogue/sellable.ts'
import { BODY_LIMITS, limitBody } from '../http/bodies.ts'
import { isId } from '../http/isId.ts'
import { Problem } from '../http/problem.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool, type School } from '../school/service.ts'
import { sameOrigin } from '../session/guard.ts'
import { basketHashOf, type Visitor, visitorOf } from '../session/visitor.ts'
import { missing } from './notices.ts'
import type { ShopView } from './views.ts'

/** What a page shows, or where its visitor is sent instead. */
export type Loaded = ShopView | { goTo: string }
export type Load = (services: Services, c: Context, school: School, visitor: Visitor) => Promise<Loaded> | Loaded

/**
 * The page of the basket, and the forms that change it: plain ones, each answered with the way back to it. Nothing of it
 * needs a script.
 */
export function basketPages(app: Hono, base: Services, page: (load: Load) => Handler): void {
  app.get(
    '/basket',
    page(async (services, c, school, visitor) => {
      if (!(await liveFront(services.db)).hasBasket) return missing()
      const shared = offersIn(c.req.query('with'))
      if (shared.length > 0) {
        // What is sold no more is left out, and said of no one thing.
        await putIn(services, await ownerOf(c, base, visitor), shared).catch(ifNotOnSale)
        return { goTo: '/basket' }
      }
      const productId = c.req.query('wrong') ?? ''
      const wrong = isId(productId) ? { productId, typed: (c.req.query('typed') ?? '').slice(0, 20) } : null
      return basketView(services, school, visitor, wrong)
    }),
  )
  /** A form of the basket, whose body is read once it is known to come from our own pages. */
  const form = (
    path: string,
    act: (services: Services, who: Visitor, fields: Fields, school: School) => Promise<string>,
  ) =>
    app.post(path, sameOrigin(base.config.origin), limitBody(BODY_LIMITS.anybody), async (c) => {
      const school = await getSchool(base.db)
      const visitor = await visitorOf(c, base, school)
      const services = await inMode(base, visitor.mode)
      const fields = new Map(Object.entries(await c.req.parseBody()).map(([name, value]) => [name, String(value)]))
      return c.redirect(await act(services, await ownerOf(c, base, visitor), fields, school), 303)
    })
  form('/basket/add', async (services, who, fields) => {
    await putIn(services, who, offersIn(fields.get('offer')))
    return '/basket'
  })
  form('/basket/take-out', async (services, who, fields) => {
    const product = fields.get('product') ?? ''
    if (isId(product)) await setTakenOut(services, who, product, true)
    return '/basket'
  })
  form('/basket/put-back', async (services, who, fields) => {
    const product = fields.get('product') ?? ''
    if (isId(product)) await setTakenOut(services, who, product, false)
    return '/basket'
  })
  form('/basket/change', async (services, who, fields, school) => {
    const [offer] = offersIn(fields.get('offer'))
    const product = fields.get('product') ?? ''
    if (!offer || !isId(product)) return '/basket'
    await putIn(services, who, [offer])
    const typed = fields.get('price')
    const line = (await sellableLines(services.db, [offer], services.now())).get(offer)
    const terms = line?.offer.live.terms
    if (typed === undefined || terms?.kind !== 'openPrice') return '/basket'
    const read = readMoney(typed, school)
    if (!read.ok || read.amount < (terms.minimum ?? 0)) {
      return `/basket?${new URLSearchParams({ wrong: product, typed })}`
    }
    await nameIn(services, who, product, read.amount)
    return '/basket'
  })
}

type Fields = ReadonlyMap<string, string>

/**
 * The visitor with the cookie of this browser's basket, which is set, or kept for longer. @throws Problem 429 from where
 * too many browsers begin one.
 */
async function ownerOf(c: Context, services: Services, visitor: Visitor): Promise<Visitor> {
  const { config, limits } = services
  // A cookie that was made up, or whose basket has ended, begins a basket like none at all.
  const isKnown = await isBasketKnown(services, visitor)
  if (!isKnown && !visitor.person) {
    const { ip = null, range = null } = visitor.address ?? {}
    await limits.count({ 'basket:ip': ip, 'basket:range': range })
  }
  return { ...visitor, basketHash: basketHashOf(c, config, BASKET_DAYS, isKnown) }
}

/** Ids of offers as a link or a field has them. */
function offersIn(list: string | undefined): string[] {
  return [...new Set((list ?? '').split(',').filter(isId))].slice(0, 20)
}

function ifNotOnSale(error: unknown): void {
  if (!(error instanceof Problem) || error.code !== 'not-on-sale') throw error
}
