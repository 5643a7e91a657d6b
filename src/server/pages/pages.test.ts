import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { openWorld, type World } from '../../testing/world.ts'
import { getCourse, publishCourse, saveCourseDraft } from '../catalogue/service.ts'
import { setShopMode } from '../school/service.ts'
import { filesOf } from './renderer.ts'

let world: World
beforeAll(async () => {
  world = await openWorld()
})
afterAll(() => world.close())

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
      ways: [{ adapter: 'thistle' }],
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
    expect(data.view.courses.map(({ title }: { title: string }) => title)).toContain('Whole page')
    expect((await page('/buy/nothing-like-it')).response.status).toBe(404)
    expect((await page('/course/nothing-like-it')).response.status).toBe(404)
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
    scripts: ['/main.js'],
    preloads: ['/shared.js', '/view.js', '/deep.js'],
    styles: ['/a.css', '/b.css'],
  })
  expect(() => filesOf(manifest, ['main', 'gone'])).toThrow(/Build the interface anew/)
})
