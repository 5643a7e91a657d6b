import { eq } from 'drizzle-orm'
import { beforeAll, describe, expect, it } from 'vitest'
import { addDays } from '../../core/calendar/day.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../../testing/terms.ts'
import { agreements, grants, MESSAGE_KINDS, type MessageKind, messages } from '../db/schema/index.ts'
import { schoolDay } from '../school/service.ts'
import { sendMessage } from './send.ts'

const world = ownWorld()

/** What was ordered, by its name: of each kind of product one, and several in one order. */
const ordered = new Map<string, string>()
const titles = ['Course', 'Plan', 'Inside', 'Beside'] as const

beforeAll(async () => {
  const [course, plan, inside, beside] = await Promise.all(
    titles.map((title) => world.sell(title === 'Plan' ? THREE_PARTS : 4900, title)),
  )
  if (!course || !plan || !inside || !beside) throw new Error('nothing is sold')
  const ids = [inside.courseId, beside.courseId]
  const bundle = await world.bundle(ids, 9000, 'Both')
  const paidOver = await world.bundle(ids, MONTHLY, 'Both, monthly', { access: WHILE_PAYING })
  const everything = await world.bundle(null, 20_000, 'Everything')
  const buy = async (name: string, slug: string, offerId: string, pay: number) => {
    const request = world.request(offerId, pay, { email: `${name.toLowerCase().replace(/\W/g, '')}@links.example` })
    ordered.set(name, (await world.buy(slug, request, name)).orderId)
  }
  await buy('a course', course.slug, course.offerId, 4900)
  await buy('a plan', plan.slug, plan.offerId, 4300)
  await buy('a bundle', bundle.slug, bundle.offerId, 9000)
  await buy('a bundle by subscription', paidOver.slug, paidOver.offerId, 1900)
  await buy('a bundle of all', everything.slug, everything.offerId, 20_000)
  const several = { ...world.request(course.offerId, 4900 + 9000 + 4300, { email: 'several@links.example' }) }
  several.lines = [course, bundle, plan].map(({ offerId }) => ({ offerId, chosen: null }))
  ordered.set('several', (await world.buyTogether(several, 'several')).orderId)
})

/** What a message of a kind leads to, for an order that was placed by a browser. */
async function linksIn(kind: MessageKind, name: string) {
  const { db, services } = world
  const orderId = ordered.get(name) as string
  const order = await world.orderOf(orderId)
  // What opened, or ends, was noted with its message.
  const closes = addDays(await schoolDay(services), 3)
  const noted = { opened: { openingNotified: await schoolDay(services) }, 'ends-soon': { closes, endNotified: closes } }
  if (kind === 'opened' || kind === 'ends-soon') {
    await db.update(grants).set(noted[kind]).where(eq(grants.orderId, orderId))
  }
  const [agreement] = await db.select().from(agreements).where(eq(agreements.orderId, orderId))
  const [row] = await db
    .insert(messages)
    .values({
      ...{ mode: 'practice', kind, personId: order?.personId as string, orderId, state: 'waiting' },
      ...{ agreementId: agreement?.id ?? null, courseTitle: 'Inside' },
      createdAt: services.now(),
    } as const)
    .returning({ id: messages.id })
  const emails: { html: string; text: string }[] = []
  await sendMessage(services, row?.id as string, async (email) => void emails.push(email))
  const [email] = emails
  if (!email) return null
  const inHtml = [...email.html.matchAll(/href="([^"]+)"/g)].map(([, href]) =>
    (href as string).replaceAll('&amp;', '&'),
  )
  const inText = [...email.text.matchAll(/https?:\/\/\S+/g)].map(([url]) => url)
  expect(new Set(inText)).toEqual(new Set(inHtml))
  return inText
}

/** Opens an address as the browser that ordered does, and follows where it leads. */
async function open(url: string, browser: string): Promise<number> {
  let at = new URL(url)
  for (let step = 0; step < 4; step++) {
    expect(at.origin).toBe(world.origin)
    const headers = { cookie: `acorn_browser=${browser}` }
    const response = await world.call('GET', at.pathname + at.search, undefined, headers)
    const location = response.headers.get('location')
    if (response.status < 300 || response.status >= 400 || !location) return response.status
    at = new URL(location, at)
  }
  throw new Error(`${url} leads round and round.`)
}

const NEEDS_PLAN: readonly MessageKind[] = [
  ...(['collected', 'declined', 'stopped', 'cancelled', 'method-changed', 'card-expiring', 'due-moved'] as const),
  ...(['cancel-taken-back', 'renewal-ahead', 'pay-link'] as const),
  ...(['creator-declined', 'creator-stopped', 'creator-cancelled'] as const),
]
const isForCreator = (url: string) => new URL(url).pathname.startsWith('/studio')

async function allOpen(name: string) {
  const orderId = ordered.get(name) as string
  const hasPlan = (await world.db.$count(agreements, eq(agreements.orderId, orderId))) > 0
  let opened = 0
  for (const kind of MESSAGE_KINDS) {
    // A refund's message leads nowhere.
    if ((NEEDS_PLAN.includes(kind) && !hasPlan) || kind === 'refunded') continue
    for (const url of (await linksIn(kind, name)) ?? []) {
      const status = isForCreator(url) ? 200 : await open(url, name)
      expect(`${kind}: ${url} ${status}`).toBe(`${kind}: ${url} 200`)
      opened++
    }
  }
  expect(opened).toBeGreaterThan(8)
}

describe('every address in every message can be opened', () => {
  for (const name of ['a course', 'a plan', 'a bundle', 'a bundle by subscription', 'a bundle of all', 'several']) {
    it(`of ${name}`, () => allOpen(name))
  }
})
