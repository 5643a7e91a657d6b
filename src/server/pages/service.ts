import { and, desc, eq, inArray } from 'drizzle-orm'
import { dayIn, parseInstant } from '../../core/calendar/instant.ts'
import { sayDay } from '../../core/calendar/sayDay.ts'
import { speakOffer } from '../../core/content/quoteInput.ts'
import { coursesOf, mayEnter, type Visitor } from '../access/service.ts'
import { type SellableCourse, sellableCourses } from '../checkout/sellable.ts'
import type { Services } from '../context.ts'
import { attempts, courses, offers, orderLines, orders, people } from '../db/schema/index.ts'
import { adapterOf, waysIn } from '../gateways/service.ts'
import { plansOf } from '../orders/plans.ts'
import { readPasswordLink } from '../people/service.ts'
import { type School, schoolDay } from '../school/service.ts'
import type { CourseCard, NoticeView, ShopOffer, ShopView } from './data.ts'

/** The services behind each page of the shop: what it shows to this visitor. */

function cardOf(course: Pick<SellableCourse, 'slug' | 'live'>): CourseCard {
  const { title, summary, cloth, coverId } = course.live
  return { slug: course.slug, title, summary, cloth, coverId }
}

function offersOf(services: Services, school: School, course: SellableCourse): ShopOffer[] {
  const at = services.now().toISOString()
  return course.offers.map(({ id, courseId, live }) => {
    const said = speakOffer(school, { id, courseId, content: live }, at)
    if (!said) throw new Error(`The live offer ${id} cannot be quoted.`)
    const { terms, access } = said.spoken
    return { id, name: live.name, button: live.button, highlighted: live.highlighted, terms, access, quote: said.quote }
  })
}

function notice(status: number, title: string, text: string, actions: NoticeView['actions']): NoticeView {
  return { name: 'notice', status, title, text, actions }
}

const ALL_COURSES = { label: 'See all courses', href: '/' }

export function missing(): NoticeView {
  return notice(404, 'There is no such page.', 'The address may be mistyped, or the page has gone.', [ALL_COURSES])
}

export async function schoolView(services: Services, school: School): Promise<ShopView> {
  const all = await sellableCourses(services.db)
  return {
    name: 'school',
    courses: all
      .filter((course) => course.offers.length > 0)
      .map((course) => ({
        ...cardOf(course),
        from: Math.min(...offersOf(services, school, course).map(({ quote }) => quote.today.pay)),
        offers: course.offers.length,
      })),
  }
}

export async function courseView(
  services: Services,
  school: School,
  slug: string,
  visitor: Visitor,
): Promise<ShopView> {
  const [course] = await sellableCourses(services.db, slug)
  if (!course) return missing()
  const entry = await mayEnter(services, course.id, visitor)
  return {
    name: 'course',
    course: {
      ...cardOf(course),
      description: course.live.description,
      lessons: course.live.lessons.map(({ title }) => title),
    },
    offers: offersOf(services, school, course),
    isOwned: entry.state === 'open',
  }
}

export async function checkoutView(
  services: Services,
  school: School,
  slug: string,
  offerId: string | undefined,
  visitor: Visitor,
): Promise<ShopView> {
  const [course] = await sellableCourses(services.db, slug)
  if (!course) return missing()
  const [first] = course.offers
  if (!first) {
    return notice(
      410,
      `${course.live.title} is not on sale at the moment.`,
      'Who has it keeps it. Others can look at what else there is.',
      [{ label: 'About the course', href: `/course/${slug}` }, ALL_COURSES],
    )
  }
  const ways = await waysIn(services.db, services.gateways, visitor.mode)
  const entry = await mayEnter(services, course.id, visitor)
  return {
    name: 'checkout',
    course: { ...cardOf(course), lessons: course.live.lessons.map(({ title }) => title) },
    offers: offersOf(services, school, course),
    chosen: course.offers.find(({ id }) => id === offerId)?.id ?? first.id,
    ways: ways
      .filter(({ capabilities }) => capabilities.currencies.includes(school.currency))
      .map(({ connectionId, adapter, account, capabilities }) => ({
        connectionId,
        adapter,
        gateway: capabilities.name,
        method: capabilities.method,
        fieldsUrl: adapterOf(services.gateways, adapter).fieldsUrl(account, visitor.mode),
      })),
    isOwned: entry.state === 'open',
    pending: await pendingOrder(services, course, visitor),
  }
}

/** The order for this course whose payment was under way in this browser, so that a reload goes on with it. */
async function pendingOrder(
  { db }: Services,
  course: SellableCourse,
  { browserHash, mode }: Visitor,
): Promise<string | null> {
  if (!browserHash) return null
  const [order] = await db
    .select({ id: orders.id })
    .from(orders)
    .where(
      and(
        eq(orders.mode, mode),
        eq(orders.browserHash, browserHash),
        eq(orders.state, 'paying'),
        inArray(
          orders.offerId,
          course.offers.map(({ id }) => id),
        ),
      ),
    )
  return order?.id ?? null
}

/** The receipt page, for the browser that paid and for the buyer when signed in. */
export async function thanksView(
  services: Services,
  school: School,
  orderId: string,
  visitor: Visitor,
): Promise<ShopView> {
  const [row] = await services.db
    .select({ order: orders, line: orderLines, course: courses, person: people })
    .from(orders)
    .innerJoin(orderLines, and(eq(orderLines.orderId, orders.id), eq(orderLines.position, 0)))
    .innerJoin(offers, eq(offers.id, orderLines.offerId))
    .innerJoin(courses, eq(courses.id, offers.courseId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(eq(orders.id, orderId))
  const isTheirs = row && (row.order.browserHash === visitor.browserHash || row.person.id === visitor.person?.id)
  if (!row || !isTheirs) return missing()
  const { order, line, course, person } = row
  const [paidBy] = await services.db
    .select({ method: attempts.method })
    .from(attempts)
    .where(and(eq(attempts.orderId, orderId), eq(attempts.state, 'collected')))
    .orderBy(desc(attempts.settledAt))
  const paidAt = order.paidAt && parseInstant(order.paidAt.toISOString())
  return {
    name: 'thanks',
    order: {
      id: order.id,
      number: order.number,
      state: order.state,
      method: paidBy?.method ?? null,
      paidOn: paidAt ? dayIn(school.timeZone, paidAt) : null,
    },
    course: cardOf({ slug: course.slug, live: course.live ?? course.draft }),
    offer: line.offerName,
    opens: line.quoted.opens,
    isOpen: line.quoted.opens <= (await schoolDay(services)),
    quote: order.quote,
    email: person.email,
    needsPassword: person.passwordHash === null,
  }
}

export async function myView(services: Services, visitor: Visitor): Promise<ShopView> {
  if (!visitor.person) return { name: 'sign-in', goTo: '/my', email: '' }
  return {
    name: 'my',
    courses: await coursesOf(services, visitor.person),
    plans: await plansOf(services.db, visitor.person.id),
  }
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
  const entry = await mayEnter(services, course.id, visitor)
  const about = { label: 'About the course', href: `/course/${slug}` }
  const { title, description, lessons } = course.live
  if (entry.state === 'opens-later') {
    return notice(
      403,
      `${title} opens on ${sayDay(entry.opens, school.language)}.`,
      'You have it already; nothing needs to be done until then.',
      [about],
    )
  }
  if (entry.state === 'closed') {
    return notice(
      403,
      `${title} closed for you on ${sayDay(entry.closed, school.language)}.`,
      'You can buy it again and go on where you were.',
      [{ label: 'Buy it again', href: `/buy/${slug}` }, about],
    )
  }
  if (entry.state === 'no-grant') return whyShut(slug, title, visitor, about, course.retiredAt !== null)
  const lesson = lessonId === undefined ? null : lessons.find(({ id }) => id === lessonId)
  if (lesson === undefined) return missing()
  return {
    name: 'learn',
    course: { ...cardOf({ slug, live: course.live }), description },
    closes: entry.grant.closes,
    lessons: lessons.map(({ id, title: lessonTitle }) => ({ id, title: lessonTitle })),
    lesson,
  }
}

function whyShut(
  slug: string,
  title: string,
  { person }: Visitor,
  about: NoticeView['actions'][number],
  isRetired: boolean,
): ShopView {
  const buy = isRetired ? [ALL_COURSES] : [{ label: 'Buy the course', href: `/buy/${slug}` }, about]
  if (!person) {
    return notice(
      401,
      `Sign in to open ${title}.`,
      'If you bought it, it is in your account. If not, you can buy it now.',
      [{ label: 'Sign in', href: `/sign-in?then=${encodeURIComponent(`/learn/${slug}`)}` }, ...buy],
    )
  }
  return notice(
    403,
    `You do not have ${title} yet.`,
    `You are signed in as ${person.email}. If you bought it with another address, sign in with that one.`,
    buy,
  )
}

export async function passwordView(services: Services, token: string): Promise<ShopView> {
  const person = await readPasswordLink(services, token)
  return { name: 'password', token, email: person?.email ?? null }
}
