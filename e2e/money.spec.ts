import Papa from 'papaparse'
import { after } from '../src/core/calendar/day.ts'
import { formatSpan, spanOfMonth } from '../src/studio/money/span.ts'
import { expect, fillCheckout, makeCourse, payButton, post, test, unique } from './acorn.ts'

const MONTH = { count: 1, unit: 'month' } as const

test('the money of any span: by month, by day, down to the payment, and the same in the file', async ({
  studio,
  shop,
}) => {
  const terms = {
    kind: 'installments',
    count: 3,
    every: MONTH,
    amount: 4300,
    total: null,
    deposit: null,
    trial: null,
  }
  const { slug } = await makeCourse(studio, unique('Money of a span'), terms)
  const name = unique('Mona Geld')
  const email = `${name.replaceAll(' ', '.').toLowerCase()}@post.example`
  await fillCheckout(shop, slug, { name, email }, 'Pays')
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()

  const { today } = await post(studio.request, '/api/money/months', undefined, 'GET')
  const last = after(today, 2, MONTH)
  await studio.goto(`/studio/money?search=${encodeURIComponent(email)}`)
  await expect(studio.getByRole('heading', { level: 1 })).toHaveText(formatSpan(spanOfMonth(today.slice(0, 7))))
  const bench = studio.getByRole('main')
  await expect(bench.getByText(/^€43\.00 received; .*Of €43\.00 due in this period, €43\.00 is paid\.$/)).toBeVisible()

  await test.step('a span the wrong way round is said at its field, and nothing is asked for', async () => {
    await studio.getByLabel('From', { exact: true }).fill(last)
    await studio.getByLabel('To', { exact: true }).fill(today)
    await expect(studio.getByRole('alert')).toHaveText('The last day is before the first.')
    await studio.getByRole('button', { name: 'Show', exact: true }).click()
    await expect(
      bench.getByText(/^€43\.00 received; .*Of €43\.00 due in this period, €43\.00 is paid\.$/),
    ).toBeVisible()
  })

  await test.step('from today to the last payment: the months add up to the whole', async () => {
    await studio.getByLabel('From', { exact: true }).fill(today)
    await studio.getByLabel('To', { exact: true }).fill(last)
    await studio.getByRole('button', { name: 'Show', exact: true }).click()
    await expect(studio.getByRole('heading', { level: 1 })).toHaveText(formatSpan({ from: today, until: last }))
    await expect(
      bench.getByText(
        /^€43\.00 received; .*Of €129\.00 due in this period, €43\.00 is paid, €86\.00 is still to come\.$/,
      ),
    ).toBeVisible()
    const months = bench.getByRole('table', { name: 'By month' })
    await expect(months.getByRole('row')).toHaveCount(5)
    const whole = months.getByRole('row', { name: /^Altogether/ })
    for (const figure of ['Due €129.00', 'Paid €43.00', 'To come €86.00'])
      await expect(whole.getByRole('button', { name: figure })).toBeVisible()
    await expect(bench.getByRole('row', { name: /^3 payments €129\.00 €43\.00/ })).toBeVisible()
  })

  await test.step('the file of that span comes to the same cent', async () => {
    const href = await studio.getByRole('link', { name: 'Export CSV' }).getAttribute('href')
    const csv = await (await studio.request.get(href ?? '')).text()
    const { data } = Papa.parse<Record<string, string>>(csv.trim(), { header: true })
    const cents = (column: string) => data.reduce((sum, row) => sum + Math.round(Number(row[column]) * 100), 0)
    expect([data.length, cents('expected')]).toEqual([3, 12_900])
  })

  await test.step('what moved is listed on its own day, and its file comes to the same cent', async () => {
    await bench.getByRole('button', { name: 'Received and refunded' }).click()
    await expect(bench.getByRole('row', { name: new RegExp(`${name}.* received €43\\.00`) })).toBeVisible()
    const href = await studio.getByRole('link', { name: 'Export CSV' }).getAttribute('href')
    const csv = await (await studio.request.get(href ?? '')).text()
    const { data } = Papa.parse<Record<string, string>>(csv.trim(), { header: true })
    expect(data).toMatchObject([{ day: today, movement: 'payment', received: '43.00', buyer: name }])
    await bench.getByRole('button', { name: 'By what was sold' }).click()
    const sold = bench.getByRole('table', { name: 'By what was sold' })
    await expect(sold.getByRole('row', { name: /^Money of a span.* €43\.00/ })).toBeVisible()
    await bench.getByRole('button', { name: 'Split them among their courses' }).click()
    await expect(bench.getByText(/^Each bundle’s money is split among its courses/)).toBeVisible()
    await expect(sold.getByRole('row', { name: /^Altogether €43\.00/ })).toBeVisible()
    await bench.getByRole('button', { name: 'Due', exact: true }).click()
  })

  await test.step('a figure opens what it is made of', async () => {
    await bench.getByRole('button', { name: '€86.00', exact: true }).click()
    await expect(bench.getByText('Only what is still to come.')).toBeVisible()
    await expect(bench.getByRole('row', { name: /^2 payments €86\.00/ })).toBeVisible()
    await bench.getByRole('button', { name: 'Show all' }).click()
    const months = bench.getByRole('table', { name: 'By month' })
    await months.getByRole('button', { name: 'To come €43.00' }).last().click()
    await expect(bench.getByRole('row', { name: /^1 payment €43\.00/ })).toBeVisible()
  })

  await test.step('a month as a calendar, and a day of it down to the order', async () => {
    await studio.goto(`/studio/money?search=${encodeURIComponent(email)}&month=${last.slice(0, 7)}`)
    await bench.getByRole('button', { name: 'As a calendar' }).click()
    await bench.getByRole('button', { name: formatSpan({ from: last, until: last }) }).click()
    await bench.getByRole('button', { name, exact: true }).click()
    await expect(studio.getByRole('link', { name: /^Open order/ })).toBeVisible()
  })
})

test('where the money is: a payout is entered from the statement, refused where it cannot be, and removed', async ({
  studio,
  shop,
}) => {
  const { slug } = await makeCourse(studio, unique('Paid out'), { kind: 'single', amount: 5000 })
  await fillCheckout(
    shop,
    slug,
    { name: unique('Paula Out'), email: `${unique('paula').replaceAll(' ', '.')}@post.example` },
    'Pays',
  )
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  await studio.goto('/studio/money')
  await studio.getByRole('button', { name: 'Where the money is' }).click()
  await studio.getByRole('button', { name: 'Enter a payout…' }).click()
  const dialog = studio.getByRole('dialog')
  const enter = dialog.getByRole('button', { name: 'Enter the payout' })
  await enter.click()
  await expect(dialog.getByText('Write how much was received.')).toBeVisible()
  await dialog.getByLabel('Amount').fill('999999')
  await enter.click()
  await expect(dialog.getByText(/^The books say that €.* is there/)).toBeVisible()
  await dialog.getByLabel('Amount').fill('12.34')
  await dialog.getByLabel('Note').fill('Statement 7')
  await enter.click()
  await expect(dialog).toBeHidden()
  await expect(studio.getByText('Statement 7')).toBeVisible()
  await studio.getByRole('button', { name: 'Remove the payout of €12.34' }).click()
  await expect(studio.getByText('Statement 7')).toBeHidden()
})
