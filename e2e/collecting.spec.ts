import type { Page } from '@playwright/test'
import { after } from '../src/core/calendar/day.ts'
import { formatDay } from '../src/core/calendar/formatDay.ts'
import {
  chooseCard,
  expect,
  fillCheckout,
  mailTo,
  makeCourse,
  onMovedClock,
  ordersOf,
  post,
  pressOnce,
  takenFor,
  test,
  unique,
} from './acorn.ts'

onMovedClock()
test.describe.configure({ mode: 'serial', timeout: 600_000 })

const month = { count: 1, unit: 'month' }
const parts = { kind: 'installments', count: 3, every: month, amount: 4300, total: null, deposit: null, trial: null }
const trial = { length: { count: 7, unit: 'day' }, amount: 0 }
const monthly = { kind: 'subscription', amount: 1900, every: month, payments: null, setupFee: null, trial }
const whilePaying = { from: null, lasts: 'whilePaying', graceDays: 3 }
const someone = (name: string) => ({ name, email: `${unique(name).replaceAll(' ', '').toLowerCase()}@post.example` })

async function buy(
  shop: Page,
  slug: string,
  who: { name: string; email: string },
  card: 'Pays' | 'Pays once, then fails',
) {
  await shop.bringToFront()
  await fillCheckout(shop, slug, who, card)
  await shop.getByRole('button', { name: /^(Pay|Start for) / }).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
}

/** A page that is behind another one draws nothing, and nothing in it can be waited for. */
async function visit(page: Page, path: string) {
  await page.bringToFront()
  await page.goto(path)
}

/** Moves practice time by the studio's own page. */
async function pass(studio: Page, step: 'A day' | 'A week' | 'A month' | 'A year') {
  await visit(studio, '/studio/setup/practice')
  const begun = studio.waitForResponse('**/api/school/practice/move')
  await studio.getByRole('button', { name: step, exact: true }).click()
  expect((await begun).ok()).toBe(true)
  await expect(async () => {
    const { move } = await post(studio.request, '/api/school/practice', undefined, 'GET')
    expect(move.state).toBe('done')
  }).toPass({ timeout: 300_000 })
  await expect(studio.getByRole('button', { name: step, exact: true })).toBeEnabled()
}

/** The address of a link in the newest message that has one. */
async function linkIn(page: Page, address: string, path: 'pay' | 'password'): Promise<string> {
  const found = () =>
    mailTo(page, address).then((mails) => mails.map(({ text }) => new RegExp(`http\\S+/${path}/\\S+`).exec(text)?.[0]))
  await expect.poll(async () => (await found()).some(Boolean)).toBe(true)
  return (await found()).find(Boolean) as string
}

test('an installment that is declined is paid by the link in the message, and the plan goes on to its end', async ({
  studio,
  shop,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Plan'), parts)
  const who = someone('Mara Plan')
  await buy(shop, slug, who, 'Pays once, then fails')
  await pass(studio, 'A month')
  await expect(studio.getByText('Payment 2: €43.00 declined, not enough money').first()).toBeVisible()
  const [order] = await ordersOf(studio, title)
  await visit(studio, `/studio/orders/${order?.id}`)
  await expect(studio.getByText('a payment is overdue')).toBeVisible()

  const link = await linkIn(shop, who.email, 'pay')
  await visit(shop, link)
  await expect(shop.getByText('€43.00 due since')).toBeVisible()
  await chooseCard(shop, 'Not enough money')
  await shop.getByRole('button', { name: 'Pay €43.00' }).click()
  await expect(shop.getByText('The card or account does not have enough money. Nothing was charged.')).toBeVisible()
  await chooseCard(shop, 'Pays')
  await shop.getByRole('button', { name: 'Pay €43.00' }).dblclick()
  await expect(shop.getByRole('heading', { name: '€43.00 received. Thank you.' })).toBeVisible()
  await visit(shop, link)
  await expect(shop.getByRole('heading', { name: 'This link has expired or is not yours.' })).toBeVisible()

  await pass(studio, 'A month')
  await visit(studio, `/studio/orders/${order?.id}`)
  await expect(studio.getByText('3 of 3 payments received.')).toBeVisible()
  expect((await takenFor(shop, title)).map(({ amount }) => amount)).toEqual([4300, 4300, 4300])
})

test('a subscription through its trial, three renewals, a decline that its buyer mends, and a cancel: open to the day', async ({
  studio,
  shop,
  browser,
}) => {
  const { slug, title } = await makeCourse(studio, unique('Monthly'), monthly, { access: whilePaying })
  const who = someone('Nils Monthly')
  await buy(shop, slug, who, 'Pays')
  await visit(shop, await linkIn(shop, who.email, 'password'))
  await shop.getByLabel('New password').fill('a long enough password')
  await shop.getByRole('button', { name: 'Save and open my courses' }).click()
  for (const step of ['A week', 'A month', 'A month', 'A month'] as const) await pass(studio, step)
  expect(await takenFor(shop, title)).toHaveLength(4)

  await visit(shop, '/my')
  await expect(shop.getByText('€76.00 paid.')).toBeVisible()
  await shop.getByRole('link', { name: 'Manage' }).click()
  const plan = shop.url()
  await pressOnce(shop, 'Use another card')
  await chooseCard(shop, 'Not enough money')
  await shop.getByRole('button', { name: 'Use this card from now on' }).click()
  await expect(shop.getByRole('heading', { name: /^This card is charged from now on/ })).toBeVisible()

  await test.step('the next renewal is declined; the link in the message mends it', async () => {
    await pass(studio, 'A month')
    expect(await takenFor(shop, title)).toHaveLength(4)
    await visit(shop, await linkIn(shop, who.email, 'pay'))
    await expect(shop.getByText('€19.00 due since')).toBeVisible()
    await chooseCard(shop, 'Pays')
    await shop.getByRole('button', { name: 'Pay €19.00' }).click()
    await expect(shop.getByRole('heading', { name: '€19.00 received. Thank you.' })).toBeVisible()
    expect(await takenFor(shop, title)).toHaveLength(5)
  })

  await test.step('nobody else reaches it', async () => {
    const other = await (await browser.newContext()).newPage()
    await other.goto(plan)
    await expect(other.getByRole('heading', { name: 'This link has expired or is not yours.' })).toBeVisible()
    const key = plan.split('/').at(-1)
    const origin = new URL(plan).origin
    const answer = await other.request.post(`${origin}/api/shop/plan/${key}/cancel`, {
      headers: { origin, 'idempotency-key': crypto.randomUUID() },
    })
    expect(answer.status()).toBe(410)
    await other.context().close()
  })

  await visit(shop, plan)
  await pressOnce(shop, 'Cancel…')
  const until = /stays open until (\d+ \w+ \d+)/.exec(
    (await shop.getByText('stays open until').last().textContent()) ?? '',
  )?.[1]
  await shop.getByRole('button', { name: 'Cancel it' }).click()
  await expect(shop.getByRole('heading', { name: 'Cancelled. Nothing more is charged.' })).toBeVisible()
  await visit(shop, '/my')
  await expect(shop.getByText(`open until ${until}`)).toBeVisible()
  await visit(shop, `/learn/${slug}`)
  await expect(shop.getByRole('link', { name: /The first lesson/ }).first()).toBeVisible()
  await pass(studio, 'A month')
  await pass(studio, 'A week')
  expect(await takenFor(shop, title)).toHaveLength(5)
  await visit(shop, `/learn/${slug}`)
  await expect(shop.getByRole('heading', { name: `Your access to ${title} ended on ${until}.` })).toBeVisible()
})

test('a plan that is declined to its stop shuts the course, and paying opens it', async ({ studio, shop }) => {
  const { slug, title } = await makeCourse(studio, unique('Stopped'), parts)
  const who = someone('Ola Stopped')
  await buy(shop, slug, who, 'Pays once, then fails')
  await visit(shop, await linkIn(shop, who.email, 'password'))
  await shop.getByLabel('New password').fill('a long enough password')
  await shop.getByRole('button', { name: 'Save and open my courses' }).click()
  await pass(studio, 'A month')
  await pass(studio, 'A week')
  await pass(studio, 'A day')
  const [order] = await ordersOf(studio, title)
  await visit(studio, `/studio/orders/${order?.id}`)
  await expect(studio.getByText('stopped', { exact: true })).toBeVisible()
  await visit(shop, `/learn/${slug}`)
  await expect(shop.getByRole('heading', { name: /has been paused since .*: a payment is overdue/ })).toBeVisible()
  await shop.getByRole('link', { name: 'Pay it now' }).click()
  await chooseCard(shop, 'Pays')
  await shop.getByRole('button', { name: 'Pay €43.00' }).click()
  await expect(shop.getByRole('heading', { name: '€43.00 received. Thank you.' })).toBeVisible()
  await shop.getByRole('link', { name: 'Open the course' }).click()
  await expect(shop.getByRole('link', { name: /The first lesson/ }).first()).toBeVisible()

  // The last one is paid before its day, by the card that is kept.
  await visit(shop, '/my')
  await shop.getByRole('link', { name: 'Manage' }).click()
  await pressOnce(shop, 'Pay the next one now')
  await shop.getByRole('button', { name: 'Pay €43.00 by card ending 4821' }).dblclick()
  await expect(shop.getByRole('heading', { name: '€43.00 received. Thank you.' })).toBeVisible()
  expect((await takenFor(shop, title)).map(({ amount }) => amount)).toEqual([4300, 4300, 4300])
})

test('the creator cancels, moves a due day and stops retrying, each with its reason', async ({ studio, shop }) => {
  const { slug, title, offerId } = await makeCourse(studio, unique('By hand'), parts)
  await buy(shop, slug, someone('Per Hand'), 'Pays')
  const [order] = await ordersOf(studio, title)
  await visit(studio, `/studio/orders/${order?.id}`)
  await studio.getByRole('button', { name: 'Move the next due day…' }).click()
  await studio.getByLabel('New day').fill('2026-01-01')
  await studio.getByLabel('Why').fill('asked for it')
  await studio.getByRole('button', { name: 'Move it' }).click()
  await expect(studio.getByText('This day is in the past.')).toBeVisible()
  await studio.getByRole('dialog').getByRole('button', { name: 'Cancel' }).click()
  await studio.getByRole('button', { name: 'Stop retrying…' }).click()
  await studio.getByRole('button', { name: 'Stop retrying', exact: true }).click()
  await expect(studio.getByText('Say why. It is kept in the history.')).toBeVisible()
  await studio.getByLabel('Why').fill('moved away')
  await studio.getByRole('button', { name: 'Stop retrying', exact: true }).click()
  await expect(studio.getByText('Not retried any more: “moved away”')).toBeVisible()
  await studio.getByRole('button', { name: 'Resume retries' }).click()
  await expect(studio.getByText('active', { exact: true })).toBeVisible()
  await pass(studio, 'A year')
  expect(await takenFor(shop, title)).toHaveLength(3)
  // What the bench says holds where practice time stands, and it says so.
  const { day, daysAhead } = await post(studio.request, '/api/school/practice', undefined, 'GET')
  expect(daysAhead).toBeGreaterThan(300)
  await visit(studio, `/studio/sell/offers/${offerId}`)
  const mirror = studio.getByLabel('Preview')
  await expect(mirror.getByText(`As of ${formatDay(day, 'en')}, where practice time stands.`)).toBeVisible()
  const [, next] = scheduleFrom(day)
  await expect(
    mirror.getByText(new RegExp(`then €43\\.00 on ${formatDay(next, 'en', day.slice(0, 4))}`)).first(),
  ).toBeVisible()
})

/** The days of three monthly payments from a day on. */
function scheduleFrom(day: string): [string, string, string] {
  return [day, after(day, 1, { count: 1, unit: 'month' }), after(day, 2, { count: 1, unit: 'month' })]
}
