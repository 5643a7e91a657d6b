import sharp from 'sharp'
import {
  choose,
  chooseCard,
  expect,
  fillCheckout,
  makeCourse,
  ordersOf,
  pageOnBench,
  payButton,
  post,
  publish,
  test,
  unique,
} from './acorn.ts'
import { expectNothingSerious } from './axe.ts'
import { halves, newPage, pagesOf } from './pageBench.ts'

// A bench draws a whole page again and again, which a browser without a graphics card does slowly.

test('a page is copied, written on, published as a campaign, and sells; the order names it', async ({
  studio,
  shop,
}) => {
  const course = await makeCourse(studio, unique('Everyday'), 12_900)
  const [everyday] = await pagesOf(studio, course.courseId)
  const name = unique('Spring')

  await test.step('the page for every day is copied from its menu', async () => {
    await studio.goto(`/studio/sell/pages/${everyday?.id}`)
    await studio.getByRole('button', { name: 'More' }).click()
    await studio.getByRole('menuitem', { name: 'Duplicate' }).click()
    await studio.getByLabel('Name, only for you').fill(name)
    await studio.getByRole('button', { name: 'Create the page' }).click()
    await expect(studio.getByRole('heading', { level: 1, name })).toBeVisible()
  })
  const bench = pageOnBench(studio)

  await test.step('its words are written on the page itself, and are saved by themselves', async () => {
    const title = bench.getByRole('textbox', { name: 'Title', exact: true })
    const pressUntil = (keys: string, text: string) =>
      expect(async () => {
        await studio.keyboard.press(keys)
        await expect(title).toHaveText(text, { timeout: 2000 })
      }).toPass()
    await title.click()
    await studio.keyboard.type('Sew it in spring')
    await expect(title).toHaveText('Sew it in spring')
    // What is typed without a pause is one step; where the machine is slow it may be several.
    await pressUntil('Control+z', '')
    await pressUntil('Control+Shift+z', 'Sew it in spring')
    await studio.getByRole('button', { name: 'Add a part' }).click()
    await studio.getByRole('button', { name: 'Add: Guarantee' }).click()
    const days = studio.getByLabel(/^Days in which buyers/)
    await days.fill('900')
    await expect(studio.getByText('Write a whole number from 1 to 730, or leave it empty.')).toBeVisible()
    await expect(days).toHaveValue('900')
    await days.fill('14')
    await expect(bench.getByRole('heading', { name: 'Your money back within 14 days' })).toBeVisible()
    await expect(studio.getByText('Draft saved')).toBeVisible()
    await studio.reload()
    await expect(bench.getByRole('heading', { level: 1, name: 'Sew it in spring' })).toBeVisible()
  })

  await test.step('it gets an address; another page’s is refused at the field', async () => {
    await studio.getByRole('button', { name: /^Name, address, end/ }).click()
    const address = studio.getByLabel('Address')
    await address.fill(course.slug)
    await studio.getByRole('button', { name: 'Change', exact: true }).click()
    await expect(studio.getByText('Another page has this address, or had it.')).toBeVisible()
    await address.fill(`sew-${course.slug}`)
    await studio.getByRole('button', { name: 'Change', exact: true }).click()
    await expect(studio.getByText(`/buy/sew-${course.slug}`)).toBeVisible()
  })

  await test.step('nobody sees it before it is published, which says what changes', async () => {
    expect((await shop.goto(`/buy/sew-${course.slug}`))?.status()).toBe(404)
    await studio.getByRole('button', { name: 'Publish…' }).click()
    await expect(studio.getByRole('dialog').getByText('Sew it in spring')).toBeVisible()
    await studio.getByRole('dialog').getByRole('button', { name: 'Publish now' }).click()
    await expect(studio.getByText('Buyers see it as it is here.')).toBeVisible()
    await studio.getByRole('button', { name: 'Let the buttons lead here' }).click()
    await expect(
      studio.getByText(/^The buttons of the shop, the basket and the messages lead to this page/),
    ).toBeVisible()
  })

  await test.step('the shop leads to it, a link fills it in, and it sells', async () => {
    await shop.goto(`/course/${course.slug}`)
    await shop.getByRole('link', { name: /^Enrol/ }).click()
    await expect(shop.getByRole('heading', { level: 1, name: 'Sew it in spring' })).toBeVisible()
    const email = `${unique('sew').replaceAll(' ', '')}@post.example`
    await shop.goto(`/buy/sew-${course.slug}?from=letter%20march&name=Ada%20Sew&email=${email}`)
    await expect(shop.getByLabel('Name')).toHaveValue('Ada Sew')
    await chooseCard(shop, 'Pays')
    await payButton(shop).click()
    await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
    const [order] = await ordersOf(studio, course.title)
    await studio.goto(`/studio/orders/${order?.id}`)
    await expect(studio.getByText(`On the checkout page ${name}, version 1 · came from “letter march”`)).toBeVisible()
  })

  await test.step('an old address leads on, and an earlier version is looked at and brought back', async () => {
    await studio.goto(`/studio/sell/pages/${(await pagesOf(studio, course.courseId))[1]?.id}`)
    await studio.getByRole('button', { name: /^Name, address, end/ }).click()
    await studio.getByLabel('Address').fill(`later-${course.slug}`)
    await studio.getByRole('button', { name: 'Change', exact: true }).click()
    await expect(studio.getByText(`/buy/later-${course.slug}`)).toBeVisible()
    await shop.goto(`/buy/sew-${course.slug}?from=old`)
    expect(new URL(shop.url()).pathname + new URL(shop.url()).search).toBe(`/buy/later-${course.slug}?from=old`)
    const title = bench.getByRole('textbox', { name: 'Title', exact: true })
    await title.fill('Sew it in summer')
    await expect(studio.getByText('Draft saved')).toBeVisible()
    await publish(studio)
    await studio.getByRole('button', { name: 'More' }).click()
    await studio.getByRole('menuitem', { name: 'Earlier versions…' }).click()
    await studio.getByRole('button', { name: /^Version 1/ }).click()
    await expect(bench.getByRole('heading', { level: 1, name: 'Sew it in spring' })).toBeVisible()
    await studio.getByRole('button', { name: 'Bring it back into the draft' }).click()
    await expect(title).toHaveText('Sew it in spring')
    await publish(studio)
    await shop.reload()
    await expect(shop.getByRole('heading', { level: 1, name: 'Sew it in spring' })).toBeVisible()
  })
})

test('a page is begun on the shelf before its course has a price: dragged into order, its picture cropped, its code kept', async ({
  studio,
}) => {
  const title = unique('Begun')
  const { id: courseId } = await post(studio.request, '/api/catalogue/courses', { title })
  const bench = pageOnBench(studio)

  await test.step('the drawer of pages may be closed; a name is asked for', async () => {
    await studio.goto(`/studio/sell/courses/${courseId}`)
    await studio.getByRole('button', { name: 'New page' }).click()
    const dialog = studio.getByRole('dialog')
    await dialog.getByRole('button', { name: 'Create the page' }).click()
    await expect(dialog.getByText('A page needs a name.')).toBeVisible()
    await dialog.getByLabel('Name, only for you').fill(title)
    await choose(studio, 'What it sells', title)
    await dialog.getByText('The letter', { exact: true }).click()
    await dialog.getByRole('button', { name: 'Create the page' }).click()
    await expect(bench.getByRole('textbox', { name: 'Title', exact: true })).toBeVisible()
    await expect(
      bench.getByText('The order form stands here once there is an offer to buy.', { exact: false }),
    ).toBeVisible()
    await expect(studio.getByText(`Nothing of ${title} is on sale here: buyers cannot order.`)).toBeVisible()
  })

  await test.step('a part is dragged by the pointer from beside the form to below it', async () => {
    const from = await studio.getByRole('button', { name: 'Move Picture', exact: true }).boundingBox()
    const to = await studio.getByRole('button', { name: 'Move About the teacher', exact: true }).boundingBox()
    if (!from || !to) throw new Error('not shown')
    await studio.mouse.move(from.x + 8, from.y + 8)
    await studio.mouse.down()
    await studio.mouse.move(to.x + 8, to.y - 20, { steps: 12 })
    await studio.mouse.move(to.x + 8, to.y + 12, { steps: 6 })
    await studio.mouse.up()
    await expect(studio.getByText('Draft saved')).toBeVisible()
    const placeOfPicture = async () => {
      const { id = '' } = (await pagesOf(studio, courseId)).find(({ name }) => name === title) ?? {}
      const { draft } = await post(studio.request, `/api/pages/${id}`, undefined, 'GET')
      return draft.parts.find(({ kind }: { kind: string }) => kind === 'picture').place
    }
    await expect.poll(placeOfPicture).toBe('below')
    await studio.getByRole('button', { name: 'Undo' }).click()
    await expect.poll(placeOfPicture).toBe('beside')
  })

  await test.step('a crop shows the part of the picture that was drawn, and the whole comes back', async () => {
    await studio.getByRole('button', { name: /^Picture/ }).click()
    const [chooser] = await Promise.all([
      studio.waitForEvent('filechooser'),
      bench.getByRole('button', { name: 'Choose a picture' }).first().click(),
    ])
    await chooser.setFiles({ name: 'halves.png', mimeType: 'image/png', buffer: await halves() })
    await studio.getByLabel('What can be seen on it').fill('Red, then blue')
    const shown = bench.getByRole('img', { name: 'Red, then blue' })
    const sides = () => shown.evaluate((img: HTMLImageElement) => img.naturalWidth / img.naturalHeight)
    await expect.poll(sides).toBeCloseTo(2, 1)
    await studio.getByRole('button', { name: 'Crop…' }).click()
    const dialog = studio.getByRole('dialog')
    const edge = await dialog.getByRole('button', { name: 'Right edge. Arrow keys move it.' }).boundingBox()
    const whole = await dialog.locator('img').boundingBox()
    if (!edge || !whole) throw new Error('not shown')
    await studio.mouse.move(edge.x + edge.width / 2, edge.y + edge.height / 2)
    await studio.mouse.down()
    await studio.mouse.move(whole.x + whole.width / 2, edge.y, { steps: 10 })
    await studio.mouse.up()
    await dialog.getByRole('button', { name: 'Crop', exact: true }).click()
    await expect(dialog).toHaveCount(0)
    await expect.poll(sides).toBeCloseTo(1, 1)
    await studio.getByRole('button', { name: 'Crop…' }).click()
    await dialog.getByRole('button', { name: 'The whole picture' }).click()
    await dialog.getByRole('button', { name: 'Crop', exact: true }).click()
    await expect.poll(sides).toBeCloseTo(2, 1)
  })

  await test.step('its link as a QR code, and a button that needs no script', async () => {
    await studio.getByRole('button', { name: /^Links and buttons/ }).click()
    await studio.getByLabel('Where its visitors come from').fill('fair & market')
    await expect(studio.getByText(/from=fair%20%26%20market$/)).toBeVisible()
    const [file] = await Promise.all([
      studio.waitForEvent('download'),
      studio.getByRole('button', { name: 'Save as PNG' }).click(),
    ])
    expect(await sharp(await file.path()).metadata()).toMatchObject({ format: 'png', width: 1200, height: 1200 })
    const html = await studio.getByLabel('HTML of the button').inputValue()
    expect(html).toMatch(/^<a href="[^"]+from=fair%20%26%20market"/)
    expect(html).not.toMatch(/<script|onclick/i)
  })
})

test('every part is added, written on, moved by keyboard, and undone', async ({ studio, shop }) => {
  const course = await makeCourse(studio, unique('Parts'), 12_900)
  const { id } = await newPage(studio, course.courseId, { arrangement: 'empty' })
  const bench = pageOnBench(studio)
  const KINDS = [
    'Opening',
    'Logo',
    'Text',
    'Picture',
    'Video',
    'What you get',
    'Lessons',
    'Testimonials',
    'Guarantee',
    'Questions and answers',
    'Price table',
    'About the teacher',
    'Countdown',
    'Divider',
  ]

  await test.step('each is shown as it will look, and is on the page at once', async () => {
    await expect(bench.getByRole('heading', { level: 1, name: course.title })).toBeVisible()
    for (const kind of KINDS) {
      await studio.getByRole('button', { name: 'Add a part' }).click()
      await studio.getByRole('button', { name: `Add: ${kind}`, exact: true }).click()
      await expect(studio.getByRole('button', { name: `Move ${kind}`, exact: true })).toBeVisible()
    }
    // What can be on a page once is not offered again.
    await studio.getByRole('button', { name: 'Add a part' }).click()
    await expect(studio.getByRole('button', { name: 'Add: Divider' })).toBeVisible()
    await expect(studio.getByRole('button', { name: 'Add: Opening' })).toHaveCount(0)
    await studio.keyboard.press('Escape')
  })

  await test.step('words are written on it: lines, testimonials, questions, a text', async () => {
    await bench.getByRole('button', { name: 'Add a line' }).click()
    await studio.keyboard.type('Three filmed lessons')
    // Enter begins another line; erased while it is empty, it goes, and the one before is written on.
    await studio.keyboard.press('Enter')
    const lines = bench.getByRole('textbox', { name: /^Line \d$/ })
    await expect(lines).toHaveCount(2)
    await expect(lines.nth(1)).toBeFocused()
    await studio.keyboard.type('ab')
    for (let press = 0; press < 3; press++) await studio.keyboard.press('Backspace')
    await expect(lines).toHaveCount(1)
    await expect(lines).toBeFocused()
    await studio.keyboard.type(', for good')
    await expect(lines).toHaveText('Three filmed lessons, for good')
    await bench.getByRole('button', { name: 'Add a testimonial' }).click()
    await studio.keyboard.type('I sewed two.')
    await bench.locator('[role=textbox][aria-label=Name]').first().fill('Agnes')
    await bench.getByRole('button', { name: 'Add a question' }).click()
    await studio.keyboard.type('How long does it take?')
    await bench.getByRole('textbox', { name: 'Answer' }).fill('Two afternoons.')
    await bench.getByRole('textbox', { name: 'Text', exact: true }).click()
    await studio.keyboard.type('Dear reader')
    await expect(studio.getByText('Draft saved')).toBeVisible()
  })

  await test.step('a part goes up past the form by keyboard, said aloud; one that cannot stand there stays', async () => {
    const grip = studio.getByRole('button', { name: 'Move Testimonials', exact: true })
    await grip.focus()
    const said = (what: string) => studio.getByRole('status').filter({ hasText: what })
    await studio.keyboard.press('Alt+ArrowUp')
    await expect(said('Testimonials moved up, below the form.')).toBeAttached()
    await studio.keyboard.press('Alt+ArrowUp')
    await expect(said('Testimonials moved up, beside the form.')).toBeAttached()
    await expect(grip).toBeFocused()
    for (let press = 0; press < 4; press++) await studio.keyboard.press('Alt+ArrowUp')
    await expect(said('Testimonials moved up, above the form.')).toBeAttached()
    for (let press = 0; press < 9; press++) await studio.keyboard.press('Alt+ArrowUp')
    await expect(said('Testimonials cannot go further up.')).toBeAttached()
    await expect(grip).toBeFocused()
    // By picking up: space, an arrow, space.
    const place = async () => {
      const grips = studio.getByRole('button', { name: /^Move (?!.*(up|down)$)/ })
      const all = await grips.evaluateAll((found) => found.map((one) => one.ariaLabel))
      return all.indexOf('Move Guarantee')
    }
    const before = await place()
    await studio.getByRole('button', { name: 'Move Guarantee', exact: true }).focus()
    await studio.keyboard.press('Space')
    const wouldBe = said('Guarantee would be')
    await expect(wouldBe).toBeAttached()
    const here = (await wouldBe.textContent()) ?? ''
    await studio.keyboard.press('ArrowDown')
    await expect(wouldBe).not.toHaveText(here)
    await studio.keyboard.press('Space')
    await expect.poll(place).toBe(before + 1)
    await studio.getByRole('button', { name: 'Undo' }).click()
    await expect.poll(place).toBe(before)
    await expect(studio.getByText('Draft saved')).toBeVisible()
  })

  await test.step('on the page too the keyboard stays where it was, when a part is moved or removed', async () => {
    await studio.getByRole('button', { name: /^Guarantee/ }).click()
    const up = bench.getByRole('button', { name: 'Move Guarantee up' })
    await up.focus()
    for (let press = 0; press < 6; press++) {
      await studio.keyboard.press('Enter')
      await expect(up).toBeFocused()
    }
    const remove = bench.getByRole('button', { name: 'Remove Guarantee' })
    await remove.focus()
    await studio.keyboard.press('Enter')
    await expect(studio.getByText('Guarantee is removed. Undo brings it back.')).toBeVisible()
    await expect(studio.getByRole('button', { name: 'Move Guarantee', exact: true })).toHaveCount(0)
    await expect(studio.locator('button[id^="move-"]:focus')).toHaveCount(1)
    await studio.getByRole('button', { name: 'Undo' }).click()
    await expect(studio.getByRole('button', { name: 'Move Guarantee', exact: true })).toBeVisible()
    await expect(studio.getByText('Draft saved')).toBeVisible()
  })

  await test.step('buyers see what says something, and nothing of the rest; nothing keeps anybody from using it', async () => {
    await publish(studio)
    const { slug } = (await pagesOf(studio, course.courseId)).find((page) => page.id === id) ?? { slug: '' }
    await shop.goto(`/buy/${slug}`)
    for (const text of [
      'Three filmed lessons, for good',
      'I sewed two.',
      'How long does it take?',
      'Dear reader',
      'The first lesson',
    ]) {
      await expect(shop.getByText(text)).toBeVisible()
    }
    for (const empty of ['About the teacher', 'Choose how you pay', 'not shown']) {
      await expect(shop.getByText(empty)).toHaveCount(0)
    }
    await expectNothingSerious(shop)
    await studio.goto(`/studio/sell/pages/${id}`)
    await expect(bench.getByRole('heading', { level: 1 })).toBeVisible()
    await expectNothingSerious(studio)
  })
})

test('the page is shown in every state, at every width', async ({ studio }) => {
  const course = await makeCourse(studio, unique('States'), 12_900)
  await newPage(studio, course.courseId, { arrangement: 'short' })
  const bench = pageOnBench(studio)
  const state = async (name: string) => {
    await studio.getByRole('combobox', { name: 'State in which the page is shown' }).click()
    await studio.getByRole('option', { name, exact: true }).click()
  }
  await expect(bench.getByRole('button', { name: 'Pay €129.00', includeHidden: true })).toBeVisible()
  // The gateway's fields are whole in it, with the last of their sample cards.
  const fields = bench.frameLocator('iframe').locator('body')
  await expect(fields.getByText('Expires next month')).toBeAttached()
  const isWhole = async () => {
    const height = await bench.locator('iframe').evaluate((frame) => frame.clientHeight)
    return height >= (await fields.evaluate((body) => body.getBoundingClientRect().height))
  }
  await expect.poll(isWhole).toBe(true)
  for (const [name, seen] of [
    ['Known buyer', /You have|Who you are/],
    ['Already bought', 'You have this course.'],
    ['Card declined', /enough money/i],
    ['Free', 'Get the course'],
    ['With a code', /off/],
    ['Sale over', 'Pay €129.00'],
    ['No payment method', /cannot take payments for this at the moment/],
    ['Page over', /is over\.$/],
  ] as const) {
    await state(name)
    await expect(bench.getByText(seen).first()).toBeVisible()
  }
  await state('First visit')
  for (const width of ['1280', '390', '768']) {
    await studio.getByText(width, { exact: true }).click()
    await expect(studio.locator(`iframe[title="The page at ${width} pixels"]`)).toBeVisible()
  }
})

test('a page that ends while a buyer is on it charges nothing, and says so; a retired one leads on', async ({
  studio,
  shop,
}) => {
  const course = await makeCourse(studio, unique('Ending'), 12_900)
  const { id, name } = await newPage(studio, course.courseId, { arrangement: 'short' })
  await publish(studio)
  const { slug } = (await pagesOf(studio, course.courseId)).find((page) => page.id === id) ?? { slug: '' }
  await fillCheckout(shop, slug, { name: 'Ed End', email: `${slug}@post.example` }, 'Pays')

  // It ends in a moment: published with an end that is just ahead.
  const page = await post(studio.request, `/api/pages/${id}`, undefined, 'GET')
  const ends = { at: new Date(Date.now() + 2500).toISOString(), leadsTo: null }
  const content = { ...page.draft, ends }
  const saved = await post(studio.request, `/api/pages/${id}/draft`, { baseRev: page.draftRev, content }, 'PUT')
  await post(studio.request, `/api/pages/${id}/publish`, { rev: saved.draftRev })
  await expect(async () => expect(Date.now()).toBeGreaterThan(Date.parse(ends.at) + 300)).toPass()
  await payButton(shop).click()
  await expect(shop.getByText('This page ended while you were on it. Nothing was charged.')).toBeVisible()
  expect(await ordersOf(studio, course.title)).toEqual([])
  await shop.reload()
  await expect(shop.getByRole('heading', { name: `${name} is over.` })).toBeVisible()

  await test.step('retired, its address answers 410 with a way on, and the everyday page sells', async () => {
    await post(studio.request, `/api/pages/${id}/retired`, { isRetired: true }, 'PUT')
    expect((await shop.goto(`/buy/${slug}`))?.status()).toBe(410)
    await shop.getByRole('link', { name: 'About the course' }).click()
    await expect(shop.getByRole('link', { name: /^Enrol/ })).toBeVisible()
  })
})

test('another look is shown on three pages before all of them get it', async ({ studio, shop }) => {
  await studio.goto('/studio/setup/looks')
  await studio.getByText('One for all').click()
  const main = studio.getByLabel('Main colour')
  await main.fill('lime')
  await expect(studio.getByText('Write a colour like #8f6220.')).toBeVisible()
  await expect(main).toHaveValue('lime')
  await main.fill('C9DD62')
  await expect(studio.getByText(/White text could not be read on this colour/)).toBeVisible()
  await studio.getByText('Square', { exact: true }).click()
  await expectNothingSerious(studio)
  await studio.getByRole('button', { name: 'Use this look…' }).click()
  await expect(studio.getByRole('dialog').locator('iframe')).toHaveCount(3)
  await studio.getByRole('button', { name: 'Use it everywhere' }).click()
  await expect(studio.getByText('In use.')).toBeVisible()
  await shop.goto('/buy/coptic-binding')
  await expect(shop.getByRole('heading', { level: 1 })).toBeVisible()
  await expectNothingSerious(shop)
  await studio.getByText('The products’ own', { exact: true }).click()
  await studio.getByText('Round', { exact: true }).click()
  await studio.getByRole('button', { name: 'Use this look…' }).click()
  await studio.getByRole('button', { name: 'Use it everywhere' }).click()
  await expect(studio.getByText('In use.')).toBeVisible()
})
