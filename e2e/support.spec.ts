import type { Page } from '@playwright/test'
import { addDays, after } from '../src/core/calendar/day.ts'
import { formatDay } from '../src/core/calendar/formatDay.ts'
import {
  expect,
  fillCheckout,
  mailTo,
  makeCourse,
  ordersOf,
  payButton,
  post,
  pressOnce,
  takenFor,
  test,
  unique,
} from './acorn.ts'

const month = { count: 1, unit: 'month' }
const monthly = { kind: 'subscription', amount: 1900, every: month, payments: null, setupFee: null, trial: null }
const yearly = { ...monthly, amount: 19_000, every: { count: 1, unit: 'year' } }
const parts = { kind: 'installments', count: 4, every: month, amount: 4300, total: null, deposit: null, trial: null }
const whilePaying = { access: { from: null, lasts: 'whilePaying', graceDays: 3 } }
const someone = (name: string) => ({
  name,
  email: `${unique(name).replace(/[^\w]/g, '').toLowerCase()}@post.example`,
})
type Who = ReturnType<typeof someone>

async function buy(shop: Page, slug: string, who: Who) {
  await fillCheckout(shop, slug, who, 'Pays')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
}

/** The newest message to an address that holds some words. */
async function mail(page: Page, address: string, words: string | RegExp): Promise<string> {
  const found = async () =>
    (await mailTo(page, address)).find(({ subject, text }) => `${subject}\n${text}`.match(words))
  await expect.poll(async () => (await found()) !== undefined).toBe(true)
  const { subject, text } = (await found()) as { subject: string; text: string }
  return `${subject}\n${text}`
}
const linkOf = (text: string, path: string) => new RegExp(`http\\S+/${path}/\\S+`).exec(text)?.[0] as string

async function setPassword(shop: Page, who: Who) {
  await shop.goto(linkOf(await mail(shop, who.email, /\/password\//), 'password'))
  await shop.getByLabel('New password').fill('a long enough password')
  await pressOnce(shop, 'Save and open my courses')
  await expect(shop.getByRole('heading', { name: 'My courses' })).toBeVisible()
}

/** Finds something with the palette, and opens the first that fits. */
async function find(studio: Page, typed: string, name: RegExp) {
  await studio.goto('/studio/orders')
  await studio.getByRole('button', { name: /^Find or do/ }).click()
  await studio.getByPlaceholder(/^A course, a coupon/).fill(typed)
  await expect(studio.getByRole('option', { name }).first()).toBeVisible()
  await studio.getByRole('option', { name }).first().click()
}
const bench = (studio: Page) => studio.getByLabel('Bench')

test('bought with the wrong address: the receipt is read, and sent again to the right one, with links that work', async ({
  studio,
  shop,
  browser,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Typo'), 4900)
  const wrong = someone('Zoë Weiß')
  await buy(shop, slug, wrong)
  await mail(shop, wrong.email, 'Your receipt')
  const [order] = await ordersOf(studio, title)
  await find(studio, String(order?.number), new RegExp(`^${order?.number} · Zoë`))
  const row = studio
    .getByLabel('Preview')
    .locator('div', { hasText: /^receipt/ })
    .first()
  await row.getByRole('button', { name: 'Read…' }).click()
  const dialog = studio.getByRole('dialog')
  await expect(dialog.frameLocator('iframe').getByText('is paid and open')).toBeVisible()
  await dialog.getByLabel('Send it again to').fill('nonsense')
  await dialog.getByRole('button', { name: 'Send it again' }).click()
  await expect(dialog.getByText('Write an email address')).toBeVisible()
  const right = `${unique('right').replaceAll(' ', '')}@post.example`
  await dialog.getByLabel('Send it again to').fill(right)
  await expect(dialog.getByText('This becomes the buyer’s email')).toBeVisible()
  await dialog.getByRole('button', { name: 'Send it again' }).click()
  await expect(dialog).toBeHidden()
  await expect(bench(studio).getByText(right)).toBeVisible()
  const text = await mail(shop, right, 'Your receipt')

  // On another device, as their owner has it.
  const phone = await browser.newContext({ viewport: { width: 390, height: 844 } })
  const page = await phone.newPage()
  await page.goto(linkOf(text, 'order'))
  await expect(page.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  const pdf = await page.getByRole('link', { name: 'Receipt as PDF' }).getAttribute('href')
  expect((await page.request.get(new URL(pdf ?? '', page.url()).href)).headers()['content-type']).toBe(
    'application/pdf',
  )
  await setPassword(page, { name: 'Zoë', email: right })
  await expect(page.getByRole('heading', { name: title })).toBeVisible()
  await phone.close()
})

test('who cancelled comes back without a charge; and goes from monthly to yearly, told of the overlap', async ({
  studio,
  shop,
}) => {
  const { slug, title, courseId } = await makeCourse(studio, unique('Club'), monthly, whilePaying)
  const who = someone('Nina Club')
  await buy(shop, slug, who)
  await setPassword(shop, who)
  const cancel = async () => {
    await shop.goto('/my')
    await shop.getByRole('link', { name: 'Manage' }).click()
    await shop.getByRole('button', { name: 'Cancel…' }).click()
    await shop.getByRole('button', { name: 'Cancel it' }).click()
    await expect(shop.getByRole('heading', { name: 'Cancelled. Nothing more is charged.' })).toBeVisible()
  }
  await cancel()
  await shop.goto(`/buy/${slug}`)
  await expect(shop.getByText('You cancelled it; you can undo that without a charge.')).toBeVisible()
  await shop.getByRole('link', { name: 'Undo the cancellation' }).click()
  await shop.getByRole('button', { name: 'Undo the cancellation' }).click()
  await expect(shop.getByRole('heading', { name: 'No longer cancelled. Nothing was charged.' })).toBeVisible()
  await mail(shop, who.email, `${title} is no longer cancelled`)

  const { id: other } = await post(studio.request, '/api/offers', { productId: courseId })
  const { draftRev, draft } = await post(studio.request, `/api/offers/${other}`, undefined, 'GET')
  const content = { ...draft, ...whilePaying, name: 'A year', terms: yearly }
  const saved = await post(studio.request, `/api/offers/${other}/draft`, { baseRev: draftRev, content }, 'PUT')
  await post(studio.request, `/api/offers/${other}/publish`, { rev: saved.draftRev })
  await cancel()
  await shop.goto(`/buy/${slug}`)
  await expect(shop.getByText(/You have this course until .* is paid today and starts today/)).toBeVisible()
  await shop.frameLocator('iframe[title^="Card"]').getByRole('button', { name: 'Pays', exact: true }).click()
  await shop.getByRole('button', { name: /^Pay €190/ }).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  expect((await takenFor(shop, title)).map(({ amount }) => amount)).toEqual([1900, 19_000])
})

test('the rest of a plan is paid at once, and the order, the plan and the books say the same', async ({
  studio,
  shop,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Rest'), parts)
  const who = someone('Otto Rest')
  await buy(shop, slug, who)
  await setPassword(shop, who)
  await shop.getByRole('link', { name: 'Manage' }).click()
  await shop.getByRole('button', { name: 'Pay all that is left, €129.00' }).click()
  await expect(shop.getByText('After that nothing more is due.')).toBeVisible()
  await shop.getByRole('button', { name: /^Pay €129\.00 by card ending/ }).dblclick()
  await expect(shop.getByRole('heading', { name: '€129.00 received. Thank you.' })).toBeVisible()
  expect((await takenFor(shop, title)).map(({ amount }) => amount)).toEqual([4300, 12_900])
  const [order] = await ordersOf(studio, title)
  await studio.goto(`/studio/orders/${order?.id}`)
  await expect(bench(studio).getByText('all 4 paid')).toBeVisible()
  await expect(bench(studio).getByRole('heading', { name: '€172.00' })).toBeVisible()
  expect(await mail(shop, who.email, 'no further payments are charged')).toContain('€43.00')
})

test('a due day is moved as it is typed, the course stays open to it, and the buyer is told', async ({
  studio,
  shop,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Moved'), monthly, whilePaying)
  const who = someone('Mila Moved')
  await buy(shop, slug, who)
  const [order] = await ordersOf(studio, title)
  await studio.goto(`/studio/orders/${order?.id}`)
  await studio.getByRole('button', { name: 'Move the next due day…' }).click()
  const dialog = studio.getByRole('dialog')
  const { day: today } = await post(studio.request, '/api/school/practice', undefined, 'GET')
  const moved = addDays(after(today, 1, { count: 1, unit: 'month' }), 9)
  await dialog.getByLabel('New day').fill('the fifth')
  await dialog.getByLabel('New day').fill(formatDay(moved, 'en'))
  await dialog.getByLabel('Why').fill('gets paid on that day')
  await dialog.getByRole('button', { name: 'Move it' }).click()
  await expect(dialog).toBeHidden()
  await expect(bench(studio).getByText(`charged on ${formatDay(moved, 'en')}`)).toBeVisible()
  await expect(bench(studio).getByText(`Open until ${formatDay(addDays(moved, 3), 'en')}`)).toBeVisible()
  expect(await mail(shop, who.email, 'is now due on')).toContain('stays open until then')
})

test('a transfer in several sums, too much of it, and once more: every list says what came and what is missing', async ({
  studio,
  shop,
  browser,
}) => {
  const price = 40_000 + (Date.now() % 9000)
  const euros = (cents: number) => `€${(cents / 100).toFixed(2)}`
  const { slug, title } = await makeCourse(studio, unique('Wire'), price)
  const who = someone('Søren Wire')
  await fillCheckout(shop, slug, who, null)
  await shop.getByRole('radio', { name: /Bank transfer/ }).check()
  await shop.getByRole('button', { name: /^Order and transfer/ }).click()
  await expect(shop.getByRole('heading', { name: /^Thank you. Please transfer/ })).toBeVisible()
  // By the amount on the bank's paper, as a bank writes it.
  await find(studio, (price / 100).toFixed(2).replace('.', ','), /Søren Wire/)
  await bench(studio).getByRole('button', { name: 'Mark as received…' }).click()
  const dialog = studio.getByRole('dialog')
  await dialog.getByLabel('How much was received').fill('0')
  await dialog.getByRole('button', { name: 'Mark as received' }).click()
  await expect(dialog.getByText('it cannot be 0')).toBeVisible()
  await dialog.getByLabel('How much was received').fill('100')
  await dialog.getByRole('button', { name: 'Mark as received' }).click()
  await expect(dialog).toBeHidden()
  const said = `€100.00 received, ${euros(price - 10_000)} missing`
  await expect(bench(studio).getByText(said)).toBeVisible()
  await studio.getByLabel('Search orders').fill('soren wire')
  await expect(studio.getByLabel('Orders', { exact: true }).getByText(said).first()).toBeVisible()

  await bench(studio).getByRole('button', { name: 'Mark as received…' }).click()
  await dialog.getByRole('button', { name: 'Mark as received' }).click()
  await expect(dialog).toBeHidden()
  await expect(bench(studio).getByText('Open for good')).toBeVisible()
  await bench(studio).getByRole('button', { name: 'Record another transfer…' }).click()
  await dialog.getByLabel('How much was received').fill('50')
  await dialog.getByRole('button', { name: 'Mark as received' }).click()
  await expect(dialog).toBeHidden()
  await expect(bench(studio).getByText(/not owed, received on/)).toBeVisible()
  await studio.goto('/studio/orders')
  await studio
    .getByRole('link', { name: /transfer not owed.*Søren Wire/ })
    .first()
    .click()
  await bench(studio).getByRole('button', { name: 'Note that you gave it back…' }).click()
  await dialog.getByLabel('Why').fill('sent back today')
  await dialog.getByRole('button', { name: 'Note it' }).click()
  await expect(bench(studio).getByText(/not owed; returned on/)).toBeVisible()
  const [order] = await ordersOf(studio, title)
  expect(order?.state).toBe('paid')
  // The link in the message works where nobody ever ordered.
  const text = await mail(shop, who.email, 'please transfer')
  const elsewhere = await browser.newContext()
  const page = await elsewhere.newPage()
  await page.goto(linkOf(text, 'order'))
  await expect(page.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  await elsewhere.close()
})

test('a course taken back asks what becomes of its subscription; a person is corrected, joined and deleted', async ({
  studio,
  shop,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Taken'), monthly, whilePaying)
  const who = someone('Tara Taken')
  await buy(shop, slug, who)
  const second = someone('Tara Double')
  const { slug: once } = await makeCourse(studio, unique('Once'), 900)
  await buy(shop, once, second)
  await find(studio, who.email, /^Tara Taken/)
  const dialog = studio.getByRole('dialog')

  await test.step('the address', async () => {
    await studio.getByRole('button', { name: 'Correct the details…' }).click()
    await dialog.getByLabel('Email').fill(second.email)
    await dialog.getByLabel('Postal address').fill('Gasse 4\n1070 Wien')
    await dialog.getByLabel('Why').fill('wrote to us')
    await dialog.getByRole('button', { name: 'Save' }).click()
    await expect(dialog.getByText('Another buyer has this email.')).toBeVisible()
    await dialog.getByLabel('Email').fill(who.email)
    await dialog.getByRole('button', { name: 'Save' }).click()
    await expect(dialog).toBeHidden()
    await expect(bench(studio).getByText('1070 Wien')).toBeVisible()
  })
  await test.step('joining', async () => {
    await studio.getByRole('button', { name: 'Join with another person…' }).click()
    await dialog.getByLabel('The other person').fill(second.email)
    await dialog.getByRole('radio', { name: new RegExp(second.email) }).check()
    await dialog.getByLabel('Why').fill('two emails')
    await dialog.getByRole('button', { name: 'Join them' }).click()
    await expect(dialog).toBeHidden()
    await expect(bench(studio).getByText('€9.00')).toBeVisible()
  })
  await test.step('deleting waits for what goes on', async () => {
    await studio.getByRole('button', { name: 'Delete their data…' }).click()
    await dialog.getByLabel('Why').fill('asked for it')
    await dialog.getByRole('button', { name: 'Delete the data' }).click()
    await expect(dialog.getByText('A subscription is still active. Cancel it first.')).toBeVisible()
    await dialog.getByRole('button', { name: 'Cancel' }).click()
  })
  await test.step('taking back cancels', async () => {
    const row = bench(studio)
      .locator('div', { hasText: title })
      .filter({ has: studio.getByRole('button', { name: 'Remove access…' }) })
      .last()
    await row.getByRole('button', { name: 'Remove access…' }).click()
    await expect(dialog.getByText('The subscription')).toBeVisible()
    await dialog.getByLabel('Why').fill('moved to another class')
    await dialog.getByRole('button', { name: 'Remove access' }).click()
    await expect(dialog).toBeHidden()
    expect(await mail(shop, who.email, 'is cancelled')).toContain('no further payments are charged')
  })
  await test.step('then the data goes, and the books keep the orders', async () => {
    await studio.getByRole('button', { name: 'Delete their data…' }).click()
    await dialog.getByLabel('Why').fill('asked for it')
    await dialog.getByRole('button', { name: 'Delete the data' }).click()
    await expect(dialog).toBeHidden()
    await expect(bench(studio).getByRole('heading', { name: 'Deleted buyer' })).toBeVisible()
    await expect(bench(studio).getByText('€19.00')).toBeVisible()
  })
})
