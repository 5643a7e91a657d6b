import type { Page } from '@playwright/test'
import {
  choose,
  chooseCard,
  expect,
  fillCheckout,
  makeCourse,
  payButton,
  post,
  reprice,
  takenFor,
  test,
  unique,
} from './acorn.ts'

const month = { count: 1, unit: 'month' }
const someone = () => ({ name: 'Kim Kinds', email: `${unique('kim').replaceAll(' ', '')}@post.example` })

/** An offer's bench with nothing written on it yet. */
async function emptyBench(studio: Page, title: string) {
  const { id: courseId } = await post(studio.request, '/api/catalogue/courses', { title: unique(title) })
  const { id } = await post(studio.request, '/api/offers', { productId: courseId })
  await studio.goto(`/studio/sell/offers/${id}`)
  return studio.getByLabel('Preview')
}

/** Publishes what stands on the bench and buys it; answers what the gateway took. */
async function publishAndBuy(studio: Page, shop: Page): Promise<number[]> {
  await expect(studio.getByText('Draft saved')).toBeVisible()
  const title = await studio.getByLabel('Bench').getByRole('link').first().textContent()
  await studio.getByRole('button', { name: 'Publish…' }).click()
  await studio.getByRole('button', { name: 'Publish now' }).click()
  await expect(studio.getByText('Published. Buyers see it now.')).toBeVisible()
  const link = await studio.getByRole('link', { name: 'Open the checkout page' }).getAttribute('href')
  await fillCheckout(shop, link?.replace('/buy/', '') ?? '', someone(), 'Pays')
  await shop.getByRole('button', { name: /^(Pay|Start for) / }).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  return (await takenFor(shop, title ?? '')).map(({ amount }) => amount)
}

test('800 now and 8 × 90 monthly', async ({ studio, shop }) => {
  const mirror = await emptyBench(studio, 'Deposit')
  await studio.getByRole('radio', { name: 'Installments' }).click()
  await choose(studio, 'What the price is of', 'each')
  await studio.getByLabel('Amount of each installment').fill('90')
  await studio.getByLabel('Number of installments').fill('8')
  await studio.getByRole('button', { name: 'Add a deposit' }).click()
  await studio.getByLabel('Deposit', { exact: true }).fill('800')
  await expect(
    mirror.getByText(
      /^€800\.00 deposit today, then 8 payments of €90\.00, one every month, the first on .*\. €1,520\.00 in all\. Open for good\.$/,
    ),
  ).toBeVisible()
  expect(await publishAndBuy(studio, shop)).toEqual([80_000])
})

test('240 to begin, 14 days free, then 36 a year', async ({ studio, shop }) => {
  const mirror = await emptyBench(studio, 'Yearly')
  await studio.getByRole('radio', { name: 'Subscription' }).click()
  await studio.getByLabel('Price', { exact: true }).fill('36')
  await choose(studio, 'Repeats every, unit', 'year')
  await studio.getByRole('button', { name: 'Add a set-up fee' }).click()
  await studio.getByLabel('Set-up fee', { exact: true }).fill('240')
  await studio.getByRole('button', { name: 'Add a trial' }).click()
  await studio.getByLabel('Trial, how many').fill('14')
  await expect(
    mirror.getByText(
      /^€240\.00 to begin, 14 days free, then €36\.00 every year from .* until cancelled\. Open while it is paid and 3 days longer\.$/,
    ),
  ).toBeVisible()
  expect(await publishAndBuy(studio, shop)).toEqual([24_000])
})

test('18 every three months, five times; open while it is paid', async ({ studio, shop }) => {
  const mirror = await emptyBench(studio, 'Five times')
  await studio.getByRole('radio', { name: 'Subscription' }).click()
  await studio.getByLabel('Price', { exact: true }).fill('18')
  await studio.getByLabel('Repeats every, how many').fill('3')
  await choose(studio, 'How long', 'and it stops')
  await studio.getByLabel('Number of payments').fill('5')
  await choose(studio, 'How long it stays open', 'while it is paid')
  await expect(
    mirror.getByText(
      /^€18\.00 today, then 4 payments of €18\.00, one every 3 months, the first on .*\. €90\.00 in all\. Open while it is paid and 3 days longer\.$/,
    ),
  ).toBeVisible()
  await studio.getByLabel('Days of grace').fill('0')
  await expect(mirror.getByText('There are no grace days')).toBeVisible()
  expect(await publishAndBuy(studio, shop)).toEqual([1800])
})

test('pay what you like from 4, 12 suggested', async ({ studio, shop }) => {
  const mirror = await emptyBench(studio, 'Own price')
  await studio.getByRole('radio', { name: 'Name your price' }).click()
  await studio.getByLabel('Suggested price').fill('3')
  await studio.getByLabel('Minimum price').fill('4')
  await expect(mirror.getByText('The suggested price is below the minimum.')).toBeVisible()
  await studio.getByLabel('Suggested price').fill('12')
  await expect(
    mirror.getByText('The buyer names the price, from €4.00; €12.00 is suggested. Open for good.'),
  ).toBeVisible()
  expect(await publishAndBuy(studio, shop)).toEqual([1200])
})

test('first payment half price, for a while; a sale price that is not lower is refused', async ({ studio, shop }) => {
  const mirror = await emptyBench(studio, 'Half price')
  await studio.getByRole('radio', { name: 'Subscription' }).click()
  await studio.getByLabel('Price', { exact: true }).fill('19')
  await studio.getByRole('button', { name: 'Add a sale price' }).click()
  await studio.getByLabel('Sale price', { exact: true }).fill('19')
  await expect(mirror.getByText('The sale price does not fit.')).toBeVisible()
  await studio.getByLabel('Sale price', { exact: true }).fill('9.50')
  await choose(studio, 'Which payments', 'the first payment')
  await studio.getByRole('button', { name: 'Add an end' }).click()
  await expect(mirror.getByText(/^€9\.50 today, then €19\.00 every month from/)).toBeVisible()
  expect(await publishAndBuy(studio, shop)).toEqual([950])
  await studio.getByLabel('Sale until', { exact: true }).fill('2026-01-01')
  await expect(mirror.getByText('The sale is over')).toBeVisible()
  await expect(mirror.getByText(/^€19\.00 today, then €19\.00 every month from/)).toBeVisible()
})

test('in three parts: what comes when is said before, agreed to, and shown in My courses', async ({ studio, shop }) => {
  const terms = {
    kind: 'installments',
    count: 3,
    every: month,
    amount: null,
    total: 12_900,
    deposit: null,
    trial: null,
  }
  const { slug, title } = await makeCourse(studio, unique('Three parts'), terms)
  await fillCheckout(shop, slug, someone(), 'Pays')
  await expect(payButton(shop)).toHaveText('Pay €43.00 today')
  await expect(shop.getByText('In all')).toBeVisible()
  await expect(
    shop.getByText('By ordering you allow Fold & Quire to charge the later payments to this card'),
  ).toBeVisible()
  await payButton(shop).click()
  await expect(shop.getByText(/^Next: €43\.00 on .*; €129\.00 in all\./)).toBeVisible()
  expect(await takenFor(shop, title ?? '')).toMatchObject([{ amount: 4300 }])
})

test('a free trial keeps the card and takes nothing today', async ({ studio, shop }) => {
  const trial = { length: { count: 7, unit: 'day' }, amount: 0 }
  const terms = { kind: 'subscription', amount: 1900, every: month, payments: null, setupFee: null, trial }
  const { slug, title } = await makeCourse(studio, unique('Trial'), terms)
  await fillCheckout(shop, slug, someone(), 'Pays')
  await shop.getByRole('button', { name: 'Start for €0.00 today' }).click()
  await expect(shop.getByRole('heading', { name: `Thank you. ${title} is open.` })).toBeVisible()
  expect(await takenFor(shop, title ?? '')).toHaveLength(0)
})

test('switching offers changes the amounts at once and loses nothing typed; a price of one’s own has a least', async ({
  studio,
  shop,
}) => {
  const { slug, courseId, title } = await makeCourse(studio, unique('Switch'), 4800)
  const { id } = await post(studio.request, '/api/offers', { productId: courseId })
  const terms = { kind: 'openPrice', minimum: 400, suggested: 1200 }
  await reprice(studio, id, terms, { name: 'Your price', highlighted: true })
  await fillCheckout(shop, slug, someone(), null)
  await expect(payButton(shop)).toHaveText('Pay €48.00')
  await shop.getByRole('radio', { name: /^Your price/ }).check()
  await expect(payButton(shop)).toHaveText('Pay €12.00')
  await expect(shop.getByLabel('Name')).toHaveValue('Kim Kinds')
  await chooseCard(shop, 'Pays')
  await shop.getByLabel('In EUR').fill('3')
  await payButton(shop).click()
  await expect(shop.getByRole('alert').filter({ hasText: 'The minimum is €4.00.' })).toBeVisible()
  await shop.getByLabel('In EUR').fill('7,50')
  await expect(payButton(shop)).toHaveText('Pay €7.50')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  expect(await takenFor(shop, title ?? '')).toMatchObject([{ amount: 750 }])
})
