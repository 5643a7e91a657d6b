import { eq } from 'drizzle-orm'
import Papa from 'papaparse'
import { beforeEach, describe, expect, it } from 'vitest'
import { CODE_ALPHABET } from '../../core/content/codePattern.ts'
import { type CouponContent, newCoupon } from '../../core/content/coupon.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { shopper } from '../../testing/world.ts'
import { quoteOnPage } from '../checkout/pageQuote.ts'
import { codes } from '../db/schema/index.ts'
import { createCoupon, publishCoupon, saveCouponDraft, setCouponRetired } from './service.ts'
import {
  askForCodes,
  codesCsv,
  countByState,
  importCodes,
  leftToMake,
  listCodes,
  makeCodes,
  makeRequestedCodes,
  resumeMaking,
  setWithdrawn,
} from './set.ts'

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

describe('codes that were asked for', () => {
  it('are made by a worker in turns, and by the next one where it was lost on the way', async () => {
    expect(await askForCodes(world.services, set, 3500)).toEqual({ toMake: 3500 })
    expect(await askForCodes(world.services, set, 100)).toEqual({ toMake: 3600 })
    expect(await codesOf()).toEqual([])
    // What is to be made counts as if it were.
    await expect(askForCodes(world.services, set, 6401)).rejects.toMatchObject({ errors: [{ at: '/count' }] })
    // The database fails in the second turn: what the first one made stays.
    let turns = 0
    const failing = {
      ...world.services,
      now: () => {
        if (++turns === 2) throw new Error('the worker is gone')
        return world.services.now()
      },
    }
    await expect(makeRequestedCodes(failing, set)).rejects.toThrow('the worker is gone')
    expect([(await codesOf()).length, await leftToMake(world.services, set)]).toEqual([2500, 1100])
    world.queue.length = 0
    expect(await resumeMaking(world.services)).toBe(1)
    expect(world.queue).toEqual([{ name: 'codes-make', data: { couponId: set } }])
    // Two workers at once make no more than was asked for.
    await Promise.all([makeRequestedCodes(world.services, set), makeRequestedCodes(world.services, set)])
    expect(new Set(await codesOf()).size).toBe(3600)
    expect(await resumeMaking(world.services)).toBe(0)
    await expect(askForCodes(world.services, set, 6401)).rejects.toMatchObject({ errors: [{ at: '/count' }] })
  })

  it('of a set that is retired meanwhile are made no more', async () => {
    await askForCodes(world.services, set, 10)
    await setCouponRetired(world.services, set, true)
    await makeRequestedCodes(world.services, set)
    expect([await codesOf(), await leftToMake(world.services, set)]).toEqual([[], 0])
  })
})

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
    await expect(buy([first], 'b')).rejects.toMatchObject({ code: 'code-changed' })
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

describe('codes of a file', () => {
  const take = (csv: string, rest: 'take' | 'nothing' = 'take', id = set) =>
    importCodes(world.services, id, { csv, rest })

  it('come in beside those that were made, work once, and are as they were typed', async () => {
    expect(await take(`code,for\r\nGuild_${n}a,"Ada, the first"\r\nguild_${n}b,\r\n`)).toEqual({
      taken: 2,
      refused: [],
    })
    expect(await codesOf()).toEqual(expect.arrayContaining([`Guild_${n}a`, `guild_${n}b`]))
    await buy([`GUILD_${n}A`], 'ada')
    expect((await said(`guild_${n}a`))[0]?.counts).toBe(false)
    expect((await said(`guild_${n}b`))[0]?.counts).toBe(true)
  })

  it('that fail are told with line and reason; the rest is taken or nothing is', async () => {
    const other = await publish({ code: `Other ${n}` })
    await take(`taken-${n}`, 'take', other)
    await take(`mine-${n}`)
    const csv = `fresh-${n}\n"two\nlines"\nTAKEN-${n}\nmine-${n}\nfresh-${n}\n\nlast-${n}`
    const refused = [
      { line: 2, code: 'two\nlines', why: 'A code has 1 to 40 letters (A to Z), digits, - and _.' },
      { line: 4, code: `TAKEN-${n}`, why: 'Another coupon has this code.' },
      { line: 5, code: `mine-${n}`, why: 'The set has it already.' },
      { line: 6, code: `fresh-${n}`, why: 'It stands in line 1 already.' },
    ]
    expect(await take(csv, 'nothing')).toEqual({ taken: 0, refused })
    expect(await codesOf()).toEqual([`mine-${n}`])
    expect(await take(csv, 'take')).toEqual({ taken: 2, refused })
    expect((await codesOf()).sort()).toEqual([`fresh-${n}`, `last-${n}`, `mine-${n}`])
  })

  it('that went out come in again elsewhere: the file is the same both ways', async () => {
    await makeCodes(world.services, set, 20)
    const csv = await codesCsv(world.services, set, 'practice')
    expect((await take(csv)).refused.map(({ why }) => why)).toEqual(Array(20).fill('The set has it already.'))
  })

  it('that cannot be read, or are too many, are refused at the file; nothing is taken', async () => {
    await expect(take('"open')).rejects.toMatchObject({
      errors: [{ at: '/csv', why: expect.stringContaining('Line 1') }],
    })
    const many = Array.from({ length: 10_001 }, (_, index) => `m${n}-${index}`).join('\n')
    await expect(take(many)).rejects.toMatchObject({ errors: [{ at: '/csv' }] })
    expect(await codesOf()).toEqual([])
    const word = await createCoupon(world.services)
    await expect(take('x', 'take', word.id)).rejects.toMatchObject({ code: 'no-set' })
  })
})
