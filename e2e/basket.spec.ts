import {
  chooseCard,
  expect,
  fillCheckout,
  mailTo,
  makeCourse,
  payButton,
  post,
  pressOnce,
  takenFor,
  test,
  unique,
} from './acorn.ts'
import { expectNothingSerious } from './axe.ts'

const monthly = {
  kind: 'subscription',
  amount: 1900,
  every: { count: 1, unit: 'month' },
  payments: null,
  setupFee: null,
  trial: null,
}

test('a basket of five things: over two days and a sign-in, one of them paid for apart, at 1280 and 390', async ({
  studio,
  shop,
  browser,
}) => {
  const made = []
  for (const [word, price] of [
    ['Sewing', 12_900],
    ['Paper', 2400],
    ['Boxes', 4800],
    ['Letters', null],
  ] as const)
    made.push(await makeCourse(studio, unique(word), price))
  const club = await makeCourse(studio, unique('Club'), monthly, {
    access: { from: null, lasts: 'whilePaying', graceDays: 3 },
  })
  const [sewing, paper, boxes, letters] = made as [typeof club, typeof club, typeof club, typeof club]
  const add = async (page: typeof shop, { slug }: { slug: string }) => {
    await page.goto(`/course/${slug}`)
    await page.getByRole('button', { name: /^Add to basket/ }).click()
    await expect(page.getByRole('heading', { name: 'Your basket' })).toBeVisible()
  }
  const named = `${unique('bo').replaceAll(' ', '')}@post.example`

  await test.step('collected in a browser, taken out, put back, and there again the next day', async () => {
    for (const course of [sewing, paper, club, letters]) await add(shop, course)
    await expect(shop.getByRole('link', { name: 'Basket (4)' })).toBeVisible()
    await shop.getByRole('button', { name: `Take out ${paper.title}` }).click()
    await expect(shop.getByText(`${paper.title} was taken out.`)).toBeVisible()
    await shop.getByRole('button', { name: `Put back ${paper.title}` }).click()
    await expect(shop.getByRole('heading', { name: paper.title })).toBeVisible()
    await expectNothingSerious(shop)
    const kept = await shop.context().storageState()
    const nextDay = await browser.newContext({ storageState: kept, viewport: { width: 390, height: 1500 } })
    const phone = await nextDay.newPage()
    await phone.goto('/basket')
    await expect(phone.getByRole('heading', { name: club.title })).toBeVisible()
    expect(await phone.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390)
    await nextDay.close()
  })

  await test.step('what was collected elsewhere joins it at sign-in, nothing twice', async () => {
    const desk = await browser.newContext({ viewport: { width: 1280, height: 1200 } })
    const page = await desk.newPage()
    // Somebody who bought before has an account, and its link sets their password.
    await fillCheckout(page, letters.slug, { name: 'Bo Basket', email: named }, null)
    await page.getByRole('button', { name: /^(Get the course|Start)/ }).click()
    await expect(page.getByRole('heading', { name: /Thank you/ })).toBeVisible()
    const link = async () =>
      (await mailTo(page, named)).map(({ text }) => /http\S+\/password\/\S+/.exec(text)?.[0]).find(Boolean) ?? ''
    await expect.poll(link).not.toBe('')
    await page.goto(await link())
    await page.getByLabel('New password').fill('a thread of waxed linen')
    await pressOnce(page, 'Save and open my courses')
    await expect(page).toHaveURL(/\/my$/)
    await add(page, boxes)
    await add(page, paper)
    await desk.close()
    await post(shop.request, '/api/shop/sign-in', { email: named, password: 'a thread of waxed linen' })
    await shop.goto('/basket')
    await expect(shop.getByRole('link', { name: 'Basket (5)' })).toBeVisible()
    for (const { title } of [sewing, paper, club, boxes]) {
      await expect(shop.getByRole('heading', { name: title })).toHaveCount(1)
    }
  })

  await test.step('what its buyer has already is said, and not ordered', async () => {
    await expect(shop.getByText(/Not ordered with the rest\./)).toBeVisible()
    await expect(shop.getByText('It is kept with your account for 90 days.')).toBeVisible()
  })

  await test.step('a method that cannot collect one thing says which; it is paid for apart', async () => {
    await shop.getByRole('link', { name: 'Go to the checkout' }).click()
    await expect(shop.getByRole('heading', { name: 'Your basket' })).toBeVisible()
    await expect(shop.getByText(`Bank transfer cannot collect “${club.title}”.`)).toBeVisible()
    await expectNothingSerious(shop)
    await shop.getByRole('link', { name: `Pay for “${club.title}” apart` }).click()
    await expect(shop.getByText(`${club.title} stays in your basket; you pay for it apart.`)).toBeVisible()
    await expect(shop.getByRole('radio', { name: /Bank transfer/ })).toBeVisible()
    await chooseCard(shop, 'Pays')
    await expect(payButton(shop)).toHaveText('Pay €201.00')
    await payButton(shop).click()
    await expect(shop.getByRole('heading', { name: 'Thank you. 3 courses are yours.' })).toBeVisible()
    await expect(shop.getByText(`Still in your basket: ${club.title}.`)).toBeVisible()
    const taken = await takenFor(shop, `${sewing.title}, ${boxes.title}, ${paper.title}`)
    expect(taken.map(({ amount }) => amount)).toEqual([20_100])
  })

  await test.step('and the rest after it, at 390 wide', async () => {
    await shop.setViewportSize({ width: 390, height: 1700 })
    await shop.goto('/basket')
    await shop.getByRole('link', { name: 'Go to the checkout' }).click()
    await expect(payButton(shop)).toBeVisible()
    expect(await shop.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390)
    await chooseCard(shop, 'Pays')
    await payButton(shop).click()
    await expect(shop.getByRole('heading', { name: /Thank you/ })).toBeVisible()
    await shop.goto('/basket')
    await expect(shop.getByRole('heading', { name: letters.title })).toBeVisible()
    await expect(shop.getByRole('heading', { name: club.title })).toHaveCount(0)
  })
})
