import { sql } from 'drizzle-orm'
import { describe, expect, it, vi } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { THREE_PARTS } from '../../testing/terms.ts'
import { setBundleRetired } from '../bundles/service.ts'
import { getCourse, publishCourse, saveCourseDraft, setCourseRetired } from '../catalogue/service.ts'
import { setShopMode } from '../school/service.ts'
import { filesOf } from './renderer.ts'

const world = ownWorld()

const page = async (path: string, cookie = '') => {
  const response = await world.call('GET', path, undefined, { cookie })
  const html = await response.text()
  const json = (pattern: RegExp) => JSON.parse(pattern.exec(html)?.[1] ?? 'null')
  return { response, html, data: json(/id="page">(.*?)<\/script>/s), linked: json(/ld\+json">(.*?)<\/script>/s) }
}

describe('a page that sells', () => {
  it('holds its data, its description and its offer, and is kept by no cache', async () => {
    const { slug } = await world.sell(12_900, 'Whole page')
    const { response, html, data, linked } = await page(`/buy/${slug}`)
    expect(response.headers.get('cache-control')).toBe('no-store')
    expect(html).toContain('<title>Whole page · Test school</title>')
    expect(data.view).toMatchObject({
      name: 'checkout',
      offers: [{ quote: { today: { pay: 12_900, tax: 2150 } } }],
      paymentMethods: [{ adapter: 'thistle' }],
    })
    expect(linked).toMatchObject({ '@type': 'Course', offers: [{ price: '129.00', priceCurrency: 'EUR' }] })
  })

  it('a title full of markup stays text, in the head, the data and the linked data', async () => {
    const { courseId, slug } = await world.sell(100, 'Plain')
    const course = await getCourse(world.db, courseId)
    const title = '</script><script>alert(1)</script>'
    const { draftRev } = await saveCourseDraft(world.services, courseId, course.draftRev, { ...course.draft, title })
    await publishCourse(world.services, courseId, draftRev, null)
    const { html, data } = await page(`/course/${slug}`)
    expect(html).not.toContain('<script>alert(1)')
    expect(data.view.course.title).toBe(title)
  })

  it('never offers what is a draft, off sale or of a retired course', async () => {
    const { data } = await page('/')
    expect(
      data.view.sections
        .flatMap(({ products }: { products: object[] }) => products)
        .map(({ title }: { title: string }) => title),
    ).toContain('Whole page')
    expect((await page('/buy/nothing-like-it')).response.status).toBe(404)
    expect((await page('/course/nothing-like-it')).response.status).toBe(404)
  })

  it('says of what was sold and is retired that it is no longer, with a way on', async () => {
    const gone = await world.sell(900, 'Gone by now')
    const draft = await world.sell(900, 'One of both')
    const other = await world.sell(900, 'Beside it')
    const bundle = await world.bundle([draft.courseId, other.courseId], 1500, 'Both of them')
    await setCourseRetired(world.services, gone.courseId, true)
    await setBundleRetired(world.services, bundle.bundleId, true)
    for (const path of [`/course/${gone.slug}`, `/buy/${gone.slug}`, `/bundle/${bundle.slug}`, `/buy/${bundle.slug}`]) {
      const { response, data } = await page(path)
      expect([path, response.status, data.view.title]).toEqual([
        path,
        410,
        `${path.includes('both') ? 'Both of them' : 'Gone by now'} is no longer sold.`,
      ])
      expect(data.view.actions[0]).toEqual({ label: 'See all courses', href: '/' })
    }
  })
})

describe('an offer that has ended, or cannot be sold', () => {
  const until = (day: string) => ({ access: { from: null, lasts: { until: day }, graceDays: 0 } })
  const inDays = (days: number) =>
    new Date(world.services.now().getTime() + days * 86_400_000).toISOString().slice(0, 10)

  it('takes down neither the shop nor its course; its own link says that it ended, and nothing is charged', async () => {
    const course = await world.sell(12_900, 'Ends soon', until(inDays(3)))
    const other = await world.sell(500, 'Goes on')
    const request = world.request(course.offerId, 12_900, { email: 'ends@post.example' })
    expect((await page(`/buy/${course.slug}`)).data.view.name).toBe('checkout')
    world.clock.offsetMs = 4 * 86_400_000
    const titles = async () =>
      (await page('/')).data.view.sections
        .flatMap(({ products }: { products: object[] }) => products)
        .map(({ title }: { title: string }) => title)
    expect(await titles()).toContain('Goes on')
    expect(await titles()).not.toContain('Ends soon')
    expect((await page(`/course/${course.slug}`)).data.view).toMatchObject({ name: 'course', offers: [] })
    const own = await page(`/buy/${course.slug}?offer=${course.offerId}`)
    expect([own.response.status, own.data.view.title]).toEqual([410, expect.stringContaining(' ended on ')])
    expect((await page(`/buy/${course.slug}`)).response.status).toBe(410)
    await expect(world.buy(course.slug, request)).rejects.toMatchObject({ code: 'not-on-sale', status: 410 })
    const more = await world.offer(course.courseId, 9900)
    expect((await page(`/buy/${course.slug}`)).data.view).toMatchObject({ name: 'checkout', chosen: more })
    const again = (await page(`/buy/${course.slug}?offer=${course.offerId}`)).data.view
    expect(again.actions[0]).toEqual({ label: 'See the other prices', href: `/buy/${course.slug}` })
    expect(other.slug).toBeDefined()
  })

  it('is not published: the reason is said at its field', async () => {
    for (const access of [
      until('2020-01-01').access,
      { from: inDays(30), lasts: { until: inDays(10) }, graceDays: 0 },
    ]) {
      await expect(world.sell(100, 'Never', { access })).rejects.toMatchObject({
        code: 'not-ready',
        errors: [{ at: '/access/lasts/until' }],
      })
    }
  })

  it('written by some other means, is left out as well', async () => {
    const course = await world.sell(100, 'Damaged')
    const broken = until('2020-01-01').access
    await world.db.execute(
      sql`update offers set live = jsonb_set(live, '{access}', ${JSON.stringify(broken)}::jsonb) where id = ${course.offerId}`,
    )
    expect((await page('/')).response.status).toBe(200)
    expect((await page(`/course/${course.slug}`)).response.status).toBe(200)
    expect(
      (await world.call('GET', '/api/gateways', undefined, { cookie: `acorn_studio=${world.creatorToken}` })).status,
    ).toBe(200)
  })
})

describe('a page that could not be made', () => {
  it('is gone where a link has ended, and is not missing', async () => {
    for (const path of ['password', 'email']) {
      const { response } = await page(`/${path}/${'x'.repeat(32)}`)
      expect(response.status).toBe(410)
    }
    expect((await page('/sign-in')).response.status).toBe(200)
  })

  it('says so as a page, with a way on; a program gets a problem document', async () => {
    const broken = await page('/%00')
    expect(broken.response.status).toBe(400)
    expect(broken.response.headers.get('content-type')).toContain('text/html')
    expect(broken.data.view).toMatchObject({ name: 'notice', actions: [{ href: '/' }] })
    const failing = vi.spyOn(world.services.db, 'select').mockImplementation(() => {
      throw new Error('the disk is full')
    })
    vi.spyOn(console, 'error').mockImplementation(() => {})
    const plain = await page('/')
    failing.mockRestore()
    vi.restoreAllMocks()
    expect(plain.response.status).toBe(500)
    expect(plain.html).toContain('This page could not be shown.')
    expect(plain.html).not.toContain('disk')
    expect((await world.call('GET', '/api/%00')).headers.get('content-type')).toBe('application/problem+json')
  })
})

describe('prices in the shop', () => {
  const card = async (title: string) =>
    (await page('/')).data.view.sections
      .flatMap(({ products }: { products: object[] }) => products)
      .find((course: { title: string }) => course.title === title)
  const monthly = {
    kind: 'subscription',
    amount: 1900,
    every: { count: 1, unit: 'month' },
    payments: null,
    setupFee: null,
    trial: { length: { count: 7, unit: 'day' }, amount: 0 },
  } as const

  it('narrow the list to what is free, or to what is paid', async () => {
    await world.sell(null, 'Free to narrow')
    await world.sell(4900, 'Paid to narrow')
    // It can be narrowed once there is much to look through.
    for (let more = 0; more < 12; more++) await world.sell(4900, `One of many ${more}`)
    const titles = async (query: string) =>
      (await page(`/?${query}`)).data.view.sections.flatMap(({ products }: { products: { title: string }[] }) =>
        products.flatMap(({ title }) => (title.endsWith('to narrow') ? [title] : [])),
      )
    expect(await titles('price=free')).toEqual(['Free to narrow'])
    expect(await titles('price=paid')).toEqual(['Paid to narrow'])
    expect((await titles('price=nothing')).sort()).toEqual(['Free to narrow', 'Paid to narrow'])
  })

  it('of a bundle say what it saves against its courses one by one', async () => {
    const ids = await Promise.all(
      ['One of two', 'Two of two'].map(async (title) => (await world.sell(5000, title)).courseId),
    )
    const { slug } = await world.bundle(ids, 9000, 'Both of two')
    expect((await page(`/bundle/${slug}`)).html).toContain('you save €10.00 (10%)')
  })

  it('are whole: a trial is not free, installments are not their first, members are named', async () => {
    const club = await world.sell(monthly, 'The club')
    const priced = await world.sell(12_900, 'Priced twice')
    await world.offer(priced.courseId, THREE_PARTS)
    const members = await world.sell(null, 'For members', { audience: { who: 'holders', of: [club.courseId] } })
    expect((await card('The club')).price).toBe('7 days free, then €19 a month')
    expect((await card('Priced twice')).price).toBe('€129, or 3 × €43 (€129 in all)')
    expect((await card('For members')).price).toBe('For members of The club')
    const { linked } = await page(`/course/${club.slug}`)
    const monthly19 = {
      '@type': 'UnitPriceSpecification',
      price: '19.00',
      priceComponentType: 'https://schema.org/Subscription',
      referenceQuantity: { value: 1, unitCode: 'MON' },
    }
    expect(linked.offers).toMatchObject([{ price: '19.00', category: 'Paid', priceSpecification: [monthly19] }])
    expect(linked.offers[0].priceSpecification[0]).not.toHaveProperty('billingDuration')
    const inParts = (await page(`/course/${priced.slug}`)).linked.offers
    expect(inParts).toMatchObject([
      { price: '129.00' },
      {
        price: '129.00',
        priceSpecification: [
          { price: '43.00', priceComponentType: 'https://schema.org/Installment', billingDuration: 3 },
        ],
      },
    ])
    // Members' offers are offered to members.
    expect((await page(`/course/${members.slug}`)).linked.offers).toEqual([])
  })
})

describe('who sees what', () => {
  it('a receipt opens for the browser that paid, and for no other', async () => {
    const { slug, offerId } = await world.sell(100, 'Receipt')
    const { orderId } = await world.buy(slug, world.request(offerId, 100, { email: 'r@post.example' }), 'own')
    expect((await page(`/thanks/${orderId}`, 'acorn_browser=own')).data.view.name).toBe('thanks')
    expect((await page(`/thanks/${orderId}`, 'acorn_browser=another')).response.status).toBe(404)
    expect((await page('/thanks/not-an-id')).response.status).toBe(404)
  })

  it('a shut course says why, and what to do', async () => {
    const { slug, offerId } = await world.sell({ kind: 'single', amount: 100 }, 'Shut')
    const stranger = await page(`/learn/${slug}`)
    expect(stranger.response.status).toBe(401)
    expect(stranger.data.view.actions.map(({ label }: { label: string }) => label)).toEqual([
      'Sign in',
      'Buy the course',
      'About the course',
    ])
    await world.buy(slug, world.request(offerId, 100, { email: 's@post.example' }), 'reader')
    expect((await page(`/learn/${slug}`, 'acorn_browser=reader')).data.view.name).toBe('learn')
    expect((await page(`/learn/${slug}/no-such-lesson`, 'acorn_browser=reader')).response.status).toBe(404)
  })

  it('strangers see the school’s mode; the creator the one they chose, with a word about it', async () => {
    const studio = `acorn_studio=${world.creatorToken}; acorn_mode=live`
    expect((await page('/')).data).toMatchObject({ mode: 'practice', isOwnView: false })
    expect((await page('/', studio)).data).toMatchObject({ mode: 'live', isOwnView: true })
    expect((await page('/', 'acorn_mode=live')).data.mode).toBe('practice')
    await setShopMode(world.services, 'live')
    expect((await page('/')).data.mode).toBe('live')
    await setShopMode(world.services, 'practice')
  })

  it.each([
    ['/learn/x', '/learn/x'],
    ['//elsewhere.example', '/my'],
    ['https://elsewhere.example', '/my'],
    ['/\\elsewhere.example', '/my'],
  ])('sign-in that is asked to lead to %s leads to %s', async (then, goTo) => {
    expect((await page(`/sign-in?then=${encodeURIComponent(then)}`)).data.view.goTo).toBe(goTo)
  })
})

it('the answers carry a policy that frames only the gateway', async () => {
  const { response } = await page('/')
  const policy = response.headers.get('content-security-policy') ?? ''
  expect(policy).toContain(`frame-src 'self' ${world.standins.origin}`)
  expect(policy).toContain("frame-ancestors 'self'")
  expect(policy).not.toContain("script-src 'unsafe-inline'")
})

it('a page’s files are everything that its entries pull in, once', () => {
  const manifest = {
    main: { file: 'main.js', imports: ['shared'], css: ['a.css'] },
    view: { file: 'view.js', imports: ['shared', 'deep'] },
    shared: { file: 'shared.js' },
    deep: { file: 'deep.js', imports: ['shared'], css: ['a.css', 'b.css'] },
  }
  expect(filesOf(manifest, ['main', 'view'])).toMatchObject({
    scripts: ['/main.js', '/view.js'],
    preloads: ['/shared.js', '/deep.js'],
    styles: ['/a.css', '/b.css'],
  })
  expect(() => filesOf(manifest, ['main', 'gone'])).toThrow(/Build the interface anew/)
})
