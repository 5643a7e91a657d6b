import {
  chooseCard,
  expect,
  fillCheckout,
  mailTo,
  makeCourse,
  ordersOf,
  payButton,
  post,
  reprice,
  running,
  takenFor,
  test,
  unique,
} from './acorn.ts'

const someone = () => ({ name: 'Ada Buyer', email: `${unique('ada').replaceAll(' ', '')}@post.example` })

test('not enough money: said, everything typed kept, then another card pays', async ({ studio, shop }) => {
  const { slug, title } = await makeCourse(studio, unique('Declined'), 4800)
  await fillCheckout(shop, slug, someone(), 'Not enough money')
  await payButton(shop).click()
  await expect(shop.getByText('The card or account does not have enough money. Nothing was charged.')).toBeVisible()
  await expect(shop.getByLabel('Name')).toHaveValue('Ada Buyer')
  await expect(shop.frameLocator('iframe').getByLabel('Card number')).toHaveValue('9710 2230 4400 5502')
  await chooseCard(shop, 'Pays')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  expect(await takenFor(shop, title)).toHaveLength(1)
  expect(await ordersOf(studio, title)).toMatchObject([{ state: 'paid' }])
})

test('a card that asks: walk away, refuse, approve', async ({ studio, shop }) => {
  const { slug, title } = await makeCourse(studio, unique('Confirmed'), 4800)
  const bank = shop.frameLocator('iframe[title="The bank’s confirmation"]')
  await fillCheckout(shop, slug, someone(), 'Asks to confirm')
  await payButton(shop).click()
  await expect(bank.getByText('Approve €48.00 to Fold & Quire?')).toBeVisible()
  await bank.getByRole('button', { name: 'Walk away' }).click()
  await expect(shop.getByText('The payment was not finished. Nothing was charged.')).toBeVisible()
  await payButton(shop).click()
  await bank.getByRole('button', { name: 'Refuse' }).click()
  await expect(shop.getByText('You did not approve the payment.')).toBeVisible()
  expect(await takenFor(shop, title)).toHaveLength(0)
  await payButton(shop).click()
  await bank.getByRole('button', { name: 'Approve' }).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  expect(await takenFor(shop, title)).toHaveLength(1)
})

test('a bank’s question that was closed is closed for good: what is approved is what the page shows', async ({
  studio,
  shop,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Closed'), 4800)
  const other = await makeCourse(studio, unique('Beside'), 2400)
  const bank = shop.frameLocator('iframe[title="The bank’s confirmation"]')
  for (const course of [other.slug, slug]) {
    await shop.goto(`/course/${course}`)
    await shop.getByRole('button', { name: /^Add to basket/ }).click()
    await expect(shop.getByRole('heading', { name: 'Your basket' })).toBeVisible()
  }
  await fillCheckout(shop, 'basket', someone(), 'Asks to confirm')
  await payButton(shop).click()
  await expect(bank.getByText('Approve €72.00 to Fold & Quire?')).toBeVisible()
  const asked = await shop.locator('iframe[title="The bank’s confirmation"]').getAttribute('src')
  await shop.getByRole('button', { name: 'Close', exact: true }).click()
  await expect(shop.getByText('The payment was not finished. Nothing was charged.')).toBeVisible()
  const [left] = await ordersOf(studio, title)
  await shop.goto(asked as string)
  await expect(shop.getByRole('button', { name: 'Approve' })).toHaveCount(0)
  expect(left?.state).not.toBe('paid')

  // Asked once more, and changed in another tab meanwhile: the page shows what it costs now, and asks for nothing else.
  await fillCheckout(shop, 'basket', someone(), 'Asks to confirm')
  await payButton(shop).click()
  await expect(bank.getByText('Approve €72.00 to Fold & Quire?')).toBeVisible()
  const tab = await shop.context().newPage()
  await tab.goto('/basket')
  await tab.getByRole('button', { name: `Take out ${other.title}` }).click()
  await expect(tab.getByText(`${other.title} was taken out.`)).toBeVisible()
  await tab.close()
  await shop.bringToFront()
  await shop.reload()
  await expect(shop.getByText('The payment was not finished. Nothing was charged.')).toBeVisible()
  await expect(payButton(shop)).toHaveText('Pay €48.00')
  await expect(shop.locator('iframe[title="The bank’s confirmation"]')).toHaveCount(0)
  expect(await takenFor(shop, title)).toHaveLength(0)
})

test('a double click, Back and again, and a second tab pay once', async ({ studio, shop }) => {
  const { slug, title } = await makeCourse(studio, unique('Twice'), 4800)
  const who = someone()
  // Each is filled while it stands in front: a tab behind another loses clicks.
  await fillCheckout(shop, slug, who, 'Pays')
  const second = await shop.context().newPage()
  await fillCheckout(second, slug, who, 'Pays')
  // A tab in the background draws nothing, so a mouse waits there for ever; its button is pressed by the page itself.
  await shop.bringToFront()
  await Promise.all([payButton(shop).dblclick(), payButton(second).evaluate((button: HTMLElement) => button.click())])
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  await second.bringToFront()
  await expect(second.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  await shop.bringToFront()
  await shop.goto(`/buy/${slug}`)
  await expect(shop.getByRole('heading', { name: 'You have this course.' })).toBeVisible()
  await expect(payButton(shop)).toHaveCount(0)
  expect(await takenFor(shop, title)).toHaveLength(1)
  expect(await ordersOf(studio, title)).toHaveLength(1)
})

test('the same address in another browser learns nothing and is not charged; its owner is written to', async ({
  studio,
  shop,
  browser,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Elsewhere'), 4800)
  const who = someone()
  await fillCheckout(shop, slug, who, 'Pays')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  const other = await (await browser.newContext()).newPage()
  await fillCheckout(other, slug, who, 'Pays')
  await payButton(other).click()
  await expect(other.getByText('This cannot be ordered with this email.')).toBeVisible()
  // Who owns the address is told what to do, and nobody else.
  await expect
    .poll(async () => (await mailTo(shop, who.email)).map(({ subject }) => subject))
    .toContain(`You already have ${title}`)
  expect(await takenFor(shop, title)).toHaveLength(1)
  await other.context().close()
})

test('a free course: no card, one click, and it is open', async ({ studio, shop }) => {
  const { slug } = await makeCourse(studio, unique('Free'), null)
  await fillCheckout(shop, slug, someone(), null)
  await expect(shop.locator('iframe')).toHaveCount(0)
  await payButton(shop).click()
  await shop.getByRole('link', { name: 'Open the course' }).click()
  await expect(shop.getByRole('link', { name: 'Begin: The first lesson' })).toBeVisible()
})

test('a price that changed while the page was open is shown, and paid only when agreed to', async ({
  studio,
  shop,
}) => {
  const { slug, offerId, title } = await makeCourse(studio, unique('Dearer'), 4800)
  await fillCheckout(shop, slug, someone(), 'Pays')
  await reprice(studio, offerId, 5900)
  await payButton(shop).click()
  await expect(shop.getByText('The price is now €59.00. Nothing was charged.')).toBeVisible()
  expect(await takenFor(shop, title)).toHaveLength(0)
  await expect(payButton(shop)).toHaveText('Pay €59.00')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  expect(await takenFor(shop, title)).toMatchObject([{ amount: 5900 }])
})

test('taken off sale while the page was open: said, and nothing is charged', async ({ studio, shop }) => {
  const { slug, offerId, title } = await makeCourse(studio, unique('Gone'), 4800)
  await fillCheckout(shop, slug, someone(), 'Pays')
  await post(studio.request, `/api/offers/${offerId}/on-sale`, { onSale: false }, 'PUT')
  await payButton(shop).click()
  await expect(shop.getByText('This is not on sale any more.')).toBeVisible()
  expect(await takenFor(shop, title)).toHaveLength(0)
  await shop.reload()
  await expect(shop.getByRole('heading', { name: /is not on sale at the moment/ })).toBeVisible()
})

test('a request changed in the browser changes nothing', async ({ studio, shop }) => {
  const { slug, title } = await makeCourse(studio, unique('Tampered'), 4800)
  await shop.route('**/api/shop/checkout/*', async (route) => {
    if (route.request().method() !== 'POST') return route.continue()
    const body = route.request().postDataJSON()
    await route.continue({ postData: JSON.stringify({ ...body, agreed: { pay: 1, currency: 'EUR' } }) })
  })
  await fillCheckout(shop, slug, someone(), 'Pays')
  await payButton(shop).click()
  await expect(shop.getByText('The price is now €48.00. Nothing was charged.')).toBeVisible()
  expect(await takenFor(shop, title)).toHaveLength(0)
})

test('the answer is lost on its way to the page: it finds out by itself, and pays once', async ({ studio, shop }) => {
  const { slug, title } = await makeCourse(studio, unique('Lost'), 4800)
  await fillCheckout(shop, slug, someone(), 'Pays')
  await shop.route('**/api/shop/checkout/*', async (route) => {
    if (route.request().method() !== 'POST') return route.continue()
    await route.fetch()
    await route.abort()
  })
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: 'You have this course.' })).toBeVisible()
  expect(await takenFor(shop, title)).toHaveLength(1)
})

test('a reload while the payment is on its way goes on with it', async ({ studio, shop }) => {
  const { slug, title } = await makeCourse(studio, unique('Reloaded'), 4800)
  await fillCheckout(shop, slug, someone(), 'Asks to confirm')
  await payButton(shop).click()
  await expect(
    shop.frameLocator('iframe[title="The bank’s confirmation"]').getByRole('button', { name: 'Approve' }),
  ).toBeVisible()
  await shop.reload()
  await shop.frameLocator('iframe[title="The bank’s confirmation"]').getByRole('button', { name: 'Approve' }).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  expect(await takenFor(shop, title)).toHaveLength(1)
})

test('the page comes with its price, its description and its linked data inside, without a script', async ({
  studio,
  browser,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Whole'), 4800)
  const context = await browser.newContext({ javaScriptEnabled: false, viewport: { width: 390, height: 844 } })
  const page = await context.newPage()
  await page.goto(`${running().origin}/buy/${slug}`)
  await expect(page.getByRole('button', { name: 'Pay €48.00' })).toBeVisible()
  await expect(page).toHaveTitle(`${title} · Fold & Quire`)
  const data = JSON.parse((await page.locator('script[type="application/ld+json"]').textContent()) ?? '')
  expect(data).toMatchObject({
    '@type': 'Course',
    offers: [{ '@type': 'Offer', price: '48.00', priceCurrency: 'EUR' }],
  })
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390)
  await context.close()
})

test('what is typed, chosen and pressed before the page listens is kept, and nothing is loaded anew', async ({
  studio,
  shop,
}) => {
  const { slug, courseId } = await makeCourse(studio, unique('Slow to listen'), 4800)
  const { id } = await post(studio.request, '/api/offers', { productId: courseId })
  await reprice(studio, id, 5200, { name: 'With a letter' })
  let listen = () => {}
  const listening = new Promise<void>((resolve) => {
    listen = resolve
  })
  await shop.route('**/*.js', async (route) => {
    await listening
    await route.continue()
  })
  await shop.setViewportSize({ width: 360, height: 900 })
  await shop.goto(`/buy/${slug}`, { waitUntil: 'commit' })
  // The gateway's fields are there before the page's own script.
  const fields = shop.frameLocator('iframe')
  await expect(fields.getByRole('button', { name: 'Pays', exact: true })).toBeVisible()
  const name = unique('Quick Typist')
  await shop.getByLabel('Name').fill(name)
  await shop.getByLabel('Email').fill(`${name.replaceAll(' ', '').toLowerCase()}@post.example`)
  await shop.getByRole('radio', { name: /^With a letter/ }).check()
  await payButton(shop).click()
  expect(new URL(shop.url()).search).toBe('')
  listen()
  await test.step('the fields are shown whole all the same, and no higher than they are', async () => {
    const height = async () => (await shop.locator('iframe').boundingBox())?.height
    const content = () => fields.locator('body').evaluate((body) => Math.ceil(body.getBoundingClientRect().height))
    expect(await content()).toBeGreaterThan(130)
    await expect.poll(height).toBe(await content())
    await shop.setViewportSize({ width: 1280, height: 1200 })
    await expect.poll(height).toBeLessThan(180)
    await expect.poll(async () => (await height()) === (await content())).toBe(true)
  })
  await chooseCard(shop, 'Pays')
  await expect(shop.getByLabel('Name')).toHaveValue(name)
  await expect(shop.getByRole('radio', { name: /^With a letter/ })).toBeChecked()
  await expect(payButton(shop)).toHaveText('Pay €52.00')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  expect(await ordersOf(studio, name)).toMatchObject([{ payToday: 5200 }])
})
