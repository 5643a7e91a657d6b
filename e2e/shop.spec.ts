import type { Page } from '@playwright/test'
import {
  choose,
  chooseCard,
  expect,
  fillCheckout,
  mailTo,
  makeCourse,
  ordersOf,
  payButton,
  post,
  pressOnce,
  reprice,
  running,
  test,
  unique,
} from './acorn.ts'

const WIDTHS = [320, 390, 768, 1280]
const month = { count: 1, unit: 'month' }
const someone = () => ({ name: 'Sam Shop', email: `${unique('sam').replaceAll(' ', '')}@post.example` })

/** Nothing stands beside the page: what is too wide is broken, or has a scroll of its own. */
async function expectToFit(page: Page, what: string) {
  for (const width of WIDTHS) {
    await page.setViewportSize({ width, height: 900 })
    const over = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth)
    expect([what, width, over]).toEqual([what, width, 0])
  }
}

/** Has an offer follow the payment of a course. */
async function offerAfter(studio: Page, title: string, offerId: string) {
  const pages = await post(studio.request, '/api/pages', undefined, 'GET')
  const { id } = pages.find((page: { title: string }) => page.title === title)
  const { draft, draftRev: baseRev } = await post(studio.request, `/api/pages/${id}`, undefined, 'GET')
  const step = { id: 'one', offerId, title: '', text: '', coverId: null, onYes: null, onNo: null }
  const content = { ...draft, upsells: [step] }
  const path = `/api/pages/${id}`
  const { draftRev } = await post(studio.request, `${path}/draft`, { baseRev, content }, 'PUT')
  await post(studio.request, `${path}/publish`, { rev: draftRev })
}

test('titles without a space and German words break no page, at any width', async ({ studio, shop }) => {
  const long = `${'Buchbinderwerkstattgrundausstattung'.repeat(3)}`.slice(0, 100)
  const { slug, courseId, offerId } = await makeCourse(studio, `${long} ${unique('x')}`, 4800)
  const { id } = await post(studio.request, '/api/offers', { productId: courseId })
  const lines = 'Donaudampfschifffahrtsgesellschaftskapitänsmütze'.repeat(4)
  const terms = {
    kind: 'installments',
    count: 12,
    every: month,
    amount: null,
    total: 100_001,
    deposit: 30_000,
    trial: null,
  }
  await reprice(studio, id, terms, { name: long.slice(0, 78), lines, highlighted: true })
  const who = { name: 'Maximiliane'.repeat(8), email: someone().email }
  for (const path of ['/', `/course/${slug}`, `/buy/${slug}`]) {
    await shop.goto(path)
    await expectToFit(shop, path)
  }
  await shop.goto(`/basket?with=${offerId}`)
  await expect(shop.getByRole('heading', { name: 'Your basket' })).toBeVisible()
  await expectToFit(shop, 'basket')
  await shop.goto('/buy/basket')
  await expectToFit(shop, 'the checkout of the basket')
  await shop.setViewportSize({ width: 1280, height: 1200 })
  const first = await makeCourse(studio, unique('Short'), 1200)
  await offerAfter(studio, first.title, offerId)
  await fillCheckout(shop, first.slug, who, 'Pays')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: 'One more thing, if you like' })).toBeVisible()
  await expectToFit(shop, 'upsell')
  await shop.setViewportSize({ width: 1280, height: 1200 })
  await pressOnce(shop, 'No, thank you')
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  await fillCheckout(shop, slug, who, 'Pays')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  await expectToFit(shop, 'thanks')
  await shop.goto(`/learn/${slug}`)
  await expectToFit(shop, 'learn')
})

test('an own price that is emptied or wrong says so at its field, and takes nothing away', async ({ studio, shop }) => {
  const { slug, courseId } = await makeCourse(studio, unique('Own price'), 4800)
  const { id } = await post(studio.request, '/api/offers', { productId: courseId })
  await reprice(studio, id, { kind: 'openPrice', minimum: 0, suggested: 1200 }, { name: 'Own price' })
  await fillCheckout(shop, slug, someone(), null)
  await shop.getByRole('radio', { name: /^Own price/ }).check()
  await chooseCard(shop, 'Pays')
  const price = shop.getByLabel('In EUR')
  const card = shop.frameLocator('iframe').getByLabel('Card number')
  for (const typed of ['', 'abc', '-3']) {
    await price.fill(typed)
    await expect(card).toBeVisible()
    await payButton(shop).click()
    await expect(shop.getByRole('alert').filter({ hasText: /./ }).first()).toBeVisible()
    await expect(price).toHaveValue(typed)
  }
  // 0 is free, and what was entered for the card stays.
  await price.fill('0')
  await expect(card).toBeHidden()
  await price.fill('15.-')
  await expect(payButton(shop)).toHaveText('Pay €15.00')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
})

test('what a typed price comes to is estimated at once, and then as the server says', async ({ studio, shop }) => {
  const { slug, courseId } = await makeCourse(studio, unique('Confirmed'), 4800)
  const { id } = await post(studio.request, '/api/offers', { productId: courseId })
  await reprice(studio, id, { kind: 'openPrice', minimum: 400, suggested: 1200 }, { name: 'Own price' })
  let answer = () => {}
  const mayAnswer = new Promise<void>((resolve) => {
    answer = resolve
  })
  let asked: unknown
  await shop.route(`**/checkout/${slug}/quote`, async (route) => {
    asked = route.request().postDataJSON()
    const response = await route.fetch()
    const { quote, codes } = await response.json()
    await mayAnswer
    // Another tax than the estimate's shows which of the two is said.
    await route.fulfill({ response, json: { quote: { ...quote, today: { ...quote.today, tax: 777 } }, codes } })
  })
  await fillCheckout(shop, slug, someone(), null)
  await shop.getByRole('radio', { name: /^Own price/ }).check()
  await shop.getByLabel('In EUR').fill('30')
  await expect(payButton(shop)).toHaveText('Pay €30.00')
  await expect(shop.getByText('€5.00', { exact: true })).toBeVisible()
  answer()
  await expect(shop.getByText('€7.77', { exact: true })).toBeVisible()
  expect(asked).toEqual({ lines: [{ offerId: id, chosen: 3000 }], codes: [] })
  // Another price is another basket: what was said of the first does not stand.
  await shop.getByLabel('In EUR').fill('60')
  await expect(shop.getByText('€10.00', { exact: true })).toBeVisible()
  await shop.unrouteAll({ behavior: 'ignoreErrors' })
})

test('a reload keeps offer, amount and payment method; a link names an offer once', async ({ studio, shop }) => {
  const { slug, courseId, offerId } = await makeCourse(studio, unique('Kept'), 4800)
  const { id } = await post(studio.request, '/api/offers', { productId: courseId })
  await reprice(studio, id, { kind: 'openPrice', minimum: 400, suggested: 1200 }, { name: 'Own price' })
  const who = someone()
  await shop.goto(`/buy/${slug}?offer=${offerId}`)
  await expect(payButton(shop)).toHaveText('Pay €48.00')
  await shop.getByRole('radio', { name: /^Own price/ }).check()
  await shop.getByLabel('In EUR').fill('9,50')
  await shop.getByLabel('Name').fill(who.name)
  await shop.getByLabel('Email').fill(who.email)
  await shop.getByLabel('Bank transfer').check()
  await shop.reload()
  await expect(shop.getByLabel('In EUR')).toHaveValue('9,50')
  await expect(shop.getByLabel('Bank transfer')).toBeChecked()
  await expect(shop.getByLabel('Email')).toHaveValue(who.email)
  // Another link is another choice.
  await shop.goto(`/buy/${slug}?offer=${id}`)
  await expect(shop.getByLabel('In EUR')).toHaveValue('12.00')
})

test('set-up and trial are named at the checkout, on the receipt, in the message and in the plan', async ({
  studio,
  shop,
}) => {
  const trial = { length: { count: 14, unit: 'day' }, amount: 100 }
  const terms = { kind: 'subscription', amount: 1900, every: month, payments: null, setupFee: 2400, trial }
  const { slug, title } = await makeCourse(studio, unique('Named'), terms, {
    access: { from: null, lasts: 'whilePaying', graceDays: 3 },
  })
  const who = someone()
  await shop.goto('/')
  await expect(shop.getByRole('link', { name: title })).toContainText('€24 to begin, €1 for 14 days, then €19 a month')
  await fillCheckout(shop, slug, who, 'Pays')
  for (const said of ['Set-up fee', 'First 14 days']) await expect(shop.getByText(said)).toBeVisible()
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  for (const said of ['Set-up fee', 'First 14 days']) await expect(shop.getByText(said)).toBeVisible()
  await expect.poll(async () => (await mailTo(shop, who.email)).length).toBe(1)
  const [mail] = await mailTo(shop, who.email)
  expect(mail?.text).toContain('Set-up fee: €24.00')
  await shop.goto(/http\S+\/password\/\S+/.exec(mail?.text ?? '')?.[0] ?? '')
  await shop.getByLabel('New password').fill('a password of mine')
  await pressOnce(shop, 'Save and open my courses')
  const paid = '€25.00 paid (Set-up fee €24.00, First 14 days €1.00 included).'
  await expect(shop.getByText(paid)).toBeVisible()
  await expect(shop.getByText(/· renews on /)).toBeVisible()
  await shop.getByRole('link', { name: 'Manage' }).click()
  await expect(shop.getByText(paid)).toBeVisible()
  await expect(shop.getByText(/^Renews on .*\.$/)).toBeVisible()
})

test('a buyer corrects their name at once, and their email by a link to the new one', async ({ studio, shop }) => {
  const { slug } = await makeCourse(studio, unique('Details'), null)
  const [who, next] = [someone(), someone()]
  await fillCheckout(shop, slug, who, null)
  await payButton(shop).click()
  await expect.poll(async () => (await mailTo(shop, who.email)).length).toBe(1)
  const [mail] = await mailTo(shop, who.email)
  await shop.goto(/http\S+\/password\/\S+/.exec(mail?.text ?? '')?.[0] ?? '')
  await shop.getByLabel('New password').fill('a password of mine')
  // Pressed on and on until a slow next page is there, it is sent once: the link works once.
  let sent = 0
  shop.on('request', (request) => {
    if (request.method() === 'POST' && request.url().endsWith('/password')) sent++
  })
  await shop.route('**/my', async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 500))
    await route.continue()
  })
  await shop.evaluate(() => {
    setInterval(() => document.querySelector<HTMLButtonElement>('form button[type=submit]')?.click(), 20)
  })
  await expect(shop.getByRole('heading', { name: 'My courses' })).toBeVisible()
  expect(sent).toBe(1)
  await shop.unroute('**/my')
  await pressOnce(shop, 'Change…')
  await shop.getByLabel('Name').fill('Samantha Shop')
  await shop.getByLabel('Email').fill('nonsense')
  await shop.getByRole('button', { name: 'Save' }).click()
  await expect(shop.getByRole('alert').filter({ hasText: 'Write an email address' })).toBeVisible()
  await shop.getByLabel('Email').fill(next.email)
  await shop.getByRole('button', { name: 'Save' }).click()
  await expect(shop.getByText(`We have sent a link to ${next.email}.`)).toBeVisible()
  await expect.poll(async () => (await mailTo(shop, next.email)).length).toBe(1)
  const [confirm] = await mailTo(shop, next.email)
  await shop.goto(/http\S+\/email\/\S+/.exec(confirm?.text ?? '')?.[0] ?? '')
  await shop.getByRole('button', { name: 'Use this email' }).click()
  await expect(shop.getByText(`Samantha Shop, ${next.email}`)).toBeVisible()
})

test('an offer that ended takes nothing else down, and its page says so', async ({ studio, shop }) => {
  const { slug, offerId, courseId } = await makeCourse(studio, unique('Ended'), 4800)
  await studio.goto(`/studio/sell/offers/${offerId}`)
  await choose(studio, 'How long it stays open', 'until')
  await studio.getByLabel('Open until').fill('2020-01-31')
  await expect(studio.getByRole('alert').filter({ hasText: 'This day is past' })).toBeVisible()
  await expect(studio.getByLabel('Preview').getByText(/^Access ended on 31 January 2020/)).toBeVisible()
  await studio.getByRole('button', { name: 'Publish…' }).click()
  await expect(studio.getByRole('dialog').getByRole('alert')).toContainText('nobody can buy it any more')
  await expect(studio.getByRole('button', { name: 'Publish now' })).toBeDisabled()
  expect(courseId).toBeDefined()
  await shop.goto(`/buy/${slug}`)
  await expect(payButton(shop)).toHaveText('Pay €48.00')
  expect((await shop.goto('/thanks/%00'))?.status()).toBe(400)
  await expect(shop.getByRole('link', { name: 'See all courses' })).toBeVisible()
})

test('paid by transfer and by card: the second money opens nothing, and is refunded from the order', async ({
  browser,
  studio,
  shop,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Paid twice'), 12_900)
  const who = someone()
  await fillCheckout(shop, slug, who, null)
  await shop.getByLabel('Bank transfer').check()
  await shop.getByRole('button', { name: 'Order and transfer €129.00' }).click()
  await expect(shop.getByRole('heading', { name: `Thank you. Please transfer €129.00 for ${title}.` })).toBeVisible()
  const [waiting] = await ordersOf(studio, title)

  const phone = await (await browser.newContext({ baseURL: running().origin })).newPage()
  await fillCheckout(phone, slug, who, 'Pays')
  await payButton(phone).click()
  await expect(phone.getByRole('heading', { name: `Thank you. ${title} is open.` })).toBeVisible()

  await studio.goto(`/studio/orders/${waiting?.id}`)
  await studio.getByRole('button', { name: 'Mark as received…' }).click()
  await studio.getByRole('button', { name: 'Mark as received', exact: true }).click()
  await expect(studio.getByText('€129.00 received. This order gives no access.')).toBeVisible()
  await shop.reload()
  await expect(shop.getByRole('heading', { name: `You have paid for ${title} twice.` })).toBeVisible()
  await expect(shop.getByRole('link', { name: 'Open the course' })).toHaveCount(0)

  await studio.goto('/studio/orders')
  await studio
    .getByRole('listitem')
    .filter({ hasText: title })
    .filter({ hasText: 'Another order had opened it' })
    .getByRole('link')
    .click()
  await studio.getByRole('button', { name: 'Refund it…' }).click()
  await studio.getByRole('button', { name: 'Refund €129.00' }).click()
  await expect(studio.getByText('€129.00 received. €129.00 refunded. This order gives no access.')).toBeVisible()
  await expect(studio.getByRole('button', { name: 'Refund it…' })).toHaveCount(0)
  await phone.goto(`/learn/${slug}`)
  await expect(phone.getByRole('link', { name: 'Begin: The first lesson' })).toBeVisible()
  await phone.context().close()
})
