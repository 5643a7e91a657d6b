import {
  chooseCard,
  expect,
  fillCheckout,
  makeCourse,
  ordersOf,
  payButton,
  post,
  takenFor,
  test,
  unique,
} from './acorn.ts'

/** What a creator and a buyer press again because no answer came. */
test('a refund whose answer was lost is pressed again, and is paid once; another one is possible', async ({
  studio,
  shop,
}) => {
  const course = await makeCourse(studio, unique('Lost answer'), 4800)
  await fillCheckout(
    shop,
    course.slug,
    { name: 'Ada', email: `${unique('lost').replaceAll(' ', '')}@post.example` },
    'Pays',
  )
  await payButton(shop).click()
  await shop.waitForURL(/thanks/)
  const [order] = await ordersOf(studio, course.title)
  const keys: (string | undefined)[] = []
  await studio.route('**/refunds', async (route) => {
    keys.push(route.request().headers()['idempotency-key'])
    const response = await route.fetch()
    // The first was done, and nobody hears of it.
    return keys.length === 1 ? route.abort() : route.fulfill({ response })
  })
  const refunded = async () => {
    const shown = (await post(studio.request, `/api/orders/${order?.id}`, undefined, 'GET')) as {
      refunds: { amount: number }[]
    }
    return shown.refunds.map(({ amount }) => amount)
  }
  await studio.goto(`/studio/orders/${order?.id}`)
  const ask = async () => {
    await studio.getByRole('button', { name: 'Refund…' }).click()
    const dialog = studio.getByRole('dialog')
    await dialog.getByRole('textbox', { name: 'How much' }).fill('5')
    await dialog.getByLabel('The buyer keeps access').check()
    await dialog.getByRole('textbox', { name: 'Why' }).fill('Courtesy')
    return dialog
  }
  const dialog = await ask()
  const press = dialog.getByRole('button', { name: 'Refund €5.00' })
  await press.click()
  await expect(dialog.getByRole('alert')).toContainText('The server does not answer')
  await press.click()
  await expect(dialog).toBeHidden()
  expect([keys.length, keys[0] === keys[1], await refunded()]).toEqual([2, true, [500]])
  // Asked for anew, it is another five euros.
  await (await ask()).getByRole('button', { name: 'Refund €5.00' }).click()
  await expect(studio.getByRole('dialog')).toBeHidden()
  expect([keys[2] === keys[1], await refunded()]).toEqual([false, [500, 500]])
})

test('a payment whose answer was lost is found by its buyer, and is taken once', async ({ studio, shop }) => {
  const course = await makeCourse(studio, unique('Lost payment'), 4800)
  await fillCheckout(
    shop,
    course.slug,
    { name: 'Ada', email: `${unique('found').replaceAll(' ', '')}@post.example` },
    null,
  )
  await chooseCard(shop, 'Pays')
  let times = 0
  await shop.route(`**/api/shop/checkout/${course.slug}`, async (route) => {
    if (route.request().method() !== 'POST') return route.continue()
    times++
    const response = await route.fetch()
    return times === 1 ? route.abort() : route.fulfill({ response })
  })
  await payButton(shop).click()
  // The page is loaded anew, and knows what became of it.
  await expect(shop.getByRole('heading', { name: 'You have this course.' })).toBeVisible()
  expect(await takenFor(shop, course.title)).toHaveLength(1)
  expect(await ordersOf(studio, course.title)).toHaveLength(1)
})
