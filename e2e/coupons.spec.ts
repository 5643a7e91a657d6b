import { chooseCard, expect, fillCheckout, makeCourse, ordersOf, payButton, test, unique } from './acorn.ts'

/** A code's word that no other test uses. */
const someone = () => ({ name: 'Cora Code', email: `${unique('cora').replaceAll(' ', '')}@post.example` })
const word = () => unique('C').replace(' ', '-')

test('a coupon from its first word to a sale by its link, with one more code that does not count', async ({
  studio,
  shop,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Coded'), 12_900)
  const code = word()
  await test.step('it says what is missing, and what each offer costs with it', async () => {
    await studio.goto('/studio/sell')
    await studio.getByRole('button', { name: 'New coupon' }).click()
    await expect(studio.getByRole('heading', { name: 'New coupon' })).toBeVisible()
    await expect(studio.getByText('Choose the word that buyers type.')).toBeVisible()
    await studio.getByRole('textbox', { name: 'Code' }).fill('not a word')
    await expect(studio.getByText('Use only A to Z, digits, - and _.').first()).toBeVisible()
    await studio.getByRole('textbox', { name: 'Code' }).fill(code)
    await expect(
      studio.getByRole('row', { name: `${title}, One payment €129.00 €116.10` }),
      'the offer with a tenth off',
    ).toBeVisible()
  })
  await test.step('published, its code is a link', async () => {
    await studio.getByRole('button', { name: 'Publish…' }).click()
    await studio
      .getByRole('dialog')
      .getByRole('button', { name: /^Publish/ })
      .click()
    await expect(studio.getByText('Coupon · published')).toBeVisible()
    await expect(studio.getByRole('button', { name: 'Copy the link' })).toBeVisible()
    await expect(studio.getByText('No order used it yet.')).toBeVisible()
  })
  await test.step('the link carries it; another code says why it does not count, and is taken out', async () => {
    await shop.goto(`/buy/${slug}?code=${code.toLowerCase()}`)
    await expect(shop.getByText('€12.90 off')).toBeVisible()
    await expect(payButton(shop)).toHaveText('Pay €116.10')
    await shop.getByRole('button', { name: 'Another code?' }).click()
    await shop.getByLabel('Code', { exact: true }).fill('nosuch')
    await shop.keyboard.press('Enter')
    await expect(shop.getByText('There is no code like this. Check how it is written.')).toBeVisible()
    await expect(payButton(shop)).toHaveText('Pay €116.10')
    await shop.reload()
    await expect(shop.getByText('There is no code like this. Check how it is written.')).toBeVisible()
    await shop.getByRole('button', { name: 'Remove nosuch' }).click()
  })
  const who = someone()
  await shop.getByLabel('Name').fill(who.name)
  await shop.getByLabel('Email').fill(who.email)
  await chooseCard(shop, 'Pays')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: `Thank you. ${title} is open.` })).toBeVisible()
  await expect(shop.getByText('-€12.90')).toBeVisible()
  const [order] = await ordersOf(studio, title)
  await studio.goto(`/studio/orders/${order?.id}`)
  await expect(studio.getByText(`Code ${code}: €12.90 off`)).toBeVisible()
})

test('a code that takes everything off needs no card; ended, it says so and the price is whole again', async ({
  studio,
  shop,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Given'), 12_900)
  const code = word()
  await studio.goto('/studio/sell')
  await studio.getByRole('button', { name: 'New coupon' }).click()
  await studio.getByRole('textbox', { name: 'Code' }).fill(code)
  await studio.getByRole('textbox', { name: 'How much off, 0 to 100' }).fill('100')
  await studio.getByRole('button', { name: 'Publish…' }).click()
  await studio
    .getByRole('dialog')
    .getByRole('button', { name: /^Publish/ })
    .click()
  await expect(studio.getByText('Coupon · published')).toBeVisible()

  await fillCheckout(shop, slug, someone(), null)
  await shop.getByRole('button', { name: 'Have a code?' }).click()
  await shop.getByRole('button', { name: 'Apply' }).click()
  await expect(shop.getByText('Write the code.')).toBeVisible()
  await shop.getByLabel('Code', { exact: true }).fill(code)
  await shop.getByRole('button', { name: 'Apply' }).click()
  await expect(payButton(shop)).toHaveText('Get the course')
  await expect(shop.locator('iframe')).toBeHidden()
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: `Thank you. ${title} is open.` })).toBeVisible()

  await studio.reload()
  await expect(
    studio.getByText(
      /1 order.* of 1 buyer used it\. €0\.00 was received so far for what it reduced, less refunds; €129\.00 was taken off those payments\./,
    ),
  ).toBeVisible()
  await studio.getByRole('button', { name: 'End now' }).click()
  await expect(studio.getByText('Coupon · ended')).toBeVisible()
  await shop.context().clearCookies()
  await shop.goto(`/buy/${slug}?code=${code}`)
  await expect(shop.getByText(/^It ended on \d/)).toBeVisible()
  await expect(payButton(shop)).toHaveText('Pay €129.00')
})

test('a set of single-use codes, from making it to the second try with a used one, as a file, and withdrawn', async ({
  studio,
  shop,
  browser,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Fair'), 12_900)
  await studio.goto('/studio/sell')
  await studio.getByRole('button', { name: 'New coupon' }).click()
  await studio.getByRole('radio', { name: 'A set of single-use codes' }).click()
  await expect(studio.getByText('The codes are made once the set is published.')).toBeVisible()
  await studio.getByRole('textbox', { name: 'Name of the set' }).fill(unique('Fair'))
  await studio.getByRole('textbox', { name: 'Beginning of the codes' }).fill('fair-')
  await studio.getByRole('button', { name: 'Publish…' }).click()
  await studio
    .getByRole('dialog')
    .getByRole('button', { name: /^Publish/ })
    .click()
  await expect(studio.getByText('No codes yet.')).toBeVisible()
  await studio.getByRole('textbox', { name: 'How many codes, 1 to 10000' }).fill('600')
  await studio.getByRole('button', { name: 'Make them' }).click()
  await expect(studio.getByText('600 codes: 600 unused', { exact: false })).toBeVisible()
  const download = studio.waitForEvent('download')
  await studio.getByRole('link', { name: 'Download as CSV' }).click()
  const { readFileSync } = await import('node:fs')
  const rows = readFileSync(await (await download).path(), 'utf8').split('\r\n')
  expect(rows).toHaveLength(601)
  const [code, next] = rows.slice(1, 3).map((row) => row.split(',')[0] ?? '')
  expect(code).toMatch(/^FAIR-[2-9A-Z]{10}$/)

  const pay = async (page: typeof shop) => {
    const who = someone()
    await page.getByLabel('Name').fill(who.name)
    await page.getByLabel('Email').fill(who.email)
    await chooseCard(page, 'Pays')
    await payButton(page).click()
    await expect(page.getByRole('heading', { name: `Thank you. ${title} is open.` })).toBeVisible()
  }
  await shop.goto(`/buy/${slug}?code=${code}`)
  await expect(payButton(shop)).toHaveText('Pay €116.10')
  await pay(shop)
  const context = await browser.newContext({ viewport: { width: 1280, height: 1200 } })
  const other = await context.newPage()
  await other.goto(`${new URL(shop.url()).origin}/buy/${slug}?code=${code}`)
  await expect(other.getByText('It has been used as often as it can be.')).toBeVisible()
  await expect(payButton(other)).toHaveText('Pay €129.00')
  await context.close()

  await studio.reload()
  await expect(studio.getByText('599 unused', { exact: false })).toBeVisible()
  await expect(studio.getByRole('link', { name: /^Cora Code, order/ })).toBeVisible()
  await studio.getByRole('button', { name: `Withdraw: ${next}` }).click()
  await expect(studio.getByText('1 withdrawn', { exact: false })).toBeVisible()

  const given = unique('given').replaceAll(' ', '-')
  const csv = (text: string) => ({ name: 'codes.csv', mimeType: 'text/csv', buffer: Buffer.from(text) })
  await studio.getByLabel('CSV file with codes').setInputFiles(csv(`code\r\n${given}\r\nnot good\r\n`))
  const dialog = studio.getByRole('dialog')
  await dialog.getByRole('button', { name: 'Take the codes' }).click()
  await expect(dialog.getByText('Nothing was taken.')).toBeVisible()
  await expect(dialog.getByText('A code has 1 to 40 letters', { exact: false })).toBeVisible()
  await dialog.getByRole('button', { name: 'Choose again' }).click()
  await dialog.getByRole('button', { name: 'Take the codes' }).click()
  await expect(dialog.getByText('1 code taken.')).toBeVisible()
  await dialog.getByRole('button', { name: 'Close' }).click()
  await expect(studio.getByText('599 unused', { exact: false })).toBeVisible()
})
