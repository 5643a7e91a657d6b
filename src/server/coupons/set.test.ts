import { eq } from 'drizzle-orm'
import Papa from 'papaparse'
import { beforeEach, describe, expect, it } from 'vitest'
import { CODE_ALPHABET } from '../../core/content/codePattern.ts'
import { type CouponContent, newCoupon } from '../../core/content/coupon.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { shopper } from '../../testing/world.ts'
import { quoteOnPage } from '../checkout/place.ts'
import { codes } from '../db/schema/index.ts'
import { createCoupon, publishCoupon, saveCouponDraft } from './service.ts'
import { codesCsv, countByState, listCodes, makeCodes, setWithdrawn } from './set.ts'

/** Single-use codes for one rule. */
const world = ownWorld()
let n = 0
let course: Awaited<ReturnType<typeof world.sell>>
let set = ''
beforeEach(async () => {
  n++
  course = await world.sell(10_000, `Set ${n}`)
  set = await publish()
})

async function publish(content: Partial<CouponContent> = {}) {
  const { id } = await createCoupon(world.services)
  const draft = { ...newCoupon(), isSet: true, code: `Fair ${n}`, prefix: 'FAIR-', limitPerBuyer: null, ...content }
  const { draftRev } = await saveCouponDraft(world.services, id, 1, draft)
  await publishCoupon(world.services, id, draftRev, null)
  return id
}
const codesOf = async (id = set) =>
  (await world.db.select().from(codes).where(eq(codes.couponId, id)).orderBy(codes.createdAt, codes.id)).map(
    ({ code }) => code,
  )
const buy = (entered: string[], who: string, pay = 9000, card = 'pays') =>
  world.buy(
    course.slug,
    world.request(course.offerId, pay, { email: `${who}${n}@set.example`, codes: entered }, card),
    who,
  )
const said = async (...entered: string[]) =>
  (
    await quoteOnPage(
      world.services,
      course.slug,
      { lines: [{ offerId: course.offerId, chosen: null }], codes: entered },
      shopper('looks'),
    )
  ).codes

describe('a set of single-use codes', () => {
  it('is made by its pattern, all different, and never more than ten thousand', async () => {
    expect(await makeCodes(world.services, set, 500)).toEqual({ all: 500 })
    const all = await codesOf()
    expect(new Set(all).size).toBe(500)
    for (const code of all) {
      expect(code).toMatch(/^FAIR-.{10}$/)
      expect([...code.slice(5)].every((symbol) => CODE_ALPHABET.includes(symbol))).toBe(true)
    }
    await world.db.insert(codes).values(
      Array.from({ length: 9400 }, (_, index) => ({
        couponId: set,
        code: `X-${n}-${index}`,
        key: `X-${n}-${index}`,
        createdAt: world.services.now(),
      })),
    )
    await expect(makeCodes(world.services, set, 101)).rejects.toMatchObject({ errors: [{ at: '/count' }] })
    expect(await makeCodes(world.services, set, 100)).toEqual({ all: 10_000 })
  })

  it('counts each code once, its set beyond that, and one code an order', async () => {
    await makeCodes(world.services, set, 3)
    const [first, second, third] = (await codesOf()) as [string, string, string]
    expect((await buy([first.toLowerCase()], 'a')).state).toBe('paid')
    expect((await said(first))[0]).toMatchObject({ counts: false, says: 'It has been used as often as it can be.' })
    expect((await said(second, third)).map(({ counts, says }) => [counts, says])).toEqual([
      [true, '€10.00 off'],
      [false, 'It is entered already.'],
    ])
    await expect(buy([first], 'b')).rejects.toMatchObject({ code: 'price-changed' })
    expect((await buy([second], 'b')).state).toBe('paid')
    expect(await countByState(world.services, set, 'practice')).toEqual({
      unused: 1,
      reserved: 0,
      used: 2,
      withdrawn: 0,
    })
    expect(await countByState(world.services, set, 'live')).toEqual({ unused: 3, reserved: 0, used: 0, withdrawn: 0 })
  })

  it('of one code, many at once: one order has it', async () => {
    await makeCodes(world.services, set, 1)
    const [only] = (await codesOf()) as [string]
    const all = await Promise.allSettled(Array.from({ length: 20 }, (_, one) => buy([only], `many${one}-`)))
    expect(all.filter(({ status }) => status === 'fulfilled')).toHaveLength(1)
  })

  it('that is limited as a whole ends with its limit, though codes are left', async () => {
    const few = await publish({ limit: 1, prefix: 'FEW-' })
    await makeCodes(world.services, few, 2)
    const [first, second] = (await codesOf(few)) as [string, string]
    await buy([first], 'a')
    expect((await said(second))[0]?.says).toBe('It has been used as often as it can be.')
  })

  it('says who has which, in a list and a file; a declined try leaves its code unused', async () => {
    const { transfer } = await world.connectOthers()
    await makeCodes(world.services, set, 4)
    const [first, second, third] = (await codesOf()) as [string, string, string]
    const { orderId } = await buy([first], 'a')
    await buy([second], 'b', 9000, 'not-enough-money')
    const request = world.request(course.offerId, 9000, { email: `c${n}@set.example`, codes: [third] })
    await world.buy(course.slug, { ...request, payment: { connectionId: transfer, token: '' } }, 'c')
    const rows = await listCodes(world.services, set, 'practice')
    expect(rows.map(({ code, state }) => [code, state]).slice(0, 3)).toEqual([
      [first, 'used'],
      [second, 'unused'],
      [third, 'reserved'],
    ])
    const order = await world.orderOf(orderId)
    expect(rows[0]).toMatchObject({ orderId, number: order?.number, buyer: 'Ada' })
    const page = await listCodes(world.services, set, 'practice', { after: rows[1]?.id ?? null, most: 1 })
    expect(page.map(({ code }) => code)).toEqual([third])
    const { data } = Papa.parse<string[]>(await codesCsv(world.services, set, 'practice'))
    expect(data[0]).toEqual(['code', 'state', 'order', 'buyer'])
    expect(data[1]).toEqual([first, 'used', String(order?.number), 'Ada'])
    expect(data).toHaveLength(5)
  })

  it('withdrawn, one or all, counts no more and says since when; what is used stays, and it can count again', async () => {
    await makeCodes(world.services, set, 3)
    const rows = await listCodes(world.services, set, 'practice')
    const [first, second] = rows.map(({ code }) => code) as [string, string]
    await buy([first], 'a')
    expect(await setWithdrawn(world.services, set, [rows[1]?.id as string], true)).toBe(1)
    expect((await said(second))[0]?.says).toMatch(/^It ended on \d/)
    expect(await setWithdrawn(world.services, set, null, true)).toBe(1)
    expect(await countByState(world.services, set, 'practice')).toEqual({
      unused: 0,
      reserved: 0,
      used: 1,
      withdrawn: 2,
    })
    expect(await setWithdrawn(world.services, set, [rows[1]?.id as string], false)).toBe(1)
    expect((await said(second))[0]?.counts).toBe(true)
  })

  it('is made only of what is a published set, and stays one', async () => {
    const { id } = await createCoupon(world.services)
    await expect(makeCodes(world.services, id, 1)).rejects.toMatchObject({ code: 'no-set' })
    const { draftRev } = await saveCouponDraft(world.services, set, 2, { ...newCoupon(), code: `W-${n}` })
    await expect(publishCoupon(world.services, set, draftRev, null)).rejects.toMatchObject({
      errors: [{ at: '/isSet' }],
    })
  })
})
