import { chooseCard, expect, makeCourse, ordersOf, pageOnBench, payButton, post, test, unique } from './acorn.ts'

const monthly = {
  kind: 'subscription',
  amount: 1900,
  every: { count: 1, unit: 'month' },
  payments: null,
  setupFee: null,
  trial: null,
}

test('an order bump with a subscription inside: shaped, published, ticked, paid with the rest', async ({
  studio,
  shop,
}) => {
  const main = await makeCourse(studio, unique('Main'), 12_900)
  const club = await makeCourse(studio, unique('Club'), monthly, {
    access: { from: null, lasts: 'whilePaying', graceDays: 3 },
  })
  const pages = await post(studio.request, '/api/pages', undefined, 'GET')
  const page = pages.find(({ title }: { title: string }) => title === main.title)

  await test.step('the page is shaped on the bench, where it is said what is missing', async () => {
    await studio.goto(`/studio/sell/pages/${page.id}`)
    await studio.getByRole('button', { name: /^Order form/ }).click()
    await studio.getByRole('button', { name: 'Add an order bump' }).click()
    await expect(studio.getByText('Choose what order bump 1 offers.')).toBeVisible()
    await studio.getByRole('combobox', { name: 'What it offers' }).click()
    await studio.getByRole('option', { name: `${club.title}, One payment` }).click()
    await studio.getByLabel('Short text here').fill('Ask what you like, every Thursday.')
    await studio.getByLabel('Words beside the tick').fill('Add the Thursday club')
    await expect(pageOnBench(studio).getByText('Add the Thursday club')).toBeVisible()
    await studio.getByRole('button', { name: 'Publish…' }).click()
    await studio.getByRole('dialog').getByRole('button', { name: 'Publish now' }).click()
    await expect(studio.getByText('Buyers see it as it is here.')).toBeVisible()
  })

  await test.step('the buyer is told what comes later before it is ticked; ticking changes all at once', async () => {
    await shop.goto(`/buy/${main.slug}`)
    const tick = shop.getByRole('checkbox', { name: /Add the Thursday club/ })
    await expect(tick).not.toBeChecked()
    await expect(shop.getByText('€19 a month')).toBeVisible()
    await expect(payButton(shop)).toHaveText('Pay €129.00')
    await expect(shop.getByRole('radio', { name: /Bank transfer/ })).toBeVisible()
    await tick.check()
    await expect(payButton(shop)).toHaveText(/€148\.00/)
    await expect(shop.getByText(`${club.title} goes on until you cancel it`)).toBeVisible()
    await expect(shop.getByRole('radio', { name: /Bank transfer/ })).toHaveCount(0)
    await expect(shop.getByText(/Bank transfer.* cannot collect this together with what you ticked\./)).toBeVisible()
    await tick.uncheck()
    await expect(payButton(shop)).toHaveText('Pay €129.00')
    await tick.check()
    await shop.reload()
    await expect(tick).toBeChecked()
  })

  await test.step('both are paid at once, and both are open', async () => {
    await shop.getByLabel('Name').fill('Bea Bump')
    await shop.getByLabel('Email').fill(`${unique('bea').replaceAll(' ', '')}@post.example`)
    await chooseCard(shop, 'Pays')
    await payButton(shop).click()
    await expect(shop.getByRole('heading', { name: 'Thank you. 2 courses are yours.' })).toBeVisible()
    const [order] = await ordersOf(studio, main.title)
    await studio.goto(`/studio/orders/${order?.id}`)
    await expect(studio.getByText(club.title).first()).toBeVisible()
    await expect(studio.getByText('order bump', { exact: true })).toBeVisible()
  })

  await test.step('retiring the course asks first, and says where it is an order bump', async () => {
    await studio.goto(`/studio/sell/courses/${club.courseId}`)
    await studio.getByRole('button', { name: 'More' }).click()
    await studio.getByRole('menuitem', { name: 'Retire' }).click()
    const question = studio.getByRole('dialog', { name: 'Retire this course?' })
    await expect(question.getByText(`The checkout page of “${main.title}” no longer shows it`)).toBeVisible()
    await question.getByRole('button', { name: 'Retire it', exact: true }).click()
    await expect(studio.getByText(/^Retired\. It is no longer sold/)).toBeVisible()
  })
})
