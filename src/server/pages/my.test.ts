import { eq } from 'drizzle-orm'
import { beforeAll, describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, WHILE_PAYING } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import { cancelAgreement } from '../collecting/actions.ts'
import { agreements, people } from '../db/schema/index.ts'
import { setOnSale } from '../offers/service.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { recordTransferReceived } from '../transfers/marks.ts'
import { checkoutView } from './checkout.ts'
import { learnView, myView } from './service.ts'

const world = ownWorld()
let methods: Awaited<ReturnType<typeof world.connectOthers>>
beforeAll(async () => {
  methods = await world.connectOthers()
})

const personOf = async (email: string) => (await world.db.select().from(people).where(eq(people.email, email)))[0]
const mine = async (email: string, browser = 'nobody') => {
  const view = await myView(world.services, { ...shopper(browser), person: (await personOf(email)) ?? null })
  if (view.name !== 'my') throw new Error(`It is ${view.name}.`)
  return view
}
const inBrowser = (browser: string) => myView(world.services, shopper(browser))
const checkout = async (path: string) => {
  const { pathname, searchParams } = new URL(path, world.origin)
  const query = { offerId: searchParams.get('offer') ?? undefined }
  const school = await getSchool(world.db)
  const view = await checkoutView(world.services, school, pathname.slice('/buy/'.length), shopper('stranger'), query)
  if (view.name !== 'checkout') throw new Error(`It is ${view.name}.`)
  return view
}

describe('what was bought in a browser', () => {
  it('stands there and opens for an hour; then its titles, to sign in', async () => {
    const { offerId, slug } = await world.sell(4900, 'Just bought')
    await world.buy(slug, world.request(offerId, 4900, { email: 'just@post.example' }), 'just')
    expect(await inBrowser('just')).toMatchObject({
      name: 'my',
      courses: [{ title: 'Just bought', state: 'open' }],
      plans: [],
    })
    expect(await inBrowser('another')).toMatchObject({ name: 'sign-in', titles: [] })
    world.clock.offsetMs += 61 * 60_000
    expect(await inBrowser('just')).toMatchObject({ name: 'sign-in', titles: ['Just bought'] })
  })
})

describe('buying again', () => {
  it('leads to the offer and the bundle by which it was bought, from the course, from My courses and once it is gone', async () => {
    const [one, two] = [await world.sell(4900, 'In the bundle'), await world.sell(4900, 'Beside it')]
    const club = await world.bundle([one.courseId, two.courseId], MONTHLY, 'The whole bench', { access: WHILE_PAYING })
    const email = 'again@post.example'
    const { orderId } = await world.buy(club.slug, world.request(club.offerId, 1900, { email }))
    const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    await cancelAgreement(world.services, agreement?.id as string, 'now', 'creator')
    const path = `/buy/${club.slug}?offer=${club.offerId}`
    expect((await mine(email)).courses).toMatchObject([
      { state: 'closed', buy: path },
      { state: 'closed', buy: path },
    ])
    const who = { ...shopper('nobody'), person: (await personOf(email)) ?? null }
    const shut = await learnView(world.services, await getSchool(world.db), one.slug, undefined, who)
    expect(shut).toMatchObject({ actions: expect.arrayContaining([{ label: 'Buy it again', href: path }]) })
    expect(await checkout(path)).toMatchObject({ chosen: club.offerId, warnings: [] })
  })

  it('of an offer that is not on sale says so, and shows what is', async () => {
    const course = await world.sell(4900, 'Other offers')
    const other = await world.offer(course.courseId, 5900)
    await setOnSale(world.services, course.offerId, false)
    const view = await checkout(`/buy/${course.slug}?offer=${course.offerId}`)
    expect(view.warnings).toEqual(['“One payment” is no longer on sale. This is what there is now.'])
    expect(view.chosen).toBe(other)
    expect((await checkout(`/buy/${course.slug}?offer=${crypto.randomUUID()}`)).warnings).toEqual([])
  })
})

describe('an order that waits for its transfer', () => {
  it('stands with its amount, account and code where it was ordered, and where its buyer signs in', async () => {
    const { offerId, slug } = await world.sell(4900, 'Transferred')
    const email = 'waits@post.example'
    const payment = { connectionId: methods.transfer, token: '' }
    const { orderId } = await world.buy(slug, world.request(offerId, 4900, { email, payment }), 'waits')
    const [waiting] = (await mine(email)).waiting
    expect(waiting).toMatchObject({
      id: orderId,
      titles: ['Transferred'],
      awaited: { amount: 4900, came: 0, transfer: { iban: 'AT34 0000 0000 1234 5678' } },
    })
    expect(waiting?.awaited.transfer?.code?.path).toBeTruthy()
    expect(await inBrowser('waits')).toMatchObject({ name: 'my', waiting: [waiting] })
    expect((await mine('just@post.example')).waiting).toEqual([])
    const day = await schoolDay(world.services)
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 4900, day, note: '' })
    expect((await mine(email)).waiting).toEqual([])
  })
})
