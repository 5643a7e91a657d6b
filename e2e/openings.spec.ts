import { addDays } from '../src/core/calendar/day.ts'
import { formatDay } from '../src/core/calendar/formatDay.ts'
import {
  choose,
  expect,
  fillCheckout,
  makeBundle,
  makeCourse,
  payButton,
  post,
  publish,
  test,
  unique,
} from './acorn.ts'

const someone = () => ({ name: 'Early Bird', email: `${unique('early').replaceAll(' ', '')}@post.example` })

test('a course that opens later: set on its bench, sold in a bundle, said before and after paying, and moved', async ({
  studio,
  shop,
}) => {
  const { request } = studio
  const paper = await makeCourse(studio, unique('Paper'), 2400)
  const boxes = await makeCourse(studio, unique('Boxes'), 7500)
  const bundle = await makeBundle(studio, unique('Shelf'), [boxes.courseId, paper.courseId], 9000)
  const { day: today } = await post(request, '/api/school/practice', undefined, 'GET')
  const say = (day: string) => formatDay(day, 'en', today.slice(0, 4))

  await test.step('the creator chooses its day', async () => {
    await studio.goto(`/studio/sell/courses/${boxes.courseId}`)
    await choose(studio, 'When the course opens', 'on')
    const field = studio.getByRole('textbox', { name: 'The course opens on' })
    await expect(field).toHaveValue(formatDay(addDays(today, 14), 'en'))
    await field.fill('someday')
    await studio.getByRole('button', { name: 'Publish…' }).click()
    await expect(studio.getByRole('dialog').getByText('“The course opens on” is not saved.')).toBeVisible()
    await studio.getByRole('dialog').getByRole('button', { name: 'Not yet' }).click()
    await field.fill(addDays(today, 20))
    await expect(studio.getByText('Saved')).toBeVisible()
    await publish(studio)
  })

  const who = someone()
  await test.step('buyers are told before they pay', async () => {
    await fillCheckout(shop, bundle.slug, who, 'Pays')
    await expect(shop.getByText('Today, and 1 of the 2 courses is open for good')).toBeVisible()
    await expect(shop.getByText(`“${boxes.title}” opens on ${say(addDays(today, 20))}.`)).toBeVisible()
    await payButton(shop).click()
  })
  await test.step('and after: what is open has its way in, the other its day', async () => {
    await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
    await expect(shop.getByText(`Opens on ${formatDay(addDays(today, 20), 'en')}`)).toBeVisible()
    await expect(shop.getByRole('link', { name: `Open ${paper.title}` })).toBeVisible()
    await expect(shop.getByRole('link', { name: `Open ${boxes.title}` })).toHaveCount(0)
    await shop.goto('/my')
    await expect(shop.getByText(`opens on ${formatDay(addDays(today, 20), 'en')}`)).toBeVisible()
  })
  await test.step('moving it asks, with the number of people', async () => {
    await studio.goto(`/studio/sell/courses/${boxes.courseId}`)
    await studio.getByRole('textbox', { name: 'The course opens on' }).fill(addDays(today, 30))
    await studio.getByRole('button', { name: 'Publish…' }).click()
    await expect(
      studio.getByRole('dialog').getByText('1 person in Practice has it and waits for its opening.'),
    ).toBeVisible()
    await studio.getByRole('dialog').getByRole('button', { name: 'Publish now' }).click()
    await expect(studio.getByRole('dialog')).toHaveCount(0)
  })
  await test.step('the worker moves what is not open yet', async () => {
    await expect(async () => {
      await shop.goto('/my')
      await expect(shop.getByText(`opens on ${formatDay(addDays(today, 30), 'en')}`)).toBeVisible({ timeout: 500 })
    }).toPass({ timeout: 60_000 })
  })
  await test.step('who has the bundle has the other course free, as long as that lasts', async () => {
    const extra = await makeCourse(studio, unique('Extra'), 5000)
    const { id } = await post(request, '/api/offers', { productId: extra.courseId })
    await studio.goto(`/studio/sell/offers/${id}`)
    await studio.getByLabel('Name of the offer').fill('For members')
    await studio.getByRole('radio', { name: 'Free' }).click()
    await choose(studio, 'Who may buy', 'For members of')
    await choose(studio, 'Course or bundle they need', bundle.title)
    await choose(studio, 'How long it stays open', 'as long as the membership lasts')
    await expect(studio.getByText('Free. Open as long as the membership lasts.')).toBeVisible()
    await publish(studio)
    await shop.goto(`/buy/${extra.slug}?offer=${id}`)
    await expect(shop.getByText('Today, and the course is open as long as your membership lasts')).toBeVisible()
    await shop.getByLabel('Name').fill(who.name)
    await shop.getByLabel('Email').fill(who.email)
    await shop.getByRole('button', { name: 'Get the course' }).click()
    await expect(shop.getByText(`It stays open as long as your membership in “${bundle.title}” lasts.`)).toBeVisible()
  })
})
