import { and, desc, eq, inArray, isNull, notExists, or } from 'drizzle-orm'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { dayIn, parseInstant } from '../../core/calendar/instant.ts'
import { shownOn } from '../../core/content/checkoutPage.ts'
import { lessonTitle } from '../../core/content/course.ts'
import { accessProblem } from '../../core/content/endsOn.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { shownSale } from '../../core/content/shownSale.ts'
import { formatWholePrice, formatWholePrices, todayInParts } from '../../core/sentence/sentence.ts'
import { beginSentence, formatList } from '../../core/sentence/words.ts'
import { NOTICE } from '../../core/words/en/notice.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say, type ValuesOf } from '../../core/words/message.ts'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import { browserAccessSince, checkAccess, coursesOf, renewsOn } from '../access/service.ts'
import { findLivePage } from '../catalogue/pages.ts'
import { type SellableCourse, sellableCourses } from '../catalogue/sellable.ts'
import { needsOf } from '../checkout/audience.ts'
import { readUsedPayLink } from '../collecting/payLinks.ts'
import { askFor, planView } from '../collecting/view.ts'
import { attempts, connections, courses, orderLines, orders, people } from '../db/schema/index.ts'
import { publishedOf } from '../drafts/drafts.ts'
import { shownPaymentMethods } from '../gateways/shownMethods.ts'
import { isId } from '../http/isId.ts'
import { awaitedOf } from '../orders/awaited.ts'
import { amountsOf, boughtOf } from '../orders/bought.ts'
import { paidOrdersOf, plansOf } from '../orders/plans.ts'
import type { Services } from '../platform/context.ts'
import { type School, schoolDay } from '../school/service.ts'
import { readBuyerLink } from '../session/links.ts'
import type { Visitor } from '../session/visitor.ts'
import type { CourseCard, NoticeView, ShopOffer, ShopView } from '../views/data.ts'
import { beside } from './beside.ts'

/** The services behind each page of the shop: what it shows to this visitor. */

function cardOf(course: Pick<SellableCourse, 'slug' | 'live'>): CourseCard {
  const { title, summary, coverColor, coverId } = course.live
  return { slug: course.slug, title, summary, coverColor, coverId }
}

/**
 * The offers of a course as this visitor sees them. Those that are sold by their link alone are not
 * listed; `linkedTo` is the one whose link was opened.
 */
async function offersOf(
  services: Services,
  school: School,
  course: SellableCourse,
  visitor: Visitor,
  linkedTo?: string,
): Promise<ShopOffer[]> {
  const at = services.now().toISOString()
  const listed = course.offers.filter(({ id, live }) => live.audience.who !== 'link' || id === linkedTo)
  const onSale = listed.filter(({ live }) => live.sale !== null).map(({ id }) => id)
  const history = await publishedOf(services.db, 'offer', onSale)
  const shown = await Promise.all(
    listed.map(async ({ id, productId, live }): Promise<ShopOffer[]> => {
      const said = describeOffer(school, { id, courses: [{ id: productId }], content: live }, at)
      // What has ended, or cannot be quoted, is left out; the studio says why. It takes nothing else down with it.
      if (!said) return []
      const { terms, access } = said.priced
      const { name, button, highlighted, audience } = live
      return [
        {
          id,
          name,
          button,
          highlighted,
          terms,
          access,
          quote: said.quote,
          price: formatWholePrice(said.priced),
          today: todayInParts(said.priced),
          taxRate: live.taxRate ?? school.taxRate,
          lines: live.lines.split('\n').filter((line) => line.trim() !== ''),
          sale: shownSale(history.get(id) ?? [], school, at),
          needs: audience.who === 'holders' ? await needsOf(services, audience.of, visitor) : null,
        },
      ]
    }),
  )
  return shown.flat()
}

function notice(status: number, of: { title: string; text: string }, actions: NoticeView['actions']): NoticeView {
  return { name: 'notice', status, ...of, actions }
}

/** A notice of the catalogue, with what its names stand for. */
function filled<const T extends string, const X extends string>(
  of: { title: T; text: X },
  values: ValuesOf<T> & ValuesOf<X>,
): { title: string; text: string } {
  return { title: say(of.title, values), text: say(of.text, values) }
}

const aboutCourse = (slug: string) => ({ label: NOTICE.aboutCourse, href: `/course/${slug}` })
const signInFor = (path: string) => ({ label: NOTICE.signIn, href: `/sign-in?then=${encodeURIComponent(path)}` })
/** Where a buyer finds what is theirs, once they have signed in. */
const toMyCourses = ({ person }: Visitor) => (person ? { label: NOTICE.myCourses, href: '/my' } : signInFor('/my'))

const ALL_COURSES = { label: NOTICE.allCourses, href: '/' }

export function missing(): NoticeView {
  return notice(404, NOTICE.missing, [ALL_COURSES])
}

export async function schoolView(services: Services, school: School): Promise<ShopView> {
  const all = await sellableCourses(services.db)
  const cards = all.map(async (course) => {
    const offers = await offersOf(services, school, course, STRANGER)
    return { ...cardOf(course), price: shopPrice(offers, school), offers: offers.length }
  })
  const courses = (await Promise.all(cards)).filter(({ offers }) => offers > 0)
  return { name: 'school', courses: courses.map(({ offers: _offers, ...card }) => card) }
}

/** What a course costs, whole, by the offers that everyone may buy; where there are none, for whom it is. */
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

/** Nobody in particular: what is listed is the same for all. */
const STRANGER: Visitor = { mode: 'practice', person: null, browserHash: null }

export async function courseView(
  services: Services,
  school: School,
  slug: string,
  visitor: Visitor,
): Promise<ShopView> {
  const [course] = await sellableCourses(services.db, { slug })
  if (!course) return missing()
  const entry = await checkAccess(services, course.id, visitor)
  return {
    name: 'course',
    course: {
      ...cardOf(course),
      description: course.live.description,
      lessons: course.live.lessons.map(lessonTitle),
    },
    offers: await offersOf(services, school, course, visitor),
    isOwned: entry.state === 'open',
  }
}

export async function checkoutView(
  services: Services,
  school: School,
  slug: string,
  offerId: string | undefined,
  visitor: Visitor,
  { cameBackFrom, code }: { cameBackFrom?: string | undefined; code?: string | undefined } = {},
): Promise<ShopView> {
  const page = await findLivePage(services.db, slug)
  if (!page) return missing()
  const withTestPurchase = visitor.isCreator === true && offerId !== undefined
  const [course] = await sellableCourses(services.db, { productId: page.productId, withTestPurchase })
  if (!course) return missing()
  const offers = shownOn(page.live, await offersOf(services, school, course, visitor, offerId), offerId)
  const ended = endedOffer(services, school, course, offerId)
  if (ended) {
    const others = offers.length > 0 ? [{ label: NOTICE.otherPrices, href: `/buy/${slug}` }] : []
    return notice(410, filled(NOTICE.offerEnded, { offer: ended.name, day: formatDay(ended.until, school.language) }), [
      ...others,
      aboutCourse(course.slug),
      ALL_COURSES,
    ])
  }
  // The one that was asked for, else the page's own, else the first that this visitor may buy.
  const mayBuy = ({ needs }: ShopOffer) => needs?.isMet ?? true
  const chosen =
    offers.find(({ id }) => id === offerId) ??
    offers.find((offer) => offer.id === page.live.chosen && mayBuy(offer)) ??
    offers.find(mayBuy) ??
    offers[0]
  if (!chosen) {
    return notice(410, filled(NOTICE.notOnSale, { course: course.live.title }), [aboutCourse(course.slug), ALL_COURSES])
  }
  const { buyable, says } = await beside(services, school, course, offers, visitor)
  const pending = await pendingOrder(services, course, visitor, cameBackFrom)
  return {
    name: 'checkout',
    course: { ...cardOf(course), lessons: course.live.lessons.map(lessonTitle) },
    offers: buyable.length > 0 ? buyable : offers,
    chosen: buyable.includes(chosen) ? chosen.id : (buyable[0] ?? chosen).id,
    linked: offerId ?? null,
    codes: code ? [code] : [],
    paymentMethods: await shownPaymentMethods(services, visitor.mode, school.currency),
    // An order that the page has yet to lead on from, although the gateway's event has opened the course already.
    isOwned: buyable.length === 0 && pending === null,
    held: says,
    pending,
  }
}

/** The offer that a link names, where its access has ended by its own date. */
function endedOffer(
  services: Services,
  school: School,
  { offers: listed }: SellableCourse,
  offerId: string | undefined,
): { name: string; until: string } | null {
  const asked = listed.find(({ id }) => id === offerId)
  const at = parseInstant(services.now().toISOString())
  const problem = asked && at ? accessProblem(asked.live.access, dayIn(school.timeZone, at)) : null
  return asked && problem ? { name: asked.live.name, until: problem.until } : null
}

/**
 * The order for this course whose payment was under way in this browser, so that a reload goes on with it. One that
 * waits for a bank transfer is not in the payment method at once.
 */
async function pendingOrder(
  { db }: Services,
  course: SellableCourse,
  { browserHash, mode }: Visitor,
  cameBackFrom: string | undefined,
): Promise<string | null> {
  if (!browserHash) return null
  // Whoever comes back from a gateway's page is told how it stands, also where its event was faster than they.
  const isFrom = cameBackFrom && isId(cameBackFrom) ? eq(orders.id, cameBackFrom) : undefined
  const byTransfer = db
    .select({ id: attempts.id })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(
      and(eq(attempts.orderId, orders.id), eq(attempts.state, 'awaiting'), eq(connections.adapter, BANK_TRANSFER_ID)),
    )
  const [order] = await db
    .select({ id: orders.id })
    .from(orders)
    .where(
      and(
        eq(orders.mode, mode),
        eq(orders.browserHash, browserHash),
        or(isFrom, and(eq(orders.state, 'paying'), notExists(byTransfer))),
        inArray(
          orders.id,
          db.select({ id: orderLines.orderId }).from(orderLines).where(eq(orderLines.productId, course.id)),
        ),
      ),
    )
    .orderBy(desc(orders.state))
  return order?.id ?? null
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
    bought: bought.map(({ line, product, opens, closes, isOpen, hasEnded, isPaidTwice }) => ({
      course: cardOf(product),
      offer: line.offerName,
      opens,
      closes,
      isOpen,
      hasEnded,
      isPaidTwice,
    })),
    ...amountsOf(order, bought),
    email: person.email,
    needsPassword: person.passwordHash === null,
    receiptPdf: order.state === 'paid' ? `/${key ? `order/${key}` : `thanks/${order.id}`}/receipt.pdf` : null,
  }
}

/** A link to an order that has ended, or never was. */
export function orderLinkEnded(visitor: Visitor): ShopView {
  return notice(410, NOTICE.orderLink, [toMyCourses(visitor)])
}

export async function myView(services: Services, visitor: Visitor): Promise<ShopView> {
  if (!visitor.person) return { name: 'sign-in', goTo: '/my', email: '' }
  return {
    name: 'my',
    courses: await coursesOf(services, visitor.person),
    plans: await plansOf(services.db, visitor.person.id),
    orders: await paidOrdersOf(services.db, visitor.person.id),
  }
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
      { label: NOTICE.openCourse, href: `/learn/${paid.slug}` },
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
  const [course] = await services.db.select().from(courses).where(eq(courses.slug, slug))
  if (!course?.live) return missing()
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
    return notice(403, filled(NOTICE.closed, on(entry.closed)), [
      { label: NOTICE.buyAgain, href: `/buy/${slug}` },
      about,
    ])
  }
  if (entry.state === 'no-grant') return whyClosed(slug, title, visitor, about, course.retiredAt !== null)
  const lesson = lessonId === undefined ? null : lessons.find(({ id }) => id === lessonId)
  if (lesson === undefined) return missing()
  return {
    name: 'learn',
    course: { ...cardOf({ slug, live: course.live }), description },
    closes: entry.grant.closes,
    renews: renewsOn(entry.grant),
    lessons: lessons.map((one, index) => ({ id: one.id, title: lessonTitle(one, index) })),
    lesson,
  }
}

function whyClosed(
  slug: string,
  title: string,
  { person }: Visitor,
  about: NoticeView['actions'][number],
  isRetired: boolean,
): ShopView {
  const buy = isRetired ? [ALL_COURSES] : [{ label: NOTICE.buy, href: `/buy/${slug}` }, about]
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
