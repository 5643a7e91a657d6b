import type { Page } from '@playwright/test'
import { expect, fillCheckout, OWNER, ordersOf, post, pressOnce, test } from './acorn.ts'
import { expectNothingSerious } from './axe.ts'

const YEAR = new Date().getFullYear()
const SHOP = [
  '/',
  '/course/coptic-binding',
  '/bundle/the-first-shelf',
  '/buy/the-first-shelf',
  '/buy/coptic-binding',
  '/buy/coptic-binding?code=linen10',
  '/buy/one-afternoon-one-notebook',
  '/buy/leather-from-hide-to-book',
  '/my',
  '/sign-in',
  '/learn/coptic-binding',
  '/password/none',
  '/nothing-here',
]
for (const path of SHOP) {
  test(`the shop’s ${path}`, async ({ shop }) => {
    await shop.goto(path)
    await expect(shop.getByRole('heading').first()).toBeVisible()
    if (path === '/buy/coptic-binding') {
      await expect(shop.frameLocator('iframe').getByLabel('Card number')).toBeVisible()
    }
    await expectNothingSerious(shop)
  })
}

for (const path of ['/my', '/learn/paper-marbling', '/learn/paper-marbling/marbling-1']) {
  test(`the buyer’s ${path}`, async ({ shop }) => {
    await post(shop.request, '/api/shop/sign-in', { email: 'ida.brandner@post.example', password: OWNER.password })
    await shop.goto(path)
    await expect(shop.getByRole('button', { name: 'Sign out' })).toBeVisible()
    await expectNothingSerious(shop)
  })
}

test('the buyer’s plan, with another card being given', async ({ shop }) => {
  await post(shop.request, '/api/shop/sign-in', { email: 'ida.brandner@post.example', password: OWNER.password })
  await shop.goto('/my')
  await shop.getByRole('link', { name: 'Manage' }).first().click()
  await pressOnce(shop, 'Use another card')
  await expect(shop.frameLocator('iframe').getByLabel('Card number')).toBeVisible()
  await expectNothingSerious(shop)
})

const STUDIO: [string, (studio: Page) => Promise<string>][] = [
  ['course', async (studio) => `/studio/sell/courses/${(await shelf(studio))[0]?.id}`],
  ['offer', async (studio) => `/studio/sell/offers/${(await shelf(studio))[0]?.offers[0]?.id}`],
  [
    'comparison',
    async (studio) => {
      const offers = (await shelf(studio)).flatMap((course) => course.offers.map(({ id }) => id))
      return `/studio/sell/compare?offers=${offers.slice(0, 3).join(',')}`
    },
  ],
  [
    'bundle',
    async (studio) => `/studio/sell/bundles/${(await shelf(studio)).find(({ kind }) => kind === 'bundle')?.id}`,
  ],
  [
    'checkout page',
    async (studio) => {
      const pages = (await post(studio.request, '/api/pages', undefined, 'GET')) as {
        id: string
        bumps: number
      }[]
      return `/studio/sell/pages/${pages.find(({ bumps }) => bumps > 0)?.id}`
    },
  ],
  ['shop front', async () => '/studio/sell/front'],
  [
    'coupon',
    async (studio) => {
      const [first] = (await post(studio.request, '/api/coupons', undefined, 'GET')) as { id: string }[]
      return `/studio/sell/coupons/${first?.id}`
    },
  ],
  ['orders', async () => '/studio/orders'],
  ['order', async (studio) => `/studio/orders/${(await ordersOf(studio, 'Coptic binding'))[0]?.id}`],
  [
    'person',
    async (studio) => `/studio/people/${(await post(studio.request, '/api/people', undefined, 'GET')).people[0].id}`,
  ],
  ['money', async () => '/studio/money'],
  ['late money', async () => '/studio/money?view=late'],
  ['where the money is', async () => '/studio/money?view=accounts'],
  ['money received', async () => '/studio/money?list=received'],
  ['money of a year', async () => `/studio/money?from=${YEAR}-01-01&until=${YEAR}-12-31`],
  ['money as a calendar', async () => '/studio/money?view=calendar'],
  [
    'order that waits for a transfer',
    async (studio) => `/studio/orders/${(await ordersOf(studio, 'Henrik Dahl'))[0]?.id}`,
  ],
  ['disputed order', async (studio) => `/studio/orders/${(await ordersOf(studio, 'Jakob Weiss'))[0]?.id}`],
  ['messages', async () => '/studio/setup/messages'],
  ['going live', async () => '/studio/setup/live'],
  ['practice', async () => '/studio/setup/practice'],
  ['gateways', async () => '/studio/setup/gateways'],
  ['school', async () => '/studio/setup/school'],
]
for (const [name, pathOf] of STUDIO) {
  test(`the studio’s ${name}`, async ({ studio }) => {
    await studio.goto(await pathOf(studio))
    await expect(studio.getByRole('heading', { level: 1 })).toBeVisible()
    await expectNothingSerious(studio)
  })
}

test('the studio’s publish dialog', async ({ studio }) => {
  await studio.goto(`/studio/sell/offers/${(await shelf(studio))[0]?.offers[0]?.id}`)
  await studio.getByRole('button', { name: 'Publish…' }).click()
  await expect(studio.getByRole('dialog')).toBeVisible()
  await expectNothingSerious(studio)
})

test('the bank details after ordering', async ({ shop }) => {
  await fillCheckout(shop, 'boxes-and-slipcases', { name: 'Axel Axe', email: 'axel@post.example' }, null)
  await shop.getByLabel('Bank transfer').check()
  await shop.getByRole('button', { name: /^Order and/ }).click()
  await expect(shop.getByRole('heading', { name: /Please transfer/ })).toBeVisible()
  await expectNothingSerious(shop)
})

test('the studio’s sign-in', async ({ page }) => {
  await page.goto('/studio')
  await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible()
  await expectNothingSerious(page)
})

function shelf(studio: Page): Promise<{ id: string; kind: string; offers: { id: string }[] }[]> {
  return post(studio.request, '/api/catalogue/shelf', undefined, 'GET')
}
