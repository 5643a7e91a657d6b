import { and, asc, desc, eq, isNull, ne } from 'drizzle-orm'
import { clockMoment } from '../../core/calendar/clock.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { lessonTitle } from '../../core/content/course.ts'
import { type Shelved, shelve } from '../../core/content/front.ts'
import { formatMoney } from '../../core/money/format.ts'
import { formatWholePrices } from '../../core/sentence/sentence.ts'
import { beginSentence, formatList } from '../../core/sentence/words.ts'
import { NOTICE } from '../../core/words/en/notice.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import { type AccessDecision, renewsOn } from '../access/decision.ts'
import { browserAccessSince, buyAgainPath, checkAccess, coursesOf } from '../access/service.ts'
import { showBasket } from '../baskets/shown.ts'
import { cardOf } from '../catalogue/cards.ts'
import { liveFront } from '../catalogue/front.ts'
import { buyPathOf } from '../catalogue/products.ts'
import { type SellableProduct, sellableProducts } from '../catalogue/sellable.ts'
import { readUsedPayLink } from '../collecting/payLinks.ts'
import { askFor, planView } from '../collecting/view.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, catalogue, courses, orderLines, orders, people } from '../db/schema/index.ts'
import { isId } from '../http/isId.ts'
import { awaitedOf, waitingOrdersOf } from '../orders/awaited.ts'
import { amountsOf, boughtOf } from '../orders/bought.ts'
import { paymentReceiptOf, receivedPayments } from '../orders/paymentReceipt.ts'
import { paidOrdersOf, plansOf } from '../orders/plans.ts'
import type { Services } from '../platform/context.ts'
import { dayFor, getSchool, type School, schoolDay } from '../school/service.ts'
import { readBuyerLink } from '../session/links.ts'
import type { Visitor } from '../session/visitor.ts'
import { endUpsells } from '../upsells/answer.ts'
import { bundledIn, formatSaving } from './bundled.ts'
import { ALL_COURSES, aboutCourse, filled, goneOrMissing, missing, notice, signInFor, toMyCourses } from './notices.ts'
import { offersOf } from './shopOffers.ts'
import type { Finding, NoticeView, ShopOffer, ShopProduct, ShopView } from './views.ts'

/** The services behind each page of the shop: what it shows to this visitor. */

/** Nobody in particular: what is listed is the same for all. */
const STRANGER: Visitor = { mode: 'practice', person: null, browserHash: null }

/** From so many things on sale on they can be searched and narrowed. */
const FOUND_FROM = 9

/** What the shop's front is asked for by its address. */
export interface FrontQuery {
  search?: string | undefined
  section?: string | undefined
  price?: string | undefined
}

export async function schoolView(services: Services, school: School, asked: FrontQuery = {}): Promise<ShopView> {
  const [all, front] = await Promise.all([sellableProducts(services.db), liveFront(services.db)])
  const bundled = await bundledIn(services, school, all)
  const cards = all.map(async (product) => {
    const offers = await offersOf(services, school, product, STRANGER)
    const { colors, saving } = bundled(product, offers)
    const note = saving && say(CATALOGUE.lessThanAlone, { money: formatMoney(saving.amount, school) })
    const price = shopPrice(offers, school)
    const isFree = offers.some(({ terms, needs }) => terms.kind === 'free' && needs === null)
    const sale = saleIn(product, offers, school, services.now())
    const card = { ...cardOf(product), price, note, sale, colors }
    return offers.length > 0 ? [{ id: product.id, isFree, card }] : []
  })
  const shelved = shelve(front, (await Promise.all(cards)).flat())
  const { headline, intro } = front
  const found = shelved.flatMap(({ products }) => products).length < FOUND_FROM ? null : findingOf(shelved, asked)
  const sections = (found ? narrowed(shelved, found) : shelved).map(({ products, ...section }) => ({
    ...section,
    products: products.map(({ card }) => card),
  }))
  return { name: 'school', headline, intro, sections, finding: found }
}

/** A thing on the shop's front, before it is narrowed. */
interface Listed {
  id: string
  isFree: boolean
  card: ShopProduct
}

/** What was asked for, as far as it can be. */
function findingOf(shelved: readonly Shelved<Listed>[], { search = '', section = '', price }: FrontQuery): Finding {
  const sections = shelved.flatMap(({ id, title }) => (title ? [{ id, title }] : []))
  return {
    search: search.slice(0, 100),
    section: sections.some(({ id }) => id === section) ? section : '',
    price: price === 'free' || price === 'paid' ? price : '',
    sections,
  }
}

function narrowed(shelved: readonly Shelved<Listed>[], { search, section, price }: Finding): Shelved<Listed>[] {
  const wanted = search.trim().toLowerCase()
  return shelved
    .filter(({ id }) => section === '' || id === section)
    .map((shelf) => ({
      ...shelf,
      products: shelf.products.filter(
        ({ isFree, card }) =>
          (price === '' || isFree === (price === 'free')) &&
          `${card.title} ${card.summary}`.toLowerCase().includes(wanted),
      ),
    }))
    .filter(({ products }) => products.length > 0)
}

/** Until when the first sale of a product runs, in words; null where none does, or it has no end. */
function saleIn({ offers }: SellableProduct, shown: readonly ShopOffer[], school: School, at: Date): string | null {
  const running = shown.find(({ sale, needs }) => sale !== null && needs === null)
  const until = offers.find(({ id }) => id === running?.id)?.live.sale?.until
  if (!until || Date.parse(until) <= at.getTime()) return null
  const { day } = clockMoment(until, school.timeZone, 'until')
  return say(CATALOGUE.saleUntil, { day: formatDay(day, school.language, dayFor(school, at).slice(0, 4)) })
}

/** What a product costs, whole, by the offers that everyone may buy; where there are none, for whom it is. */
function shopPrice(offers: readonly ShopOffer[], school: School): string {
  const forAll = offers.filter(({ needs }) => needs === null)
  if (forAll.length === 0) {
    const titles = offers.flatMap(({ needs }) => needs?.courses.map(({ title }) => title) ?? [])
    return say(CATALOGUE.forMembers, { courses: formatList([...new Set(titles)], 'or') })
  }
  const priced = forAll.flatMap(({ terms, quote }) => {
    const [line] = quote.lines
    return line ? [{ terms, line, money: school }] : []
  })
  return beginSentence(formatWholePrices(priced))
}

/** The school's terms of sale. */
export function termsView(school: School): ShopView {
  if (!school.terms) return missing()
  return notice(200, { title: NOTICE.terms, text: school.terms }, [ALL_COURSES])
}

export async function courseView(
  services: Services,
  school: School,
  slug: string,
  visitor: Visitor,
): Promise<ShopView> {
  const [course] = await sellableProducts(services.db, { kind: 'course', slug })
  if (!course || !('lessons' in course.live)) {
    return goneOrMissing(services, and(eq(catalogue.kind, 'course'), eq(catalogue.slug, slug)), visitor)
  }
  const entry = await checkAccess(services, course.id, visitor)
  return {
    name: 'course',
    course: {
      ...cardOf(course),
      description: course.live.description,
      lessons: course.live.lessons.map(lessonTitle),
    },
    offers: await offersOf(services, school, course, visitor),
    isOwned: isTheirs(entry),
    opensOn: entry.state === 'opens-later' ? entry.opens : null,
  }
}

/** Whether somebody has a course: it is open to them, or will be. */
function isTheirs({ state }: AccessDecision): boolean {
  return state === 'open' || state === 'opens-later'
}

/** One bundle: what is in it, what the courses cost alone, and its offers. */
export async function bundleView(
  services: Services,
  school: School,
  slug: string,
  visitor: Visitor,
): Promise<ShopView> {
  const [bundle] = await sellableProducts(services.db, { kind: 'bundle', slug })
  if (!bundle || !('includesAll' in bundle.live)) {
    return goneOrMissing(services, and(eq(catalogue.kind, 'bundle'), eq(catalogue.slug, slug)), visitor)
  }
  const [bundled, offers] = await Promise.all([
    bundledIn(services, school, [bundle]),
    offersOf(services, school, bundle, visitor),
  ])
  const { held, alone, saving } = bundled(bundle, offers)
  const owned = await Promise.all(held.map(async ({ id }) => isTheirs(await checkAccess(services, id, visitor))))
  const { description, includesAll } = bundle.live
  const today = await schoolDay(services)
  return {
    name: 'bundle',
    bundle: { ...cardOf(bundle), description, includesAll },
    courses: held.map(({ id, slug: at, live }, index) => {
      const price = alone.get(id)
      return {
        ...cardOf({ kind: 'course', slug: at, live }),
        price: price ? (price.now === 0 ? CATALOGUE.free : formatMoney(price.now, school)) : null,
        isOwned: owned[index] ?? false,
        opensOn: live.opens !== null && live.opens > today ? live.opens : null,
      }
    }),
    offers,
    saving: formatSaving(saving, school),
    isOwned: owned.length > 0 && owned.every((isOpen) => isOpen),
  }
}

/** The receipt page, for the browser that paid and for the buyer when signed in. */
export async function thanksView(
  services: Services,
  orderId: string,
  visitor: Visitor,
  key: string | null = null,
): Promise<ShopView> {
  const [row] = await services.db
    .select({ order: orders, person: people })
    .from(orders)
    .innerJoin(people, eq(people.id, orders.personId))
    .where(eq(orders.id, orderId))
  if (!row) return missing()
  const isByBrowser = row.order.browserHash === visitor.browserHash
  const isSignedIn = row.person.id === visitor.person?.id
  if (!isByBrowser && !isSignedIn && key === null) return missing()
  const { paidAt: paid } = row.order
  if (!isSignedIn && key === null && paid && paid <= browserAccessSince(services.now())) {
    return notice(401, NOTICE.seeOrder, [signInFor(`/thanks/${orderId}`), ALL_COURSES])
  }
  const { order, person } = row
  if (isByBrowser || isSignedIn) await endUpsells(services, order)
  const [paidBy] = await services.db
    .select({ method: attempts.method })
    .from(attempts)
    .where(and(eq(attempts.orderId, orderId), eq(attempts.state, 'collected'), isNull(attempts.agreementId)))
    .orderBy(desc(attempts.settledAt))
  const today = await schoolDay(services)
  const bought = await boughtOf(services.db, order, today)
  return {
    name: 'thanks',
    order: {
      id: order.id,
      number: order.number,
      state: order.state,
      method: paidBy?.method ?? null,
      paidOn: order.placedOn,
    },
    awaited: await awaitedOf(services.db, order),
    bought: bought.map(({ line, product, courses, opens, closes, isOpen, hasEnded, membership, isPaidTwice }) => ({
      product: cardOf(product),
      courses,
      offer: line.offerName,
      opens,
      closes,
      isOpen,
      hasEnded,
      membership,
      isPaidTwice,
    })),
    ...amountsOf(order, bought, await getSchool(services.db)),
    payments: await receivedPayments(services, order.id),
    path: orderPath(order.id, key),
    email: person.email,
    needsPassword: person.passwordHash === null,
    receiptPdf: order.state === 'paid' ? `${orderPath(order.id, key)}/receipt.pdf` : null,
    stillInBasket: order.fromBasketId ? await leftInBasket(services, visitor) : [],
    followers: await followersOf(services, orderId),
  }
}

/** The receipt of one payment of an order, for whoever may see the order. */
export async function receiptView(
  services: Services,
  orderId: string,
  attemptId: string,
  visitor: Visitor,
  key: string | null = null,
): Promise<ShopView> {
  const view = await thanksView(services, orderId, visitor, key)
  if (view.name !== 'thanks') return view
  const receipt = isId(attemptId) ? await paymentReceiptOf(services, orderId, attemptId) : null
  if (!receipt) return missing()
  return { name: 'receipt', receipt, order: orderPath(orderId, key) }
}

/** Where an order is shown: to whoever holds a link, by that. */
function orderPath(orderId: string, key: string | null): string {
  return key ? `/order/${key}` : `/thanks/${orderId}`
}

/** What was taken after an order, and is paid or waits for its money. */
async function followersOf({ db }: Services, orderId: string) {
  const rows = await db
    .select({ order: orders, line: orderLines, course: catalogue.slug, kind: catalogue.kind })
    .from(orders)
    .innerJoin(orderLines, eq(orderLines.orderId, orders.id))
    .innerJoin(catalogue, eq(catalogue.id, orderLines.productId))
    .where(and(eq(orders.followsId, orderId), ne(orders.state, 'open')))
    .orderBy(asc(orders.number))
  return rows.map(({ order: { id, number, payToday, state }, line, course, kind }) => ({
    ...{ id, number, title: line.title, pay: payToday, isPaid: state === 'paid' },
    course: kind === 'course' && state === 'paid' ? course : null,
  }))
}

/** What can be ordered of what is in a visitor's basket still, by its titles. */
async function leftInBasket(services: Services, visitor: Visitor): Promise<string[]> {
  const { orderable } = await showBasket(services, await getSchool(services.db), visitor)
  return orderable.map(({ line }) => line.product.title)
}

/** A link to an order that has ended, or never was. */
export function orderLinkEnded(visitor: Visitor): ShopView {
  return notice(410, NOTICE.orderLink, [toMyCourses(visitor)])
}

export async function myView(services: Services, visitor: Visitor): Promise<ShopView> {
  const { person, mode, browserHash } = visitor
  const { db } = services
  if (person) {
    return {
      name: 'my',
      courses: await coursesOf(services, mode, person),
      plans: await plansOf(db, person.id),
      orders: await paidOrdersOf(db, person.id),
      waiting: await waitingOrdersOf(db, and(eq(orders.personId, person.id), eq(orders.mode, mode))),
    }
  }
  const waiting = browserHash ? await waitingOrdersOf(db, ofBrowser(mode, browserHash)) : []
  const bought = browserHash ? await coursesOf(services, mode, { browserHash }) : []
  if (bought.length > 0 || waiting.length > 0) return { name: 'my', courses: bought, plans: [], orders: [], waiting }
  return { name: 'sign-in', goTo: '/my', email: '', titles: browserHash ? await titlesIn(db, mode, browserHash) : [] }
}

const ofBrowser = (mode: Mode, browserHash: string) => and(eq(orders.browserHash, browserHash), eq(orders.mode, mode))

/** What was bought in a browser, for who must sign in by now. */
async function titlesIn(db: Queryable, mode: Mode, browserHash: string): Promise<string[]> {
  const rows = await db
    .selectDistinct({ title: orderLines.title })
    .from(orderLines)
    .innerJoin(orders, eq(orders.id, orderLines.orderId))
    .where(and(ofBrowser(mode, browserHash), eq(orders.state, 'paid')))
    .orderBy(asc(orderLines.title))
  return rows.map(({ title }) => title)
}

/** One agreement, for its signed-in buyer or by a link in a message. */
export async function planPage(
  services: Services,
  key: string,
  visitor: Visitor,
  cameBack: boolean,
): Promise<ShopView> {
  const asked = await askFor(services, key, visitor)
  if (asked) return planView(services, asked, key, cameBack)
  // Whoever comes back from a gateway's page by a link that is used by now.
  const paid = cameBack ? await readUsedPayLink(services, key) : null
  if (paid) {
    return notice(200, filled(NOTICE.received, { course: paid.course }), [
      paid.kind === 'course' ? { label: NOTICE.openCourse, href: `/learn/${paid.slug}` } : toMyCourses(visitor),
    ])
  }
  return notice(410, NOTICE.payLink, [toMyCourses(visitor)])
}

/** An opened course, or why it is shut and what to do. */
export async function learnView(
  services: Services,
  school: School,
  slug: string,
  lessonId: string | undefined,
  visitor: Visitor,
): Promise<ShopView> {
  const [row] = await services.db
    .select({ course: courses, pageSlug: catalogue.pageSlug })
    .from(courses)
    .innerJoin(catalogue, eq(catalogue.id, courses.id))
    .where(eq(courses.slug, slug))
  const course = row?.course
  if (!course?.live) return missing()
  const buy = buyPathOf({ slug, pageSlug: row?.pageSlug ?? null })
  const entry = await checkAccess(services, course.id, visitor)
  const about = aboutCourse(slug)
  const on = (day: string) => ({ course: course.live?.title ?? '', day: formatDay(day, school.language) })
  const { title, description, lessons } = course.live
  if (entry.state === 'opens-later') {
    return notice(403, filled(NOTICE.opensLater, on(entry.opens)), [about])
  }
  if (entry.state === 'closed' && entry.owes && visitor.person) {
    return notice(403, filled(NOTICE.paused, on(entry.closed)), [
      { label: NOTICE.payNow, href: `/my/plan/${entry.owes}` },
      about,
    ])
  }
  if (entry.state === 'closed') {
    const again = { label: NOTICE.buyAgain, href: await buyAgainPath(services, entry.grant) }
    return notice(403, filled(NOTICE.closed, on(entry.closed)), [again, about])
  }
  if (entry.state === 'no-grant') return whyClosed({ slug, title, buy }, visitor, about, course.retiredAt !== null)
  const lesson = lessonId === undefined ? null : lessons.find(({ id }) => id === lessonId)
  if (lesson === undefined) return missing()
  return {
    name: 'learn',
    course: { ...cardOf({ kind: 'course', slug, live: course.live }), description },
    closes: entry.grant.closes,
    renews: renewsOn(entry.grant),
    lessons: lessons.map((one, index) => ({ id: one.id, title: lessonTitle(one, index) })),
    lesson,
  }
}

function whyClosed(
  { slug, title, buy: path }: { slug: string; title: string; buy: string },
  { person }: Visitor,
  about: NoticeView['actions'][number],
  isRetired: boolean,
): ShopView {
  const buy = isRetired ? [ALL_COURSES] : [{ label: NOTICE.buy, href: path }, about]
  if (!person) {
    return notice(401, filled(NOTICE.signInToOpen, { course: title }), [signInFor(`/learn/${slug}`), ...buy])
  }
  return notice(403, filled(NOTICE.notYours, { course: title, email: person.email }), buy)
}

export async function passwordView(services: Services, token: string): Promise<ShopView> {
  const link = await readBuyerLink(services, token)
  return { name: 'password', token, email: link && link.email === null ? link.person.email : null }
}

/** Where a buyer confirms their new address, by the link that was sent there. */
export async function emailView(services: Services, token: string): Promise<ShopView> {
  const link = await readBuyerLink(services, token)
  return { name: 'email', token, email: link?.email ?? null }
}
