import { expect, makeCourse, test, unique } from './acorn.ts'

const parts = {
  kind: 'installments',
  count: 3,
  every: { count: 1, unit: 'month' },
  amount: null,
  total: 9000,
  deposit: 3000,
  trial: null,
}

test('an emptied amount is empty; a deposit and its parts are said with one sum', async ({ studio }) => {
  const { offerId } = await makeCourse(studio, unique('Deposit'), parts)
  await studio.goto(`/studio/sell/offers/${offerId}`)
  await expect(studio.getByText('€30.00 deposit, then 3 × €30.00; €120.00 in all')).toBeVisible()
  await expect(studio.getByLabel('What the price is of')).toContainText('for all installments')
  const deposit = studio.getByLabel('Deposit', { exact: true })
  await deposit.press('Control+a')
  await deposit.press('Delete')
  await expect(deposit).toHaveValue('')
  await expect(studio.getByLabel('Preview').getByText('The deposit has no amount yet.')).toBeVisible()
  await deposit.pressSequentially('45')
  await expect(studio.getByText('€45.00 deposit, then 3 × €30.00; €135.00 in all')).toBeVisible()
  await studio.getByLabel('Price in all').fill('149.-')
  await expect(studio.getByText(/€194\.00 in all/).first()).toBeVisible()
})

test('what cannot be read is kept, named where one publishes, and asked about where one leaves', async ({ studio }) => {
  const { offerId, courseId } = await makeCourse(studio, unique('Unread'), parts)
  await studio.goto(`/studio/sell/offers/${offerId}`)
  const count = studio.getByLabel('Number of installments')
  await count.fill('500')
  await expect(studio.getByRole('alert').filter({ hasText: 'from 2 to 120' })).toBeVisible()
  await studio.getByLabel('Price in all').fill('ninety')
  await studio.getByLabel('Price in all').press('Tab')
  await expect(count).toHaveValue('500')
  await expect(studio.getByLabel('Price in all')).toHaveValue('ninety')
  await expect(studio.getByText('Not saved: Number of installments, Price in all')).toBeVisible()
  await studio.getByRole('button', { name: 'Publish…' }).click()
  const dialog = studio.getByRole('dialog')
  await expect(dialog).toContainText('“Number of installments” is not saved.')
  await expect(dialog.getByRole('button', { name: 'Publish now' })).toBeDisabled()
  await dialog.getByRole('button', { name: 'Not yet' }).click()
  await studio.getByRole('link', { name: 'Orders' }).first().click()
  await expect(studio.getByRole('dialog')).toContainText('Price in all: Write the price in figures')
  await studio.getByRole('button', { name: 'Stay and correct it' }).click()
  await expect(studio.getByRole('dialog')).toHaveCount(0)
  await expect(count).toHaveValue('500')
  await count.fill('4')
  await studio.getByLabel('Price in all').fill('80')
  await expect(studio.getByText('€30.00 deposit, then 4 × €20.00; €110.00 in all')).toBeVisible()
  await expect(studio.getByText('Draft saved')).toBeVisible()
  await studio.getByRole('link', { name: 'Orders' }).first().click()
  await expect(studio).toHaveURL(/\/studio\/orders/)
  expect(courseId).toBeDefined()
})
