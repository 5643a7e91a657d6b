import { expect, it } from 'vitest'
import { newCoupon } from '../../core/content/coupon.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { shopper } from '../../testing/world.ts'
import { findCodes } from '../coupons/codes.ts'
import { createCoupon, publishCoupon, saveCouponDraft } from '../coupons/service.ts'
import { getSchool } from '../school/service.ts'
import { basketOn } from './asked.ts'
import { countingFor, quoteWithCodes } from './codedQuote.ts'

const world = ownWorld()

it('a code counts by the uses that are left; as if nobody had used it, it still counts', async () => {
  const { services, db } = world
  const course = await world.sell(10_000, 'One use')
  const { id } = await createCoupon(services)
  const content = { ...newCoupon(), code: 'ONCE', limit: 1, limitPerBuyer: null }
  const { draftRev } = await saveCouponDraft(services, id, 1, content)
  await publishCoupon(services, id, draftRev, null)
  const who = shopper('browser')
  const quoted = async (isCounted: boolean) => {
    const { lines } = await basketOn(services, course.slug, { lines: [{ offerId: course.offerId, chosen: null }] }, who)
    const coded = { lines, codes: ['ONCE'], found: await findCodes(db, ['ONCE']) }
    const counting = isCounted ? countingFor(who) : null
    const { quote } = await quoteWithCodes(db, await getSchool(db), coded, counting, services.now())
    return [quote.today.pay, quote.codes[0]?.counts]
  }
  expect(await quoted(true)).toEqual([9000, true])
  const order = world.request(course.offerId, 9000, { email: 'one@use.example', codes: ['ONCE'] })
  await world.buy(course.slug, order)
  expect(await quoted(true)).toEqual([10_000, false])
  expect(await quoted(false)).toEqual([9000, true])
})
