import { expect, mailTo, OWNER, payButton, running, test, unique } from './acorn.ts'

test('a creator prices a course from nothing, a stranger buys it and comes back', async ({ page: studio, shop }) => {
  const title = unique('Long-stitch binding')
  const email = `${unique('stranger').replaceAll(' ', '')}@post.example`

  await test.step('the creator signs in', async () => {
    await studio.goto('/studio')
    await studio.getByLabel('Email').fill(OWNER.email)
    await studio.getByLabel('Password').fill('not the password')
    await studio.getByRole('button', { name: 'Sign in' }).click()
    await expect(studio.getByRole('alert')).toContainText('do not match')
    await studio.getByLabel('Password').fill(OWNER.password)
    await studio.getByRole('button', { name: 'Sign in' }).click()
    await expect(studio.getByRole('button', { name: 'Mode: Practice' })).toBeVisible()
  })

  await test.step('makes a course with two lessons', async () => {
    await studio.getByRole('button', { name: 'New course' }).click()
    await studio.getByRole('button', { name: 'Create it' }).click()
    await expect(studio.getByRole('alert')).toHaveText('A course needs a title.')
    await studio.getByLabel('Title of the course').fill(title)
    await studio.getByRole('button', { name: 'Create it' }).click()
    await studio.getByLabel('Short text').fill('A spine that shows its work.')
    await studio.getByRole('textbox', { name: 'Description' }).fill('Soft covers, no glue.')
    for (const [index, lesson] of ['Paper', 'Thread'].entries()) {
      await studio.getByRole('button', { name: 'Add a lesson' }).click()
      await expect(studio.getByLabel(`Title of lesson ${index + 1}`)).toBeFocused()
      if (index === 0) await expect(studio.getByText('Lesson 1 has no title.')).toBeVisible()
      await studio.keyboard.type(lesson)
      await expect(studio.getByText(/^Lesson \d has no title\.$/)).toHaveCount(0)
      await studio
        .getByRole('textbox', { name: `Text of lesson ${index + 1}` })
        .fill(`All about ${lesson.toLowerCase()}.`)
    }
    await expect(studio.getByRole('status').filter({ hasText: 'Draft saved' })).toBeVisible()
  })

  await test.step('gives it a price, which reads back', async () => {
    await studio.getByLabel('Preview').getByRole('button', { name: 'Give it a price' }).click()
    const mirror = studio.getByLabel('Preview')
    await expect(mirror.getByText('It has no price yet.')).toBeVisible()
    const price = studio.getByLabel('Price', { exact: true })
    for (const [typed, why] of [
      ['-3', 'below zero'],
      ['abc', 'in figures'],
      ['1.2345', 'has 2 decimals'],
      ['9999999999', 'largest price'],
    ] as const) {
      await price.fill(typed)
      await expect(studio.getByRole('alert').filter({ hasText: why })).toBeVisible()
    }
    for (const [typed, said] of [
      ['1299', '€1,299.00 today'],
      ['1299,5', '€1,299.50 today'],
      ['1.299,50', '€1,299.50 today'],
      ['1,299', '€1,299.00 today'],
      ['48', '€48.00 today'],
    ] as const) {
      await price.fill(typed)
      await expect(mirror.getByText(said)).toBeVisible()
    }
    await price.fill('1,299')
    await expect(studio.getByText('Read as €1,299.00.')).toBeVisible()
    await price.fill('48')
    await expect(mirror.getByText('− €1.01')).toBeVisible()
    await expect(mirror.getByText('€38.99')).toBeVisible()
    await expect(mirror.getByText('This offer is a draft.')).toBeVisible()
  })

  await test.step('publishes, having seen what will change', async () => {
    await studio.getByRole('button', { name: 'Publish…' }).click()
    const dialog = studio.getByRole('dialog')
    await expect(dialog).toContainText('Price new: €48.00')
    await expect(dialog).toContainText('also publishes the course')
    await dialog.getByRole('button', { name: 'Publish now' }).click()
    await expect(studio.getByLabel('Preview').getByText('It can be bought now.')).toBeVisible()
  })

  await test.step('a stranger finds it on the school’s page and pays', async () => {
    await shop.goto('/')
    await shop.getByRole('link', { name: title }).click()
    await expect(shop.getByText('Soft covers, no glue.')).toBeVisible()
    await shop.getByRole('link', { name: 'Enrol for €48.00' }).click()
    await payButton(shop).click()
    await expect(shop.getByRole('alert').filter({ hasText: 'Write your name.' })).toBeVisible()
    await shop.getByLabel('Name').fill('Sofia Stranger')
    await shop.getByLabel('Email').fill('sofia@')
    await shop.frameLocator('iframe').getByRole('button', { name: 'Pays', exact: true }).click()
    await payButton(shop).click()
    await expect(shop.getByRole('alert').filter({ hasText: 'Write an email address' })).toBeVisible()
    await shop.getByLabel('Email').fill(email)
    await expect(payButton(shop)).toHaveText('Pay €48.00')
    await payButton(shop).click()
    await expect(shop.getByRole('heading', { name: `Thank you. ${title} is open.` })).toBeVisible()
    await shop.getByRole('link', { name: 'Open the course' }).click()
    await shop.getByRole('link', { name: 'Begin: Paper' }).click()
    await expect(shop.getByText('All about paper.')).toBeVisible()
  })

  await test.step('the message comes; its link sets a password, once', async () => {
    await expect.poll(async () => (await mailTo(shop, email)).length).toBe(1)
    const [mail] = await mailTo(shop, email)
    expect(mail?.html).toContain('€48.00')
    const link = /http\S+\/password\/\S+/.exec(mail?.text ?? '')?.[0] ?? ''
    await shop.context().clearCookies()
    await shop.goto(`/learn/${new URL(shop.url()).pathname.split('/')[2]}`)
    await expect(shop.getByRole('heading', { name: `Sign in to open ${title}.` })).toBeVisible()
    await shop.goto(link)
    await shop.getByLabel('New password').fill('short')
    await shop.getByRole('button', { name: 'Save and open my courses' }).click()
    await expect(shop.getByRole('alert')).toContainText('at least 10')
    await shop.getByLabel('New password').fill('a stranger’s password')
    await shop.getByRole('button', { name: 'Save and open my courses' }).click()
    await expect(shop.getByText('2 lessons · yours for good')).toBeVisible()
    await shop.goto(link)
    await expect(shop.getByRole('heading', { name: 'This link has been used or has expired.' })).toBeVisible()
  })

  await test.step('the buyer signs in elsewhere and finds the course', async () => {
    await shop.context().clearCookies()
    await shop.goto('/my')
    await shop.getByLabel('Email').fill(email)
    await shop.getByLabel('Password').fill('a stranger’s password')
    await shop.getByRole('button', { name: 'Sign in' }).click()
    await expect(shop.getByRole('heading', { name: title })).toBeVisible()
  })

  await test.step('the creator sees what happened, in order', async () => {
    await studio.goto('/studio/orders')
    await studio.getByLabel('Search orders').fill('Sofia Stranger')
    await studio
      .getByRole('link', { name: /Sofia Stranger/ })
      .first()
      .click()
    const journal = studio.getByLabel('Preview').getByRole('listitem')
    await expect(journal.first()).toContainText('Ordered, for €48.00')
    await expect(journal.filter({ hasText: 'Collected €48.00 by card ending 4821' })).toBeVisible()
    await expect(journal.filter({ hasText: 'Message sent: receipt' })).toBeVisible()
    await expect(studio.getByText(/Gateway’s reference pay-/)).toBeVisible()
    expect(running().origin).toContain('localhost')
  })
})
