import { eq } from 'drizzle-orm'
import { makePayLink } from '../../server/collecting/payLinks.ts'
import { agreements, connections, courses, grants, people, pictures } from '../../server/db/schema/index.ts'
import { makePasswordLink } from '../../server/session/links.ts'
import { openSession } from '../../server/session/sessions.ts'
import { THREE_PARTS } from '../terms.ts'
import type { World } from '../world.ts'
import type { Target } from './fuzz.ts'

/** A school with something of everything, and who may ask for it. */
export async function fuzzTarget(world: World): Promise<Target> {
  const { db, services } = world
  const { transfer } = await world.connectOthers()
  const plan = await world.sell(THREE_PARTS, 'In parts')
  const single = await world.sell(12_900, 'One payment')
  const free = await world.sell(null, 'Free')
  const email = 'buyer@fuzz.example'
  const bought = await world.buy(plan.slug, world.request(plan.offerId, 4300, { email }))
  const waiting = await world.buy(
    single.slug,
    world.request(single.offerId, 12_900, { email, payment: { connectionId: transfer, token: '' } }),
  )
  await world.buy(free.slug, world.request(free.offerId, 0, { email }))
  await db.insert(pictures).values({ width: 1, height: 1, createdAt: services.now() })
  const [person] = await db.select().from(people).where(eq(people.email, email))
  const [agreement] = await db.select().from(agreements)
  const session = await openSession(services, { personId: person?.id as string })
  const linkOf = (link: string) => link.split('/').at(-1) as string
  const ids = [
    ...(await db.select({ id: courses.id }).from(courses)),
    ...(await db.select({ id: connections.id }).from(connections)),
    ...(await db.select({ id: grants.id }).from(grants)),
    ...(await db.select({ id: pictures.id }).from(pictures)),
  ].map(({ id }) => id)
  return {
    origin: world.origin,
    cookies: {
      nobody: '',
      buyer: `acorn_shop=${session}; acorn_browser=browser`,
      creator: `acorn_studio=${world.creatorToken}; acorn_mode=practice`,
    },
    known: [
      ...ids,
      plan.offerId,
      single.offerId,
      free.offerId,
      bought.orderId,
      waiting.orderId,
      agreement?.id as string,
      person?.id as string,
      plan.slug,
      single.slug,
      free.slug,
      'thistle',
      'transfer',
      linkOf(await makePayLink(services, agreement?.id as string)),
      linkOf(await makePasswordLink(services, person?.id as string)),
    ],
  }
}
