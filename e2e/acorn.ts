import {
  type APIRequestContext,
  type Browser,
  type BrowserContext,
  test as base,
  expect,
  type Page,
} from '@playwright/test'
import { CHROMIUM } from '../scripts/chromium.ts'
import type { TestServer } from '../scripts/testServer.ts'
import { newOffer } from '../src/core/content/offer.ts'

/** The product whose clock journeys may move; every other one is a worker's own. */
let isClockMoved = false
/** Called first in a file that moves practice time. */
export function onMovedClock() {
  isClockMoved = true
}

/** The product that this worker's journeys use: its own, or the one whose clock is moved. */
export function running(): TestServer {
  if (isClockMoved) return JSON.parse(process.env.ACORN_MOVED ?? '') as TestServer
  const all = JSON.parse(process.env.ACORN ?? '') as TestServer[]
  return all[Number(process.env.TEST_PARALLEL_INDEX)] as TestServer
}
export const OWNER = { email: 'owner@foldandquire.example', password: 'kettle-stitch-and-quire' }

/** By so much the day of the tests is ahead of the machine's, in milliseconds (`scripts/testDay.mjs`). */
const testDayAhead = () => Number(process.env.TEST_DAY_AHEAD_MS ?? 0)

/** Lets the pages of a browser live on the day of the tests, as the product does that they come from. */
function onTestDay(browser: Browser): Browser {
  const newContext = browser.newContext.bind(browser)
  browser.newContext = async (...options) => {
    const context = await newContext(...options)
    await context.addInitScript(liveAhead, testDayAhead())
    return context
  }
  return browser
}

/** Runs in the page. */
function liveAhead(aheadMs: number) {
  const RealDate = Date
  globalThis.Date = class extends RealDate {
    constructor(...given: unknown[]) {
      super(...((given.length === 0 ? [RealDate.now() + aheadMs] : given) as []))
    }
    static override now() {
      return RealDate.now() + aheadMs
    }
  } as DateConstructor
}

let counter = 0
/** A word that no other test uses. */
export const unique = (word: string) => `${word} ${process.pid % 1000}${Date.now() % 100_000}${++counter}`

/**
 * A page of a signed-in creator, and one of a buyer. Each has a browser of its own: a page that stands behind
 * another one draws nothing, and then nothing in it can be waited for.
 */
export const test = base.extend<{ studio: Page; shop: Page }, { studioBrowser: Browser }>({
  // biome-ignore lint/correctness/noEmptyPattern: a fixture names what it needs, here nothing.
  baseURL: async ({}, use) => use(running().origin),
  browser: [async ({ browser }, use) => use(onTestDay(browser)), { scope: 'worker' }],
  context: async ({ context }, use) => {
    await context.addInitScript(liveAhead, testDayAhead())
    await use(context)
  },
  studioBrowser: [
    async ({ playwright }, use) => {
      const browser = onTestDay(await playwright.chromium.launch(CHROMIUM))
      await use(browser)
      await browser.close()
    },
    { scope: 'worker' },
  ],
  studio: async ({ studioBrowser }, use) => {
    const page = await signedIn(studioBrowser)
    await use(page)
    await page.context().close()
  },
  shop: async ({ browser }, use) => {
    // High enough for a whole checkout: right after scrolling, a click may still reach the gateway's frame where it was.
    const context = await browser.newContext({ viewport: { width: 1280, height: 1200 }, baseURL: running().origin })
    const page = await context.newPage()
    await use(page)
    await context.close()
  },
})

export { expect }

type Kept = Awaited<ReturnType<BrowserContext['storageState']>>
/** The session of this worker's creator, by the product's address. */
const sessions = new Map<string, Kept>()

/** A page of the signed-in creator; one session serves all journeys of a worker, since checking a password takes long on purpose. */
export async function signedIn(browser: Browser): Promise<Page> {
  const { origin } = running()
  const storageState = sessions.get(origin)
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    baseURL: origin,
    ...(storageState && { storageState }),
  })
  const page = await context.newPage()
  if (!storageState) {
    await post(page.request, '/api/session/sign-in', OWNER)
    sessions.set(origin, await context.storageState())
  }
  return page
}

/** Calls the API as the product's own pages do. */
export async function post(request: APIRequestContext, path: string, data?: unknown, method = 'POST') {
  const { origin } = running()
  const headers = { origin, 'idempotency-key': crypto.randomUUID() }
  const response = await request.fetch(origin + path, { method, data: data as object, headers })
  if (!response.ok()) throw new Error(`${method} ${path}: ${response.status()} ${await response.text()}`)
  return response.json()
}

/** A published course with one published offer, made through the API. */
export async function makeCourse(studio: Page, title: string, price: number | object | null, more: object = {}) {
  const { request } = studio
  const { id: courseId } = await post(request, '/api/catalogue/courses', { title })
  const content = {
    title,
    summary: 'Made for a test.',
    description: '',
    coverColor: 'plum',
    coverId: null,
    lessons: [{ id: 'one', title: 'The first lesson', body: '<p>Here it begins.</p>' }],
  }
  const { draftRev, slug } = await post(
    request,
    `/api/catalogue/courses/${courseId}/draft`,
    { baseRev: 1, content },
    'PUT',
  )
  await post(request, `/api/catalogue/courses/${courseId}/publish`, { rev: draftRev })
  const { id: offerId } = await post(request, '/api/offers', { productId: courseId })
  await reprice(studio, offerId, price, more)
  return { courseId, offerId, slug: slug as string, title }
}

/** A published bundle of courses, with one published offer. */
export async function makeBundle(studio: Page, title: string, courseIds: readonly string[], price: number | object) {
  const { request } = studio
  const { id: bundleId } = await post(request, '/api/bundles', { title })
  const { draft, draftRev: baseRev } = await post(request, `/api/bundles/${bundleId}`, undefined, 'GET')
  const content = { ...draft, courses: courseIds.map((id) => ({ id, figure: null })) }
  const { draftRev } = await post(request, `/api/bundles/${bundleId}/draft`, { baseRev, content }, 'PUT')
  await post(request, `/api/bundles/${bundleId}/publish`, { rev: draftRev, forHolders: null })
  const { slug } = await post(request, `/api/bundles/${bundleId}`, undefined, 'GET')
  const { id: offerId } = await post(request, '/api/offers', { productId: bundleId })
  await reprice(studio, offerId, price)
  return { bundleId, offerId, slug: slug as string, title }
}

/** Publishes an offer at a one-time price (null: free) or at any other terms. */
export async function reprice(studio: Page, offerId: string, price: number | object | null, more: object = {}) {
  const { draftRev: baseRev } = await post(studio.request, `/api/offers/${offerId}`, undefined, 'GET')
  const terms = typeof price === 'object' && price !== null ? price : { kind: 'single', amount: price }
  const content = { ...newOffer('One payment'), ...more, terms: price === null ? { kind: 'free' } : terms }
  const { draftRev } = await post(studio.request, `/api/offers/${offerId}/draft`, { baseRev, content }, 'PUT')
  await post(studio.request, `/api/offers/${offerId}/publish`, { rev: draftRev })
}

/** Fills the checkout page and chooses a sample card; does not pay yet. */
export async function fillCheckout(
  page: Page,
  slug: string,
  who: { name: string; email: string },
  card: 'Pays' | 'Not enough money' | 'Asks to confirm' | 'Pays once, then fails' | null,
) {
  await page.goto(`/buy/${slug}`)
  await page.getByLabel('Name').fill(who.name)
  await page.getByLabel('Email').fill(who.email)
  if (card) await chooseCard(page, card)
}

export async function chooseCard(page: Page, card: string) {
  await page.frameLocator('iframe[title^="Card"]').getByRole('button', { name: card, exact: true }).click()
}

/** Chooses one of a list of the studio, by its names. */
export async function choose(page: Page, list: string, name: string | RegExp) {
  await page.getByRole('combobox', { name: list, exact: true }).click()
  await page.getByRole('option', { name, exact: true }).click()
}

export const payButton = (page: Page) => page.getByRole('button', { name: /^(Pay|Get the course)/ })

/** Orders of a course as the studio lists them. */
export async function ordersOf(studio: Page, title: string): Promise<{ id: string; state: string; number: number }[]> {
  const { orders } = await post(studio.request, `/api/orders?search=${encodeURIComponent(title)}`, undefined, 'GET')
  return orders
}

/** What the stand-in's own books say was taken for a course. */
export async function takenFor(page: Page, title: string): Promise<{ amount: number; mode: string }[]> {
  const response = await page.request.get(`${running().standins}/thistle/payments.json`)
  const all = (await response.json()) as { state: string; reference: string; amount: number; mode: string }[]
  return all.filter(({ state, reference }) => state === 'captured' && reference.endsWith(title))
}

export async function mailTo(page: Page, address: string): Promise<{ subject: string; text: string; html: string }[]> {
  const response = await page.request.get(`${running().standins}/mail/list.json?to=${encodeURIComponent(address)}`)
  return response.json()
}

/**
 * Presses a button that is gone once it was pressed. A page of the shop comes whole from the server and is taken
 * over a moment later; what is pressed before that is pressed again.
 */
export async function pressOnce(page: Page, name: string) {
  const button = page.getByRole('button', { name, exact: true })
  await expect(async () => {
    if (await button.isVisible()) await button.click({ timeout: 2000 })
    await expect(button).toBeHidden({ timeout: 1000 })
  }).toPass({ timeout: 30_000 })
}

/** The page that is shaped, on the bench: a document of its own. */
export const pageOnBench = (studio: Page) => studio.frameLocator('iframe[title^="The page at"]')

/** Publishes what is on the bench. */
export async function publish(studio: Page) {
  await studio.getByRole('button', { name: 'Publish…' }).click()
  await studio.getByRole('dialog').getByRole('button', { name: 'Publish now' }).click()
  await expect(studio.getByRole('dialog')).toHaveCount(0)
}
