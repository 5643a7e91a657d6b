import {
  choose,
  chooseCard,
  expect,
  fillCheckout,
  makeCourse,
  ordersOf,
  payButton,
  pressOnce,
  takenFor,
  test,
  unique,
} from './acorn.ts'
import { expectNothingSerious } from './axe.ts'

const email = (word: string) => `${unique(word).replaceAll(' ', '')}@post.example`

test('upsells: shaped as a path, taken with one press, refused, declined, and left by a reload', async ({
  studio,
  shop,
}) => {
  const main = await makeCourse(studio, unique('Main'), 12_900)
  const paper = await makeCourse(studio, unique('Paper'), 1800)
  const boxes = await makeCourse(studio, unique('Boxes'), 4800)

  await test.step('the creator shapes two steps, sees their path, and is told what is missing', async () => {
    await studio.goto('/studio/sell')
    await studio.getByRole('button', { name: /^Checkout pages/ }).click()
    await studio.getByRole('link', { name: main.title, exact: true }).last().click()
    await studio.getByRole('button', { name: /^Upsells, then thanks/ }).click()
    await studio.getByRole('button', { name: 'Add an upsell' }).click()
    await expect(studio.getByText('Choose what upsell 1 offers.')).toBeVisible()
    await choose(studio, 'What it offers', `${paper.title}, One payment`)
    await studio.getByLabel('Short text here').fill('Endpapers for the book you are about to sew.')
    await studio.getByRole('button', { name: 'Add another upsell' }).click()
    await studio.getByRole('combobox', { name: 'What it offers' }).last().click()
    await studio.getByRole('option', { name: `${boxes.title}, One payment` }).click()
    await studio.getByRole('combobox', { name: 'After a yes' }).first().click()
    await studio.getByRole('option', { name: 'The thanks page' }).click()
    await expect(
      studio.getByRole('img', { name: new RegExp(`Upsell 1, ${paper.title}: yes leads to the thanks page`) }),
    ).toBeVisible()
    await expect(studio.getByRole('img', { name: /no leads to upsell 2/ })).toBeVisible()
    await expectNothingSerious(studio)
    await studio.getByRole('button', { name: 'Publish…' }).click()
    await studio.getByRole('dialog').getByRole('button', { name: 'Publish now' }).click()
    await expect(studio.getByText('Buyers see it as it is here.')).toBeVisible()
  })

  const buyMain = async (who: string, card: Parameters<typeof fillCheckout>[3]) => {
    await fillCheckout(shop, main.slug, { name: 'Una Upsell', email: email(who) }, card)
    await expect(
      shop.getByText(/If you then say yes, .* can charge it to this card, within 30 minutes\./),
    ).toBeVisible()
    await payButton(shop).click()
    await expect(shop.getByRole('heading', { name: 'One more thing, if you like' })).toBeVisible()
  }

  await test.step('one press charges the card just used; the thanks page names both orders', async () => {
    await buyMain('yes', 'Pays')
    await expect(shop.getByText(/“Add it” charges €18\.00 once to the card ending \d{4}/)).toBeVisible()
    await expectNothingSerious(shop)
    // Looked at again before it is answered, it is as it was.
    await shop.reload()
    await pressOnce(shop, 'Add it for €18.00')
    await expect(shop.getByRole('heading', { name: `Thank you. ${main.title} is open.` })).toBeVisible()
    await expect(shop.getByText(new RegExp(`${paper.title} · order \\d+, €18\\.00`))).toBeVisible()
    expect((await takenFor(shop, paper.title)).map(({ amount }) => amount)).toEqual([1800])
    const [order] = await ordersOf(studio, paper.title)
    await studio.goto(`/studio/orders/${order?.id}`)
    await expect(studio.getByText(/An upsell after order \d+/)).toBeVisible()
    // Gone back to, it is over.
    await shop.goBack()
    await expect(shop.getByRole('button', { name: /Add it/ })).toHaveCount(0)
  })

  await test.step('a no leads on; declined, another card is given, at 390 wide', async () => {
    await shop.context().clearCookies()
    await shop.setViewportSize({ width: 390, height: 1500 })
    await buyMain('no', 'Pays once, then fails')
    // Pressed before the page listens, a button does nothing; each step has one of this name.
    await expect(async () => {
      if (await shop.getByRole('heading', { name: paper.title }).isVisible())
        await shop.getByRole('button', { name: 'No, thank you' }).click()
      await expect(shop.getByRole('heading', { name: boxes.title })).toBeVisible({ timeout: 2000 })
    }).toPass()
    await shop.getByRole('button', { name: 'Add it for €48.00' }).click()
    await expect(shop.getByText(/does not have enough money\..*Your first order is not touched by it\./)).toBeVisible()
    expect(await shop.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390)
    // Loaded anew it says the same, and still asks for another card.
    await shop.reload()
    await expect(shop.getByText(/Your first order is not touched by it\./)).toBeVisible()
    await chooseCard(shop, 'Pays')
    await shop.getByRole('button', { name: 'Add it for €48.00' }).click()
    await expect(shop.getByText(new RegExp(`${boxes.title} · order \\d+, €48\\.00`))).toBeVisible()
    expect((await takenFor(shop, boxes.title)).map(({ amount }) => amount)).toEqual([4800])
    await shop.setViewportSize({ width: 1280, height: 1200 })
  })

  await test.step('a card that asks is approved there and then', async () => {
    await shop.context().clearCookies()
    await buyMain('asks', 'Pays')
    await shop.getByRole('button', { name: 'Pay with something else' }).click()
    await chooseCard(shop, 'Asks to confirm')
    await shop.getByRole('button', { name: 'Add it for €18.00' }).click()
    await shop.frameLocator('iframe[title="The bank’s confirmation"]').getByRole('button', { name: 'Approve' }).click()
    await expect(shop.getByText(new RegExp(`${paper.title} · order \\d+, €18\\.00`))).toBeVisible()
  })
})
