import fc from 'fast-check'
import sharp from 'sharp'
import { anyPage } from '../src/testing/anyPage.ts'
import { expect, makeCourse, post, running, test, unique } from './acorn.ts'
import { expectNothingSerious } from './axe.ts'

/** How many pages are tried: `npm run pages -- 500`. */
const COUNT = Number(process.env.RANDOM_PAGES ?? 12)
/** Pages of one seed are always the same; the command tries others. */
const SEED = Number(process.env.RANDOM_SEED ?? 1)

test(`${COUNT} random pages can be used by everybody, and nothing on them is wider than a small phone`, async ({
  studio,
  shop,
}) => {
  test.setTimeout(60_000 + COUNT * 30_000)
  const course = await makeCourse(studio, unique('Any'), 12_900)
  const form = { file: { name: 'x.png', mimeType: 'image/png', buffer: await wide() } }
  const { origin } = running()
  const uploaded = await studio.request.post(`${origin}/api/media/pictures`, { multipart: form, headers: { origin } })
  const { id: pictureId } = await uploaded.json()
  const made = { productId: course.courseId, name: unique('Any'), from: { arrangement: 'empty' } }
  const { id } = await post(studio.request, '/api/pages', made)
  const { slug } = await post(studio.request, `/api/pages/${id}`, undefined, 'GET')
  await shop.setViewportSize({ width: 320, height: 800 })
  for (const [n, any] of fc.sample(anyPage([pictureId]), { numRuns: COUNT, seed: SEED }).entries()) {
    // Whatever is published is described.
    const content = JSON.parse(JSON.stringify(any).replaceAll('"isDecoration":false', '"isDecoration":true'))
    for (const part of content.parts) if (part.behind === 'picture' && !part.picture) part.behind = 'color'
    const { draftRev: baseRev } = await post(studio.request, `/api/pages/${id}`, undefined, 'GET')
    const { draftRev } = await post(studio.request, `/api/pages/${id}/draft`, { baseRev, content }, 'PUT')
    await post(studio.request, `/api/pages/${id}/publish`, { rev: draftRev })
    const answer = await shop.goto(`/buy/${slug}`)
    const which = `page ${n} of seed ${SEED}`
    expect([which, answer?.status()]).toEqual([which, 200])
    const wider = await shop.evaluate(() => document.documentElement.scrollWidth - innerWidth)
    expect([which, wider]).toEqual([which, 0])
    await expectNothingSerious(shop)
  }
})

function wide() {
  return sharp({ create: { width: 900, height: 300, channels: 3, background: '#446688' } })
    .png()
    .toBuffer()
}
