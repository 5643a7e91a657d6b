import { expect, fillCheckout, makeCourse, post, test, unique } from './acorn.ts'
import { newPage, pagesOf } from './pageBench.ts'

test.describe('in reach', () => {
  test('each view of the studio has a title of its own, and opened it has the focus at its heading', async ({
    studio,
  }) => {
    const { offerId, title } = await makeCourse(studio, unique('Titled'), 4800)
    await studio.goto(`/studio/sell/offers/${offerId}`)
    await expect(studio).toHaveTitle(`One payment, ${title} · Young Acorn`)
    for (const [area, heading] of [
      ['Orders', /^Orders in Practice/],
      ['People', /^People in Practice/],
      ['Setup', /^Gateways in Practice/],
    ] as const) {
      await studio.getByRole('navigation', { name: 'Areas' }).getByRole('link', { name: area }).click()
      await expect(studio.getByRole('heading', { level: 1 })).toBeFocused()
      await expect(studio).toHaveTitle(heading)
    }
    await studio.keyboard.press('Control+k')
    await studio.keyboard.type('font')
    await studio.getByRole('option', { name: /^Change looks/ }).click()
    await expect(studio.getByRole('heading', { level: 1, name: 'Looks' })).toBeFocused()
    // A new course is named while the bench shows the steps, also once something was sold; an address's part may be anything.
    await studio.goto('/studio/sell?new')
    await expect(studio.getByLabel('Title of the course')).toBeVisible()
    await expect(studio.getByRole('heading', { level: 1, name: /^A course, a price/ })).toBeVisible()
    await studio.goto('/studio/orders#/no selector')
    await expect(studio.getByRole('heading', { level: 1, name: 'Orders in Practice' })).toBeVisible()
  })

  test('no view of the studio scrolls sideways at 320 or 640 pixels', async ({ studio }) => {
    const { courseId, offerId } = await makeCourse(studio, unique('Narrow'), {
      kind: 'installments',
      count: 3,
      every: { count: 1, unit: 'month' },
      amount: null,
      total: 12_900,
      deposit: null,
      trial: null,
    })
    const [page] = await pagesOf(studio, courseId)
    const views = [
      `/studio/sell/courses/${courseId}`,
      `/studio/sell/offers/${offerId}`,
      `/studio/sell/pages/${page?.id}`,
      '/studio/sell/front',
      `/studio/sell/compare?offers=${offerId}`,
      '/studio/orders',
      '/studio/money',
      '/studio/people',
      ...['gateways', 'messages', 'school', 'looks', 'practice', 'live', 'account'].map(
        (one) => `/studio/setup/${one}`,
      ),
    ]
    for (const width of [320, 640]) {
      await studio.setViewportSize({ width, height: 640 })
      for (const view of views) {
        await studio.goto(view)
        await expect(studio.getByRole('heading', { level: 1 }).first()).toBeVisible()
        const over = () => studio.evaluate(() => document.documentElement.scrollWidth - innerWidth)
        await expect.poll(over, { message: `${view} at ${width}` }).toBeLessThanOrEqual(0)
      }
    }
  })

  test('the heads of the shelf stay in sight from a height of 480 pixels on', async ({ studio }) => {
    const { offerId } = await makeCourse(studio, unique('Shelved'), 4800)
    await studio.setViewportSize({ width: 1280, height: 480 })
    await studio.goto(`/studio/sell/offers/${offerId}`)
    for (const name of [/^Courses/, /^Bundles/, /^Checkout pages/, /^Coupons/]) {
      await expect(studio.getByRole('button', { name, expanded: name.source === '^Courses' })).toBeInViewport({
        ratio: 1,
      })
    }
  })

  test('on the page bench the keyboard passes through the page and leaves what is chosen; Enter leads to its choices, Escape back', async ({
    studio,
  }) => {
    const { courseId } = await makeCourse(studio, unique('Keys'), 4800)
    await newPage(studio, courseId, { arrangement: 'letter' })
    const form = studio.getByRole('button', { name: /^Order form/ })
    await form.focus()
    await studio.keyboard.press('Enter')
    const choices = studio.getByRole('region', { name: 'Choices' })
    await expect(choices).toBeFocused()
    await expect(form).toHaveAttribute('aria-pressed', 'true')
    await studio.keyboard.press('Escape')
    await expect(form).toBeFocused()
    // Tab goes through the frame with its texts, and out of it again.
    const isInFrame = () => studio.evaluate(() => document.activeElement?.tagName === 'IFRAME')
    let seen = 0
    for (let press = 0; press < 80; press++) {
      await studio.keyboard.press('Tab')
      if (await isInFrame()) seen++
      else if (seen > 0) break
    }
    expect(seen).toBeGreaterThan(1)
    await expect(form).toHaveAttribute('aria-pressed', 'true')
    await expect(choices.getByRole('button', { name: 'Add an order bump' })).toBeVisible()
  })

  test('the focus stays in the code’s field, right or wrong; what changes is announced, and a wrong code is corrected in place', async ({
    studio,
    shop,
  }) => {
    const { slug, offerId } = await makeCourse(studio, unique('Coded'), 10_000)
    const code = unique('HALF').replace(' ', '')
    const { id } = await post(studio.request, '/api/coupons', { appliesTo: { products: [], offers: [offerId] } })
    const { draft } = await post(studio.request, `/api/coupons/${id}`, undefined, 'GET')
    const saved = await post(
      studio.request,
      `/api/coupons/${id}/draft`,
      { baseRev: 1, content: { ...draft, code, rate: 5000 } },
      'PUT',
    )
    await post(studio.request, `/api/coupons/${id}/publish`, { rev: saved.draftRev })
    await fillCheckout(shop, slug, { name: 'Cora Code', email: 'cora.code@post.example' }, null)
    await shop.getByRole('button', { name: 'Have a code?' }).click()
    const field = shop.getByLabel('Code', { exact: true })
    await field.fill(`${code}X`)
    await field.press('Enter')
    await expect(shop.getByText('There is no code like this.')).toBeVisible()
    await expect(field).toBeFocused()
    await shop.getByRole('button', { name: 'Correct it' }).click()
    await expect(field).toBeFocused()
    await expect(field).toHaveValue(`${code}X`)
    await field.fill(code)
    await field.press('Enter')
    await expect(shop.getByRole('status').filter({ hasText: 'Now €50.00 today.' })).toBeAttached()
    await expect(field).toBeFocused()
    await expect(shop.getByRole('complementary', { name: 'Mode of the shop' })).toContainText('Practice')
  })

  test('in forced colours every button has an edge', async ({ studio }) => {
    await studio.emulateMedia({ forcedColors: 'active' })
    const { offerId } = await makeCourse(studio, unique('Edged'), 4800)
    await studio.goto(`/studio/sell/offers/${offerId}`)
    const publish = studio.getByRole('button', { name: 'Publish…' })
    await expect(publish).toBeVisible()
    const edge = await publish.evaluate((button) => {
      const { borderTopWidth, borderTopColor } = getComputedStyle(button)
      return [borderTopWidth, borderTopColor]
    })
    expect(edge[0]).toBe('1px')
    expect(edge[1]).not.toMatch(/^rgba\(.*, 0\)$/)
  })
})
