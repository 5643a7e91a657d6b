import { expect, makeCourse, post, test, unique } from './acorn.ts'
import { newPage } from './pageBench.ts'

const unpublished = /^Changes not published/

test('a name that nobody wrote follows the price; nothing is unpublished right after publishing, also once a trial was removed', async ({
  studio,
}) => {
  const { courseId } = await makeCourse(studio, unique('Named'), 4800)
  const { id } = await post(studio.request, '/api/offers', { productId: courseId })
  await studio.goto(`/studio/sell/offers/${id}`)
  const name = studio.getByLabel('Name of the offer, which buyers see')
  await studio.getByRole('radio', { name: 'Installments' }).click()
  await expect(name).toHaveValue('3 installments')
  await studio.getByLabel('Price in all').fill('50')
  await studio.getByRole('button', { name: 'Add a trial' }).click()
  await studio.getByRole('button', { name: 'Remove the trial' }).click()
  await expect(studio.getByText('Draft saved')).toBeVisible()
  await studio.getByRole('button', { name: 'Publish…' }).click()
  await studio.getByRole('button', { name: 'Publish now' }).click()
  await expect(studio.getByText('Published. Buyers see it now.')).toBeVisible()
  await expect(studio.getByText('It can be bought now.')).toBeVisible()
  await expect(studio.getByText(unpublished)).toHaveCount(0)
  await studio.getByRole('radio', { name: 'Subscription' }).click()
  await expect(name).toHaveValue('Monthly')
  await expect(studio.getByText(unpublished)).toBeVisible()
  // A name of ours that says otherwise is remarked, with a fix.
  await name.fill('Free')
  await studio.getByRole('button', { name: 'Name it “Monthly”' }).click()
  await expect(name).toHaveValue('Monthly')
})

test('a published page of its own is not said to be changed', async ({ studio }) => {
  const { courseId } = await makeCourse(studio, unique('Paged'), 4800)
  const { id } = await newPage(studio, courseId, { arrangement: 'short' })
  const { draft, draftRev } = await post(studio.request, `/api/pages/${id}`, undefined, 'GET')
  const parts = draft.parts.map((part: { kind: string }) =>
    part.kind === 'opening' ? { ...part, title: 'Bind it' } : part,
  )
  const saved = await post(
    studio.request,
    `/api/pages/${id}/draft`,
    { baseRev: draftRev, content: { ...draft, parts } },
    'PUT',
  )
  await post(studio.request, `/api/pages/${id}/publish`, { rev: saved.draftRev })
  await studio.goto(`/studio/sell/pages/${id}`)
  await expect(studio.getByText('Buyers see it as it is here.')).toBeVisible()
  await expect(studio.getByText('Buyers still see the published version.')).toHaveCount(0)
})

test('retiring the only offer asks first, with every place; brought back, it says that it is off sale, with the button', async ({
  studio,
}) => {
  const { courseId, offerId, title } = await makeCourse(studio, unique('Alone'), 4800)
  await post(studio.request, '/api/coupons', { appliesTo: { products: [courseId], offers: [] } })
  await studio.goto(`/studio/sell/offers/${offerId}`)
  await studio.getByRole('button', { name: 'More', exact: true }).click()
  await studio.getByRole('menuitem', { name: 'Retire' }).click()
  const dialog = studio.getByRole('dialog', { name: 'Retire this offer?' })
  await expect(dialog).toContainText(`Nothing else sells “${title}”`)
  await expect(dialog).toContainText('no longer applies to this')
  await dialog.getByRole('button', { name: 'Retire it', exact: true }).click()
  await studio.getByRole('button', { name: 'Bring back' }).click()
  await expect(studio.getByText('Brought back. It is still off sale.')).toBeVisible()
  await studio.getByRole('button', { name: 'Put on sale' }).first().click()
  await expect(studio.getByText('On sale again.')).toBeVisible()
})

test('a bundle’s offer says what its bundle lacks, and leads to the field', async ({ studio }) => {
  const priced = await makeCourse(studio, unique('Priced'), 4800)
  const free = await makeCourse(studio, unique('Monthly only'), {
    ...{ kind: 'subscription', amount: 1900, every: { count: 1, unit: 'month' } },
    ...{ payments: null, setupFee: null, trial: null },
  })
  const { id } = await post(studio.request, '/api/bundles', { title: unique('Both') })
  const { draft, draftRev } = await post(studio.request, `/api/bundles/${id}`, undefined, 'GET')
  const courses = [priced.courseId, free.courseId].map((course) => ({ id: course, figure: null }))
  await post(studio.request, `/api/bundles/${id}/draft`, { baseRev: draftRev, content: { ...draft, courses } }, 'PUT')
  const offer = await post(studio.request, '/api/offers', { productId: id })
  await studio.goto(`/studio/sell/offers/${offer.id}`)
  const lacking = studio.getByText(`“${free.title}” has no one-time price. Write what it is worth`)
  await expect(lacking).toBeVisible()
  await studio.getByRole('listitem').filter({ has: lacking }).getByRole('button', { name: 'Go there' }).click()
  await expect(studio).toHaveURL(new RegExp(`/studio/sell/bundles/${id}#bundle-courses$`))
  await expect(studio.getByRole('heading', { level: 1 })).toBeVisible()
})

test('“Find or do” knows what can be made and set by everyday words, and coupons and pages by name', async ({
  studio,
}) => {
  const { courseId, title } = await makeCourse(studio, unique('Sought'), 4800)
  const { name } = await newPage(studio, courseId, { arrangement: 'short' })
  const find = async (words: string) => {
    await studio.keyboard.press('Control+k')
    await studio.getByRole('dialog').getByRole('combobox').fill(words)
  }
  for (const [words, found] of [
    ['voucher', 'New coupon'],
    ['cart', 'Switch the basket on or off'],
    ['colour', 'Change looks: font, colours, logo'],
    ['vat', 'Change tax and VAT'],
    ['terms', 'Write terms of sale'],
    ['landing', 'New checkout page'],
  ]) {
    await find(words as string)
    await expect(studio.getByRole('option', { name: found as string, exact: true })).toBeVisible()
    await studio.keyboard.press('Escape')
  }
  await find(`bump ${title.split(' ')[1]}`)
  await expect(studio.getByRole('option').filter({ hasText: title }).first()).toBeVisible()
  await studio.keyboard.press('Escape')
  await find(name)
  await studio.getByRole('option', { name: new RegExp(name) }).click()
  await expect(studio.getByRole('heading', { level: 1, name })).toBeVisible()
  await find('new coupon')
  await studio.getByRole('option', { name: 'New coupon', exact: true }).click()
  await expect(studio).toHaveURL(/\/studio\/sell\/coupons\//)
})

test('a thing of the basket that is retired is named at the total, which is without it; a code has nothing to do with it', async ({
  studio,
  shop,
}) => {
  const stays = await makeCourse(studio, unique('Stays'), 4800)
  const goes = await makeCourse(studio, unique('Retires'), 2000)
  for (const { slug } of [stays, goes]) {
    await shop.goto(`/course/${slug}`)
    await shop.getByRole('button', { name: /^Add to basket/ }).click()
    await expect(shop.getByRole('heading', { name: 'Your basket' })).toBeVisible()
  }
  await shop.goto('/buy/basket')
  await expect(shop.getByText('€68.00').first()).toBeVisible()
  await post(studio.request, `/api/offers/${goes.offerId}/retired`, { isRetired: true }, 'PUT')
  await shop.getByRole('button', { name: 'Have a code?' }).click()
  await shop.getByLabel('Code', { exact: true }).fill('ANYTHING')
  await shop.getByRole('button', { name: 'Apply' }).click()
  await expect(
    shop.getByRole('alert').filter({ hasText: `“${goes.title}”: This is not on sale any more.` }),
  ).toBeVisible()
  await shop.goto('/basket')
  await expect(shop.getByText(`Without ${goes.title}, which cannot be ordered now.`)).toBeVisible()
  await shop.goto('/buy/basket')
  await expect(shop.getByText(`${goes.title} cannot be ordered now, and is not in this total.`)).toBeVisible()
})
