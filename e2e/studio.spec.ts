import { expect, fillCheckout, makeCourse, ordersOf, payButton, post, signedIn, test, unique } from './acorn.ts'

test('undo and redo through an edit, by keys, and the draft follows', async ({ studio }) => {
  const { offerId } = await makeCourse(studio, unique('Undo'), 4800)
  await studio.clock.install()
  await studio.goto(`/studio/sell/offers/${offerId}`)
  const price = studio.getByLabel('Price', { exact: true })
  const name = studio.getByLabel('Name of the offer')
  await price.fill('52')
  // Edits within a moment are one step.
  await studio.clock.fastForward(800)
  await name.fill('In one go')
  await studio.keyboard.press('Control+z')
  await expect(name).toHaveValue('One payment')
  await studio.keyboard.press('Control+z')
  await expect(price).toHaveValue('48.00')
  await studio.keyboard.press('Control+Shift+z')
  await expect(price).toHaveValue('52.00')
  await expect(studio.getByText('Draft saved')).toBeVisible()
  expect(await post(studio.request, `/api/offers/${offerId}`, undefined, 'GET')).toMatchObject({
    draft: { name: 'One payment', terms: { amount: 5200 } },
    live: { terms: { amount: 4800 } },
  })
})

test('two tabs on one offer: the second is told, shown both, and chooses', async ({ studio }) => {
  const { offerId } = await makeCourse(studio, unique('Tabs'), 4800)
  const other = await studio.context().newPage()
  for (const page of [studio, other]) await page.goto(`/studio/sell/offers/${offerId}`)
  await studio.bringToFront()
  await studio.getByLabel('Price', { exact: true }).fill('60')
  await expect(studio.getByText('Draft saved')).toBeVisible()
  await other.bringToFront()
  await other.getByLabel('Price', { exact: true }).fill('70')
  const dialog = other.getByRole('dialog')
  await expect(dialog).toContainText('changed in another window')
  await expect(dialog).toContainText('€60.00 today')
  await expect(dialog).toContainText('€70.00 today')
  expect(await post(studio.request, `/api/offers/${offerId}`, undefined, 'GET')).toMatchObject({
    draft: { terms: { amount: 6000 } },
  })
  await dialog.getByRole('button', { name: 'Take what the other window saved' }).click()
  await expect(other.getByLabel('Price', { exact: true })).toHaveValue('60.00')
})

test('the name of a course that is emptied is refused at the field, and nothing is lost', async ({ studio }) => {
  const { courseId, title } = await makeCourse(studio, unique('Named'), 4800)
  await studio.goto(`/studio/sell/courses/${courseId}`)
  const field = studio.getByRole('textbox', { name: 'Title of the course' })
  await field.fill('')
  await expect(studio.getByRole('alert').filter({ hasText: 'A course needs a title.' })).toBeVisible()
  await field.fill(`${title}, again`)
  await expect(studio.getByText('Draft saved')).toBeVisible()
})

test('without a connection an act is refused at once, and not done later by itself', async ({ studio }) => {
  const title = unique('Offline')
  await studio.goto('/studio/sell')
  await studio.getByRole('button', { name: 'New course' }).click()
  const field = studio.getByLabel('Title of the course')
  await field.fill(title)
  await studio.context().setOffline(true)
  await studio.getByRole('button', { name: 'Create it' }).click()
  await expect(studio.getByRole('alert')).toContainText('The server does not answer. Nothing you typed is lost')
  await studio.context().setOffline(false)
  await expect(field).toHaveValue(title)
  await studio.goto('/studio/sell')
  await expect(studio.getByRole('heading', { name: 'Coptic binding' })).toBeVisible()
  await expect(studio.getByRole('heading', { name: title })).toHaveCount(0)
})

test('a text file named .png is refused in words', async ({ studio }) => {
  const { courseId } = await makeCourse(studio, unique('Cover'), 4800)
  await studio.goto(`/studio/sell/courses/${courseId}`)
  await studio
    .getByLabel('Cover picture')
    .setInputFiles({ name: 'cover.png', mimeType: 'image/png', buffer: Buffer.from('just text') })
  await expect(studio.getByRole('alert')).toContainText('not a picture that can be read')
})

test('off sale at once, then retired; a sold course cannot be deleted', async ({ studio, shop }) => {
  const { courseId, offerId, slug, title } = await makeCourse(studio, unique('Retiring'), null)
  await fillCheckout(shop, slug, { name: 'Ada', email: 'ada.retiring@post.example' }, null)
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  await studio.goto(`/studio/sell/offers/${offerId}`)
  await studio.getByRole('button', { name: 'Take off sale' }).click()
  await expect(studio.getByLabel('Preview').getByText('Taken off sale.')).toBeVisible()
  await studio.getByLabel('Preview').getByRole('button', { name: 'Put on sale' }).click()
  await expect(studio.getByRole('button', { name: 'Take off sale' })).toBeVisible()
  await studio.goto(`/studio/sell/courses/${courseId}`)
  await studio.getByRole('button', { name: 'More' }).click()
  await expect(studio.getByRole('menuitem', { name: 'Delete (was sold)' })).toBeDisabled()
  await studio.getByRole('menuitem', { name: 'Retire' }).click()
  await expect(studio.getByLabel('Bench').getByRole('button', { name: 'Bring back' })).toBeVisible()
  await shop.goto('/')
  await expect(shop.getByRole('link', { name: title })).toHaveCount(0)
  await shop.goto(`/learn/${slug}`)
  await expect(shop.getByRole('link', { name: 'Begin: The first lesson' })).toBeVisible()
})

test('a gateway is connected by id and key, with the reason where it is not', async ({ studio }) => {
  await studio.goto('/studio/setup/gateways')
  await studio.getByRole('button', { name: 'Change the key' }).first().click()
  await studio.getByLabel('Secret key for Practice').fill('nonsense')
  await studio.getByRole('button', { name: 'Check and connect' }).click()
  await expect(studio.getByRole('alert')).toHaveText('This key does not open this account.')
  await studio.getByRole('button', { name: 'Cancel' }).click()
  await expect(studio.getByText(/secret key ending/)).toHaveCount(2)
})

test('what the server refuses, or does not answer, is told where no screen has a place for it', async ({ studio }) => {
  const { offerId, title } = await makeCourse(studio, unique('Refused'), 4800)
  await studio.goto(`/studio/sell/offers/${offerId}`)
  await studio.route('**/api/offers/*/duplicate', (route) => route.abort())
  await studio.getByRole('button', { name: 'More' }).click()
  await studio.getByRole('menuitem', { name: /^Duplicate/ }).click()
  await expect(studio.getByText('The server does not answer. Nothing you typed is lost; try again.')).toBeVisible()
  await studio.unroute('**/api/offers/*/duplicate')
  await studio.getByRole('button', { name: 'More' }).click()
  await studio.getByRole('menuitem', { name: /^Duplicate/ }).click()
  await expect(studio.getByText(`${title} · offer 2 of 2`)).toBeVisible()
})

test('practice and live are kept apart in every list', async ({ browser, shop }) => {
  const studio = await signedIn(browser)
  const { slug, title } = await makeCourse(studio, unique('Apart'), null)
  await fillCheckout(shop, slug, { name: 'Practising Paula', email: 'paula.apart@post.example' }, null)
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  expect(await ordersOf(studio, title)).toHaveLength(1)
  await studio.goto('/studio/people')
  await studio.getByRole('button', { name: 'Mode: Practice' }).click()
  await studio.getByRole('menuitem', { name: 'Switch to Live' }).click()
  await expect(studio.getByRole('button', { name: 'Mode: Live' })).toBeVisible()
  await studio.getByLabel('Search people').fill('Paula')
  await expect(studio.getByText('No results.')).toBeVisible()
  expect(await ordersOf(studio, title)).toHaveLength(0)
  await studio.goto('/')
  await expect(studio.getByText('Live; only you see it.')).toBeVisible()
  await studio.context().close()
})

test('a course is given by hand with a note, and taken back', async ({ studio }) => {
  const { title } = await makeCourse(studio, unique('Given'), 4800)
  await studio.goto('/studio/people')
  await studio.getByRole('button', { name: 'Add someone' }).click()
  await studio.getByLabel('Name', { exact: true }).fill('Gero Gift')
  await studio.getByLabel('Email').fill(`${unique('gero').replaceAll(' ', '')}@post.example`)
  await studio.getByRole('button', { name: 'Add', exact: true }).click()
  await studio.getByRole('button', { name: 'Give access…' }).click()
  const dialog = studio.getByRole('dialog')
  await dialog.getByRole('button', { name: 'Give access' }).click()
  await expect(dialog.getByRole('alert').first()).toHaveText('Choose a course.')
  await dialog.getByRole('checkbox', { name: title }).check()
  await dialog.getByLabel('Why').fill('Won it at the fair')
  await dialog.getByRole('button', { name: 'Give access' }).click()
  await expect(studio.getByText('given by the school, “Won it at the fair”')).toBeVisible()
  await studio.getByRole('button', { name: 'Set a last day…' }).click()
  await studio.getByLabel('Last day').fill('24 December 2030')
  await studio.getByRole('button', { name: 'Save', exact: true }).click()
  await expect(studio.getByText(/Open until 25 December 2030/)).toBeVisible()
  await studio.getByRole('button', { name: 'Remove access…' }).click()
  await studio.getByLabel('Why').fill('It was another Gero')
  await studio.getByRole('button', { name: 'Remove access' }).click()
  await expect(studio.getByText('“It was another Gero”').first()).toBeVisible()
})

test('Ctrl+K finds a course and goes there', async ({ studio }) => {
  const { title } = await makeCourse(studio, unique('Findable'), 4800)
  await studio.goto('/studio/orders')
  await expect(studio.getByRole('heading', { name: 'Orders in Practice' })).toBeVisible()
  await studio.keyboard.press('Control+k')
  await studio.keyboard.type(title)
  await studio.keyboard.press('Enter')
  await expect(studio.getByRole('textbox', { name: 'Title of the course' })).toHaveValue(title)
})

test('the keyboard’s focus is always somewhere: from the shelf, in a sentence, after a dialog', async ({ studio }) => {
  const { offerId, title } = await makeCourse(studio, unique('Focused'), 4900)
  await studio.goto(`/studio/sell/offers/${offerId}`)
  const focused = () =>
    studio.evaluate(() => {
      const at = document.activeElement
      return at && at !== document.body ? (at.getAttribute('aria-label') ?? at.textContent ?? at.tagName) : null
    })
  await studio.getByRole('button', { name: 'Add a sale price' }).press('Enter')
  await expect(studio.getByLabel('Sale price', { exact: true })).toBeVisible()
  await expect.poll(focused).not.toBeNull()
  await studio.getByRole('button', { name: 'Remove the sale price' }).press('Enter')
  await expect(studio.getByRole('button', { name: 'Add a sale price' })).toBeVisible()
  await expect.poll(focused).not.toBeNull()

  const kinds = studio.getByRole('radiogroup', { name: 'Kind of price' })
  await kinds.getByRole('radio', { name: 'One-time' }).focus()
  await studio.keyboard.press('ArrowRight')
  await expect(kinds.getByRole('radio', { name: 'Installments' })).toBeChecked()
  expect(await focused()).toBe('Installments')

  await studio.getByRole('link', { name: title, exact: true }).first().press('Enter')
  await expect(studio.getByLabel('Title of the course')).toBeVisible()
  await expect.poll(focused).not.toBeNull()

  await studio.keyboard.press('Control+k')
  await expect(studio.getByPlaceholder(/^A course, a coupon/)).toBeFocused()
  await studio.keyboard.press('Escape')
  await expect(studio.getByPlaceholder(/^A course, a coupon/)).toBeHidden()
  await expect.poll(focused).not.toBeNull()

  await studio.goto('/studio/orders')
  await expect(studio.getByRole('heading', { name: 'Orders in Practice' })).toBeVisible()
  await studio.keyboard.press('Tab')
  await expect(studio.getByRole('link', { name: 'Skip to content' })).toBeFocused()
  await studio.keyboard.press('Enter')
  await expect(studio.getByLabel('Bench')).toBeFocused()
})

test('nothing is said to be empty before that is known; what takes a while has its shape', async ({ studio }) => {
  for (const [path, request, empty] of [
    ['/studio/money', '**/api/money/payments?*', 'No payment here.'],
    ['/studio/orders', '**/api/orders?*', 'No orders in'],
    ['/studio/people', '**/api/people?*', 'Nobody yet.'],
  ] as const) {
    let release = () => {}
    const held = new Promise<void>((done) => {
      release = done
    })
    await studio.route(request, async (route) => {
      await held
      await route.continue()
    })
    await studio.goto(path)
    await expect(studio.getByText('Loading…').first()).toBeAttached()
    await expect(studio.getByText(empty)).toHaveCount(0)
    release()
    await expect(studio.getByText('Loading…')).toHaveCount(0)
    await studio.unroute(request)
  }
})

test('the list of orders goes on while it is scrolled, takes the arrow keys, and keeps its place', async ({
  studio,
}) => {
  await studio.goto('/studio/orders')
  const list = studio.getByRole('list', { name: 'Orders', exact: true })
  const links = list.getByRole('link')
  await expect(links.first()).toBeVisible()
  const first = await links.count()
  await links.first().focus()
  await studio.keyboard.press('ArrowDown')
  await expect(links.nth(1)).toBeFocused()
  await studio.keyboard.press('End')
  await expect.poll(() => links.count()).toBeGreaterThan(first)
  const top = () => list.evaluate((element) => element.parentElement?.scrollTop ?? 0)
  await list.evaluate((element) => element.parentElement?.scrollTo({ top: 1500 }))
  await expect.poll(top).toBe(1500)
  // The place is noted as it is scrolled.
  await expect.poll(() => studio.evaluate(() => JSON.stringify(sessionStorage))).toContain('1500')
  await studio.reload()
  await expect.poll(top).toBe(1500)
  expect(await links.count()).toBeGreaterThan(first)
})
