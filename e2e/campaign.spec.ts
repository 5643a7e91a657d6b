import type { Page } from '@playwright/test'
import { choose, expect, fillCheckout, makeCourse, payButton, post, pressOnce, test, unique } from './acorn.ts'

/** Publishes what is on the bench. */
async function publish(studio: Page) {
  await expect(studio.getByText('Draft saved')).toBeVisible()
  await studio.getByRole('button', { name: 'Publish…' }).click()
  await studio
    .getByRole('dialog')
    .getByRole('button', { name: /^Publish/ })
    .click()
  await expect(studio.getByRole('dialog')).toHaveCount(0)
}

test('a spring campaign: a bundle on sale, a code, single-use codes, a bump and an upsell, bought with all of them', async ({
  studio,
  shop,
}) => {
  const sewing = await makeCourse(studio, unique('Sewing'), 12_900)
  const paper = await makeCourse(studio, unique('Paper'), 2400)
  const boxes = await makeCourse(studio, unique('Boxes'), 7900)
  const letters = await makeCourse(studio, unique('Letters'), 4800)
  const title = unique('Spring')
  const letter = unique('SPRING').replaceAll(' ', '')
  const slug = title.toLowerCase().replaceAll(' ', '-')

  await test.step('two courses as one, at a sale price', async () => {
    await studio.goto('/studio/sell?new=bundle')
    await studio.getByLabel('Title of the bundle').fill(title)
    await studio.getByRole('button', { name: 'Create it' }).click()
    await choose(studio, 'Add a course', sewing.title)
    await choose(studio, 'Add a course', paper.title)
    await expect(studio.getByText('Draft saved')).toBeVisible()
    await studio.getByRole('button', { name: 'Give it a price' }).last().click()
    await studio.getByRole('textbox', { name: 'Price', exact: true }).fill('130')
    await studio.getByRole('button', { name: 'Add a sale price' }).click()
    await studio.getByLabel('Sale price', { exact: true }).fill('100')
    await publish(studio)
  })

  await test.step('a code for who reads the letter, and fifty for partners', async () => {
    await studio.goto('/studio/sell')
    await studio.getByRole('button', { name: 'New coupon' }).click()
    await studio.getByRole('textbox', { name: 'Code' }).fill(letter)
    await studio.getByRole('button', { name: 'Bumps and upsells too' }).click()
    await choose(studio, 'Beside other codes', /^combines/)
    await publish(studio)
    await studio.goto('/studio/sell')
    await studio.getByRole('button', { name: 'New coupon' }).click()
    await studio.getByRole('radio', { name: 'A set of single-use codes' }).click()
    await studio.getByRole('textbox', { name: 'Name of the set' }).fill(`Partners ${letter}`)
    await choose(studio, 'Beside other codes', /^combines/)
    await publish(studio)
    await studio.getByRole('textbox', { name: 'How many codes, 1 to 10000' }).fill('50')
    await studio.getByRole('button', { name: 'Make them' }).click()
    await expect(studio.getByText('50 codes: 50 unused', { exact: false })).toBeVisible()
  })
  const used = studio.getByRole('button', { name: /^Withdraw: / }).first()
  const partner = (await used.getAttribute('aria-label'))?.replace('Withdraw: ', '') ?? ''

  await test.step('a bump at its checkout, and an upsell after it', async () => {
    const pages = await post(studio.request, '/api/pages', undefined, 'GET')
    await studio.goto(`/studio/sell/pages/${pages.find((page: { title: string }) => page.title === title).id}`)
    await studio.getByRole('button', { name: /^Order form/ }).click()
    await studio.getByRole('button', { name: 'Add an order bump' }).click()
    await choose(studio, 'What it offers', `${boxes.title}, One payment`)
    await studio.getByRole('button', { name: /^Upsells, then thanks/ }).click()
    await studio.getByRole('button', { name: 'Add an upsell' }).click()
    await studio.getByRole('combobox', { name: 'What it offers' }).last().click()
    await studio.getByRole('option', { name: `${letters.title}, One payment` }).click()
    await expect(studio.getByText('Draft saved')).toBeVisible()
    await publish(studio)
    await expect(studio.getByText('Buyers see it as it is here.')).toBeVisible()
  })

  await test.step('a stranger buys it with both codes, the bump and the upsell', async () => {
    await fillCheckout(
      shop,
      `${slug}?code=${letter}`,
      { name: 'Sol Spring', email: `${letter.toLowerCase()}@post.example` },
      'Pays',
    )
    await shop.getByRole('checkbox', { name: new RegExp(`Add ${boxes.title}`) }).check()
    await shop.getByRole('button', { name: 'Another code?' }).click()
    await shop.getByLabel('Code', { exact: true }).fill(partner)
    await shop.keyboard.press('Enter')
    // The letter's code takes a tenth off 100 and 79; the partner's a tenth off what is left of the 100.
    await expect(payButton(shop)).toHaveText('Pay €152.10')
    await payButton(shop).click()
    // The letter's code goes on to the upsell; the partner's is not for upsells.
    await expect(shop.getByRole('heading', { name: 'One more thing, if you like' })).toBeVisible()
    await pressOnce(shop, 'Add it for €43.20')
    await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
    await expect(shop.getByText(new RegExp(`${letters.title} · order \\d+, €43\\.20`))).toBeVisible()
  })

  await test.step('every cent of it stands under Money, by what was sold', async () => {
    await studio.goto('/studio/money?list=received')
    await studio.getByRole('button', { name: 'By what was sold' }).click()
    const sold = studio.getByRole('table', { name: 'By what was sold' })
    for (const [name, amount] of [
      [title, '€81.00'],
      [boxes.title, '€71.10'],
      [letters.title, '€43.20'],
    ] as const)
      await expect(
        sold.getByRole('row', { name: new RegExp(`^${name}.* ${amount.replace('.', '\\.')}`) }),
      ).toBeVisible()
  })
})
