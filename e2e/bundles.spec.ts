import {
  choose,
  expect,
  fillCheckout,
  mailTo,
  makeBundle,
  makeCourse,
  ordersOf,
  payButton,
  post,
  reprice,
  test,
  unique,
} from './acorn.ts'

const buyer = (name: string) => ({ name, email: `${unique('bundle').replaceAll(' ', '')}@post.example` })

test('a bundle from the bench to opened courses, grown for its buyers, refunded by one course', async ({
  studio,
  shop,
}) => {
  const sewing = await makeCourse(studio, unique('Sewing'), 12_900)
  const paper = await makeCourse(studio, unique('Paper'), 2400)
  const boxes = await makeCourse(studio, unique('Boxes'), 7900)
  const title = unique('Shelf')
  const publish = () => studio.getByRole('dialog').getByRole('button', { name: 'Publish now' })

  await test.step('it says what is missing, and what it saves', async () => {
    await studio.goto('/studio/sell')
    await studio.getByRole('button', { name: 'Bundles' }).click()
    await studio.getByRole('button', { name: 'New bundle' }).click()
    await studio.getByRole('button', { name: 'Create it' }).click()
    await expect(studio.getByText('A bundle needs a title.')).toBeVisible()
    await studio.getByLabel('Title of the bundle').fill(title)
    await studio.getByRole('button', { name: 'Create it' }).click()
    await expect(studio.getByText('Bundle · not published yet')).toBeVisible()
    await expect(studio.getByText('Choose at least 2 courses.')).toBeVisible()
    await choose(studio, 'Add a course', sewing.title)
    await choose(studio, 'Add a course', paper.title)
    await expect(studio.getByText('Choose at least 2 courses.')).toBeHidden()
    await expect(studio.getByText('One by one the courses cost €153.00.')).toBeVisible()
  })

  await test.step('its offer publishes it', async () => {
    await expect(studio.getByText('Draft saved')).toBeVisible()
    await studio.getByRole('button', { name: 'Give it a price' }).last().click()
    await studio.getByRole('textbox', { name: 'Price', exact: true }).fill('99')
    await studio.getByRole('button', { name: 'Publish…' }).click()
    await expect(studio.getByRole('dialog').getByText(`This also publishes the bundle “${title}”.`)).toBeVisible()
    await publish().click()
    await studio.getByRole('link', { name: title }).first().click()
    await expect(studio.getByText('saves €54.00 (35 %)')).toBeVisible()
  })

  const slug = title.toLowerCase().replaceAll(' ', '-')
  const who = buyer('Berta Bundle')
  await test.step('the shop says what it holds; bought, every course is open', async () => {
    await shop.goto(`/bundle/${slug}`)
    await expect(shop.getByRole('link', { name: sewing.title })).toBeVisible()
    await expect(shop.getByText('One by one the courses cost €153.00: you save €54.00 (35%).')).toBeVisible()
    await fillCheckout(shop, slug, who, 'Pays')
    await expect(shop.getByText('Today, and the 2 courses are open for good')).toBeVisible()
    await payButton(shop).click()
    await expect(shop.getByRole('heading', { name: `Thank you. ${title} is open.` })).toBeVisible()
    await shop.getByRole('link', { name: `Open ${paper.title}` }).click()
    await expect(shop.getByRole('heading', { name: paper.title })).toBeVisible()
  })

  await test.step('a course that joins is asked about, opens for them, and they are told', async () => {
    await studio.reload()
    await expect(studio.getByText('1 person in Practice.')).toBeVisible()
    await choose(studio, 'Add a course', boxes.title)
    await studio.getByRole('button', { name: 'Publish…' }).click()
    await expect(publish()).toBeDisabled()
    await studio.getByRole('radio', { name: 'Also for the 1 person in Practice who has the bundle' }).check()
    await studio.getByRole('checkbox', { name: 'Tell them by message' }).check()
    await publish().click()
    await expect(studio.getByText(`“${boxes.title}” was opened for one of their orders.`)).toBeVisible({
      timeout: 15_000,
    })
    await shop.goto(`/learn/${boxes.slug}`)
    await expect(shop.getByRole('heading', { name: boxes.title })).toBeVisible()
    await expect
      .poll(async () => (await mailTo(shop, who.email)).map(({ subject }) => subject))
      .toContain(`${boxes.title} is yours too`)
  })

  await test.step('one of its courses is refunded by its share, and closes alone', async () => {
    const [order] = await ordersOf(studio, title)
    await studio.goto(`/studio/orders/${order?.id}`)
    await studio.getByRole('button', { name: 'Refund…' }).click()
    const dialog = studio.getByRole('dialog')
    await dialog.getByRole('radio', { name: 'Some of its courses' }).check()
    await dialog.getByRole('checkbox', { name: paper.title }).check()
    await expect(dialog.getByLabel('How much')).toHaveValue('15.53')
    await dialog.getByRole('radio', { name: 'End access' }).check()
    await dialog.getByLabel('Why').fill('Knows it already')
    await dialog.getByRole('button', { name: 'Refund €15.53' }).click()
    await expect(studio.getByText(`for ${paper.title}`).first()).toBeVisible()
    await shop.goto(`/learn/${paper.slug}`)
    await expect(shop.getByRole('heading', { name: /do not have|Sign in to open/ })).toBeVisible()
    await shop.goto(`/learn/${sewing.slug}`)
    await expect(shop.getByRole('heading', { name: sewing.title })).toBeVisible()
  })
})

test('a course that is in a bundle is retired only when it is said what happens there; a bundle of all follows', async ({
  studio,
  shop,
}) => {
  const first = await makeCourse(studio, unique('First'), 1000)
  const second = await makeCourse(studio, unique('Second'), 1000)
  const third = await makeCourse(studio, unique('Third'), 1000)
  await studio.goto('/studio/sell?new=bundle')
  await studio.getByLabel('Title of the bundle').fill(unique('Pair'))
  await studio.getByRole('button', { name: 'Create it' }).click()
  for (const { title } of [first, second, third]) await choose(studio, 'Add a course', title)
  await expect(studio.getByText('Draft saved')).toBeVisible()
  await studio.getByRole('button', { name: 'Publish…' }).click()
  await studio.getByRole('dialog').getByRole('button', { name: 'Publish now' }).click()
  await expect(studio.getByText('Bundle · published')).toBeVisible()
  const address = studio.url()

  await studio.goto(`/studio/sell/courses/${third.courseId}`)
  await studio.getByRole('button', { name: 'More' }).click()
  await expect(studio.getByRole('menuitem', { name: /^Delete \(/ })).toBeDisabled()
  await studio.getByRole('menuitem', { name: 'Retire' }).click()
  await studio.getByRole('button', { name: /^Take it out for new buyers/ }).click()
  await expect(studio.getByText('Course · retired')).toBeVisible()
  await studio.goto(address)
  await expect(studio.getByRole('button', { name: `Take out ${second.title}` })).toBeVisible()
  await expect(studio.getByRole('button', { name: `Take out ${third.title}` })).toHaveCount(0)

  await studio.getByRole('radio', { name: 'All courses, those to come included' }).check()
  await expect(studio.getByText('Every course that is published.', { exact: false })).toBeVisible()
  await studio.getByRole('button', { name: 'Undo' }).click()
  await expect(studio.getByRole('radio', { name: 'These courses' })).toBeChecked()
  await shop.goto(`/course/${third.slug}`)
  await expect(shop.getByRole('heading', { name: `${third.title} is no longer sold.` })).toBeVisible()
})

test('a bundle in installments: a refunded course no longer counts in what follows, and its page says one thing', async ({
  studio,
  shop,
}) => {
  const sewing = await makeCourse(studio, unique('Sewing'), 6000)
  const paper = await makeCourse(studio, unique('Paper'), 3000)
  const month = { count: 1, unit: 'month' }
  const parts = { kind: 'installments', count: 3, every: month, amount: 3000, total: null, deposit: null, trial: null }
  const bundle = await makeBundle(studio, unique('In parts'), [sewing.courseId, paper.courseId], parts)
  const who = { name: 'Part Payer', email: `${unique('parts').replaceAll(' ', '')}@post.example` }
  await fillCheckout(shop, bundle.slug, who, 'Pays')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()

  await test.step('who has it is told so once, with one way on', async () => {
    await shop.goto(`/buy/${bundle.slug}`)
    await expect(shop.getByText(/^You already pay for its courses; the next payment is on/)).toBeVisible()
    await expect(shop.getByText('You have all of its courses.')).toHaveCount(0)
    await expect(shop.getByRole('link', { name: 'See your payments' })).toHaveCount(1)
  })
  await test.step('an offer that costs more than the courses one by one says so to its creator', async () => {
    const { id } = await post(studio.request, '/api/offers', { productId: bundle.bundleId })
    await reprice(studio, id, 10_000)
    await studio.goto(`/studio/sell/offers/${id}`)
    await expect(studio.getByText('One by one they cost €90.00, €10.00 less.')).toBeVisible()
  })
  await test.step('the dialog says what is still to be paid, and proposes to lower it', async () => {
    const [order] = await ordersOf(studio, bundle.title)
    await studio.goto(`/studio/orders/${order?.id}`)
    await studio.getByRole('button', { name: 'Refund…' }).click()
    const dialog = studio.getByRole('dialog')
    await dialog.getByRole('radio', { name: 'Some of its courses' }).check()
    await dialog.getByRole('checkbox', { name: paper.title }).check()
    await expect(dialog.getByLabel('How much')).toHaveValue('10.00')
    await dialog.getByRole('radio', { name: 'End access' }).check()
    await expect(dialog.getByText('Still to be paid: €60.00, 2 later payments')).toBeVisible()
    await expect(
      dialog.getByRole('radio', { name: 'Take the share of these courses off: €40.00 is left to pay' }),
    ).toBeChecked()
    await dialog.getByLabel('Why').fill('Knows it already')
    await dialog.getByRole('button', { name: 'Refund €10.00' }).click()
    await expect(dialog).toBeHidden()
  })
  await test.step('the order and the buyer see what is left', async () => {
    await expect(studio.getByText('Later payments are lowered to €20.00, from payment 2 on').first()).toBeVisible()
    await expect.poll(async () => (await mailTo(shop, who.email)).map(({ text }) => text).join(' ')).toContain('€20.00')
  })
})
