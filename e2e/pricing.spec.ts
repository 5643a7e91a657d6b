import { newOffer } from '../src/core/content/offer.ts'
import { choose, expect, fillCheckout, makeCourse, payButton, post, reprice, takenFor, test, unique } from './acorn.ts'

const someone = () => ({ name: 'Pia Prices', email: `${unique('pia').replaceAll(' ', '')}@post.example` })

test('119 once, or 3 × 42 monthly, or free for members; two years of access', async ({ studio, shop }) => {
  const club = await makeCourse(studio, unique('The club'), 1900)
  const { slug, courseId } = await makeCourse(studio, unique('Three ways'), 9900)
  const shelf = await post(studio.request, '/api/catalogue/shelf', undefined, 'GET')
  const [first] = shelf.find((course: { id: string }) => course.id === courseId).offers
  const mirror = studio.getByLabel('Preview')
  const twoYears = async () => {
    await choose(studio, 'How long it stays open', 'for')
    await studio.getByLabel('Open for, how many').fill('2')
  }
  const publish = async () => {
    await expect(studio.getByText('Draft saved')).toBeVisible()
    await studio.getByRole('button', { name: 'Publish…' }).click()
    await studio.getByRole('button', { name: 'Publish now' }).click()
    await expect(studio.getByText('Published. Buyers see it now.')).toBeVisible()
  }
  await test.step('119 once', async () => {
    await studio.goto(`/studio/sell/offers/${first.id}`)
    await studio.getByLabel('Price', { exact: true }).fill('119')
    await twoYears()
    const year = new Date().getFullYear() + 2
    await expect(mirror.getByText(new RegExp(`^€119\\.00 today\\. Open until .* ${year}\\.$`))).toBeVisible()
    await publish()
  })
  await test.step('3 × 42 monthly, by the helper', async () => {
    const { id } = await post(studio.request, '/api/offers', { productId: courseId })
    await studio.goto(`/studio/sell/offers/${id}`)
    await studio.getByLabel('Name of the offer').fill('In three')
    await studio.getByRole('radio', { name: 'Installments' }).click()
    await studio.getByRole('button', { name: 'Split a price…' }).click()
    await expect(studio.getByLabel('Split a price')).toHaveValue('€119.00 in 3')
    await studio.getByLabel('Split a price').fill('119 in none')
    await expect(studio.getByText('Write a price and a number of parts')).toBeVisible()
    await studio.getByLabel('Split a price').fill('126 in 3')
    await studio.getByRole('button', { name: 'Take 3 × €42.00 is exactly €126.00' }).click()
    await expect(studio.getByText('€126.00 in all, €7.00 (5.88%) more than paying at once.')).toBeVisible()
    await twoYears()
    await expect(
      mirror.getByText(/^€42\.00 today, then €42\.00 on .* and .*\. €126\.00 in all\. Open until .*\.$/),
    ).toBeVisible()
    await publish()
  })
  await test.step('free for members', async () => {
    const { id } = await post(studio.request, '/api/offers', { productId: courseId })
    await studio.goto(`/studio/sell/offers/${id}`)
    await studio.getByLabel('Name of the offer').fill('For members')
    await studio.getByRole('radio', { name: 'Free' }).click()
    await choose(studio, 'Who may buy', 'For members of')
    await choose(studio, 'Course or bundle they need', club.title)
    await twoYears()
    await expect(mirror.getByText('Included for members')).toBeVisible()
    await publish()
  })
  await test.step('a stranger sees what it needs, and cannot have it', async () => {
    await shop.goto(`/course/${slug}`)
    await expect(shop.getByText(`For members of ${club.title}.`)).toBeVisible()
    await expect(shop.getByRole('link', { name: 'Included for members' })).toHaveCount(0)
    await shop.goto(`/buy/${slug}`)
    await shop.getByRole('radio', { name: /^For members/ }).check()
    await expect(shop.getByText(`“For members” is for members of ${club.title}.`)).toBeVisible()
    await expect(payButton(shop)).toHaveCount(0)
  })
  await test.step('a member has it free, for the address that is a member', async () => {
    const who = someone()
    await fillCheckout(shop, club.slug, who, 'Pays')
    await payButton(shop).click()
    await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
    await shop.goto(`/course/${slug}`)
    await shop.getByRole('link', { name: 'Included for members' }).click()
    await shop.getByLabel('Name').fill(who.name)
    await shop.getByLabel('Email').fill('somebody-else@post.example')
    await shop.getByRole('button', { name: 'Get the course' }).click()
    await expect(shop.getByRole('alert').filter({ hasText: `Use the email that has ${club.title}` })).toBeVisible()
    await shop.getByLabel('Email').fill(who.email)
    await shop.getByRole('button', { name: 'Get the course' }).click()
    await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  })
})

test('who asks for a members’ price without being one is refused by the server too', async ({ studio, shop }) => {
  const club = await makeCourse(studio, unique('Closed club'), 1900)
  const { slug, offerId } = await makeCourse(studio, unique('Closed'), null, {
    audience: { who: 'holders', of: [club.courseId] },
  })
  await shop.goto('/')
  const response = await shop.request.post(`/api/shop/checkout/${slug}`, {
    headers: { origin: new URL(shop.url()).origin, 'idempotency-key': crypto.randomUUID() },
    data: {
      lines: [{ offerId, chosen: null }],
      ...someone(),
      agreed: { pay: 0, currency: 'EUR' },
      payment: null,
    },
  })
  expect(response.status()).toBe(403)
  expect((await response.json()).title).toContain(`This price is for people who have ${club.title}.`)
})

test('an offer behind its link is listed nowhere, and bought there', async ({ studio, shop }) => {
  const { slug, courseId, title } = await makeCourse(studio, unique('By link'), 9900)
  const { id } = await post(studio.request, '/api/offers', { productId: courseId })
  await reprice(studio, id, 3900, { name: 'Only by link', audience: { who: 'link' } })
  await shop.goto(`/course/${slug}`)
  await expect(shop.getByText('€99.00').first()).toBeVisible()
  await expect(shop.getByText('Only by link')).toHaveCount(0)
  await shop.goto(`/buy/${slug}`)
  await expect(payButton(shop)).toHaveText('Pay €99.00')
  await expect(shop.getByText('Only by link')).toHaveCount(0)
  await fillCheckout(shop, `${slug}?offer=${id}`, someone(), 'Pays')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  expect(await takenFor(shop, title)).toMatchObject([{ amount: 3900 }])
})

test('a sale strikes the lowest price of the 30 days before, and only where there was one', async ({
  studio,
  shop,
}) => {
  const { slug, offerId, title } = await makeCourse(studio, unique('On sale'), 6900)
  const until = new Date(Date.now() + 5 * 86_400_000).toISOString()
  const sale = { amount: 4900, from: null, until, scope: 'every' }
  await reprice(studio, offerId, 6900, {
    sale,
    lines: 'With a bone folder.\nSent by post.',
    statement: 'PAPER AND BONE',
  })
  await shop.goto(`/course/${slug}`)
  await expect(shop.locator('s')).toHaveText('€69.00')
  await expect(
    shop.getByText(/Sale price until .* \(Vienna\)\. Lowest price of the 30 days before it: €69\.00\./),
  ).toBeVisible()
  await expect(shop.getByText('With a bone folder.')).toBeVisible()
  await fillCheckout(shop, slug, someone(), 'Pays')
  await expect(payButton(shop)).toHaveText('Pay €49.00')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  expect(await takenFor(shop, title)).toMatchObject([{ amount: 4900, statement: 'PAPER AND BONE' }])

  const fresh = await makeCourse(studio, unique('Never dearer'), 6900, { sale })
  await shop.goto(`/course/${fresh.slug}`)
  await expect(shop.getByText(/Sale price until .*; then €69\.00\./)).toBeVisible()
  await expect(shop.locator('s')).toHaveCount(0)
  await studio.goto(`/studio/sell/offers/${fresh.offerId}`)
  await expect(studio.getByText('No earlier price is shown struck through')).toBeVisible()
})

test('an offer’s own tax rate stands in sentence, checkout and receipt', async ({ studio, shop }) => {
  const { slug, offerId } = await makeCourse(studio, unique('Reduced'), 11_000)
  await studio.goto(`/studio/sell/offers/${offerId}`)
  await studio.getByRole('button', { name: 'Use another tax rate than 20%' }).click()
  await studio.getByLabel('Tax rate of this offer').fill('120')
  await expect(studio.getByLabel('Tax rate of this offer')).toHaveAttribute('aria-invalid', 'true')
  await studio.getByLabel('Tax rate of this offer').fill('10')
  await expect(studio.getByText('VAT at 10%, inside')).toBeVisible()
  await studio.getByLabel('Text on the card statement').fill('Büro')
  await expect(studio.getByText('“ü” does not print on every statement.')).toBeVisible()
  await studio.getByLabel('Text on the card statement').fill('BUREAU')
  await expect(studio.getByText('Draft saved')).toBeVisible()
  await studio.getByRole('button', { name: 'Publish…' }).click()
  await expect(studio.getByRole('dialog').getByText('Own tax rate')).toBeVisible()
  await studio.getByRole('button', { name: 'Publish now' }).click()
  await expect(studio.getByText('Published. Buyers see it now.')).toBeVisible()
  await fillCheckout(shop, slug, someone(), 'Pays')
  await expect(shop.getByText('VAT 10%, inside')).toBeVisible()
  await expect(shop.getByText('€10.00')).toBeVisible()
  await payButton(shop).click()
  await expect(shop.getByText('VAT 10%, inside')).toBeVisible()
})

test('two offers side by side, with figures to copy', async ({ studio }) => {
  const { title, courseId, offerId } = await makeCourse(studio, unique('Compared'), 12_000)
  const { id } = await post(studio.request, '/api/offers', { productId: courseId })
  const terms = {
    kind: 'installments',
    count: 10,
    every: { count: 1, unit: 'month' },
    amount: 1300,
    total: null,
    deposit: null,
    trial: null,
  }
  await reprice(studio, id, terms, { name: 'In ten' })
  await studio.context().grantPermissions(['clipboard-read', 'clipboard-write'])
  await studio.goto('/studio/sell')
  // The first offer opens by itself; what is clicked before that is overtaken by it.
  await expect(studio.getByLabel('Name of the offer')).toBeVisible()
  await studio.getByRole('link', { name: 'Compare', exact: true }).click()
  // The first course's offers stand there to begin with.
  await expect(studio.getByRole('row', { name: /^In all/ })).toBeVisible()
  await studio.getByRole('button', { name: 'Untick all' }).click()
  await expect(studio.getByText('Tick two or more offers')).toBeVisible()
  const group = studio.getByRole('group', { name: title })
  await group.getByRole('checkbox', { name: /^One payment/ }).check()
  await group.getByRole('checkbox', { name: /^In ten/ }).check()
  await expect(studio.getByRole('row', { name: /^In all/ })).toContainText('€120.00')
  await expect(studio.getByRole('row', { name: /^In all/ })).toContainText('€130.00')
  // 120.00: one fee of 1.4 % + 0.25; 13.00: ten of them.
  const capabilities = await post(studio.request, '/api/gateways', undefined, 'GET')
  const { rate, fixed } = capabilities.gateways[0].capabilities.fee
  const one = Math.floor((2 * 12_000 * rate + 10_000) / 20_000) + fixed.EUR
  const ten = 10 * (Math.floor((2 * 1300 * rate + 10_000) / 20_000) + fixed.EUR)
  const fees = studio.getByRole('row', { name: /^Fees/ })
  await expect(fees).toContainText(`€${(one / 100).toFixed(2)}`)
  await expect(fees).toContainText(`€${(ten / 100).toFixed(2)}`)
  await studio.getByLabel('Number of buyers').fill('1')
  await expect(studio.getByText('buyers of each today')).toBeVisible()
  await studio.getByRole('button', { name: 'Copy as CSV' }).click()
  await expect(studio.getByText('Copied as CSV.')).toBeVisible()
  const csv = await studio.evaluate(() => navigator.clipboard.readText())
  const lines = csv.split('\r\n')
  expect(lines[0]).toBe(`"figure, EUR","${title}, One payment","${title}, In ten"`)
  expect(lines).toContain('in all,120.00,130.00')
  expect(lines).toContain(
    `kept after month 24,${((12_000 - 2000 - one) / 100).toFixed(2)},${((13_000 - 2170 - ten) / 100).toFixed(2)}`,
  )
  expect(new URL(studio.url()).searchParams.get('offers')).toBe(`${offerId},${id}`)
})

test('undo through a whole edit leads back to where it began', async ({ studio }) => {
  const { offerId } = await makeCourse(studio, unique('Whole edit'), 4800)
  const before = { ...newOffer('One payment'), terms: { kind: 'single', amount: 4800 } }
  await studio.clock.install()
  await studio.goto(`/studio/sell/offers/${offerId}`)
  const step = async (act: () => Promise<unknown>) => {
    await act()
    // Edits within a moment are one step.
    await studio.clock.fastForward(800)
  }
  await step(() => studio.getByLabel('Name of the offer').fill('In parts'))
  await step(() => studio.getByRole('radio', { name: 'Installments' }).click())
  await step(() => studio.getByLabel('Number of installments').fill('4'))
  await step(() => studio.getByRole('button', { name: 'Add a deposit' }).click())
  await step(() => choose(studio, 'Who may buy', 'Only people with the link'))
  await step(() => studio.getByLabel('Lines under the price').fill('One line'))
  await step(() => studio.getByLabel('Article number').fill('X-1'))
  await expect(studio.getByText('Draft saved')).toBeVisible()
  const undo = studio.getByRole('button', { name: 'Undo', exact: true })
  while (await undo.isEnabled()) await undo.click()
  await expect(studio.getByText('Draft saved')).toBeVisible()
  await expect(studio.getByLabel('Name of the offer')).toHaveValue('One payment')
  const saved = await post(studio.request, `/api/offers/${offerId}`, undefined, 'GET')
  expect(saved.draft).toEqual(before)
  const redo = studio.getByRole('button', { name: 'Redo', exact: true })
  while (await redo.isEnabled()) await redo.click()
  await expect(studio.getByLabel('Article number')).toHaveValue('X-1')
  await expect(studio.getByLabel('Number of installments')).toHaveValue('4')
})

test('the direct link as a QR code; the school’s currency stays once it sold live', async ({ studio }) => {
  const { offerId } = await makeCourse(studio, unique('Link'), 4800)
  await studio.goto(`/studio/sell/offers/${offerId}`)
  await studio.getByRole('button', { name: 'QR code' }).click()
  await expect(studio.getByRole('img', { name: 'QR code of the direct link' })).toBeVisible()
  await studio.goto('/studio/setup/school')
  await expect(studio.getByLabel('Currency')).toBeDisabled()
  await expect(studio.getByText(/orders were paid live in EUR, so the currency can no longer change/)).toBeVisible()
})
