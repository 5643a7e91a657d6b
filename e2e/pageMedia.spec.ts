import sharp from 'sharp'
import { expect, makeCourse, pageOnBench, publish, test, unique } from './acorn.ts'
import { halves, newPage, pagesOf } from './pageBench.ts'

// A bench draws a whole page again and again, which a browser without a graphics card does slowly.

test('a picture stays in sight where its focus is, at three widths, and is described before it is published', async ({
  studio,
  shop,
}) => {
  const course = await makeCourse(studio, unique('Picture'), 12_900)
  const { id } = await newPage(studio, course.courseId, { arrangement: 'date' })
  const bench = pageOnBench(studio)
  await expect(studio.getByText('The opening has no picture yet.', { exact: false })).toBeVisible()
  const [chooser] = await Promise.all([
    studio.waitForEvent('filechooser'),
    bench.getByRole('button', { name: 'Choose a picture' }).first().click(),
  ])
  await chooser.setFiles({ name: 'halves.png', mimeType: 'image/png', buffer: await halves() })
  await expect(studio.getByText('Describe the picture for people who cannot see it', { exact: false })).toBeVisible()
  await studio.getByLabel('What can be seen on it').fill('Red, then blue')
  const focus = bench.getByRole('button', { name: /^What stays in sight/ })
  await focus.focus()
  for (let press = 0; press < 25; press++) await studio.keyboard.press('ArrowRight')
  await expect(bench.getByRole('button', { name: /^What stays in sight: 100 %/ })).toBeVisible()
  await expect(studio.getByText('Draft saved')).toBeVisible()
  await publish(studio)
  const { slug } = (await pagesOf(studio, course.courseId)).find((page) => page.id === id) ?? { slug: '' }
  for (const width of [1280, 768, 390]) {
    await shop.setViewportSize({ width, height: 900 })
    await shop.goto(`/buy/${slug}`)
    const picture = shop.getByRole('img', { name: 'Red, then blue' })
    await expect(picture).toHaveJSProperty('complete', true)
    // Where it is cut, its right end is what is left of it: the boundary is left of the middle.
    const box = await picture.boundingBox()
    if (!box) throw new Error('not shown')
    const isCut = box.width < box.height * 1.9
    if (isCut) {
      const seen = sharp(await picture.screenshot())
      const { width: wide = 0, height: high = 0 } = await seen.metadata()
      const at = { left: Math.round(wide * 0.5), top: Math.round(high / 2), width: 1, height: 1 }
      const [red = 255, , blue = 0] = await seen.extract(at).raw().toBuffer()
      expect([width, red < 60, blue > 160]).toEqual([width, true, true])
    }
    expect(await picture.evaluate((img: HTMLImageElement) => img.naturalWidth)).toBeLessThanOrEqual(1600)
  }
})

test('a video whose upload broke in between is whole all the same, and plays with its captions', async ({
  studio,
  shop,
}) => {
  const course = await makeCourse(studio, unique('Video'), 12_900)
  const { id } = await newPage(studio, course.courseId, { arrangement: 'free' })
  await studio.getByRole('button', { name: /^Opening/ }).click()
  await studio.getByRole('radio', { name: 'Colour', exact: true }).check({ force: true })
  await studio.getByRole('button', { name: /^Video/ }).click()

  await test.step('what is no video is refused, whatever it is called', async () => {
    const lie = { name: 'holiday.mp4', mimeType: 'video/mp4', buffer: Buffer.from('<script>alert(1)</script>') }
    await studio.getByLabel('Video file').setInputFiles(lie)
    await expect(studio.getByText('This file is not a video that can be read. Use an MP4 or WebM file.')).toBeVisible()
  })

  await test.step('the connection is lost for a while, and the upload goes on where it was', async () => {
    let lost = 0
    await studio.route('**/api/media/videos/*/parts/*', async (route) => {
      if (lost++ < 2) await route.abort('internetdisconnected')
      else await route.continue()
    })
    await studio.getByLabel('Video file').setInputFiles('demo/media/comb.webm')
    await expect(studio.getByText('No connection at the moment. It goes on by itself.')).toBeVisible()
    await expect(studio.getByText('comb.webm · 0:08')).toBeVisible()
    expect(lost).toBe(3)
    await studio.unroute('**/api/media/videos/*/parts/*')
  })

  await test.step('a moment of it is what is seen before it plays', async () => {
    const player = studio.locator('video')
    await expect.poll(() => player.evaluate((one: HTMLVideoElement) => one.readyState)).toBeGreaterThan(0)
    await player.evaluate(
      (one: HTMLVideoElement) =>
        new Promise((resolve) => {
          one.addEventListener('seeked', resolve, { once: true })
          one.currentTime = 3
        }),
    )
    await studio.getByRole('button', { name: 'Use this moment' }).click()
    await expect(studio.getByText('Chosen', { exact: true })).toBeVisible()
  })

  await test.step('captions that cannot be read are refused with their line', async () => {
    const wrong = Buffer.from('WEBVTT\n\n00:05.000 --> 00:02.000\nx')
    await studio.getByLabel('Captions file').setInputFiles({ name: 'a.vtt', mimeType: 'text/vtt', buffer: wrong })
    await expect(studio.getByText('Line 3: These captions end before they begin.')).toBeVisible()
    await studio.getByLabel('Captions file').setInputFiles('demo/media/comb.vtt')
    await expect(studio.getByText('It has captions.')).toBeVisible()
  })

  await test.step('on the page nothing of it is loaded before it is pressed', async () => {
    await expect(studio.getByText('Draft saved')).toBeVisible()
    await publish(studio)
    const { slug } = (await pagesOf(studio, course.courseId)).find((page) => page.id === id) ?? { slug: '' }
    const loaded: string[] = []
    shop.on('request', (request) => loaded.push(new URL(request.url()).pathname))
    await shop.goto(`/buy/${slug}`)
    const play = shop.getByRole('link', { name: 'Play the video' })
    await expect(play).toBeVisible()
    expect(loaded.filter((path) => path.startsWith('/videos/'))).toEqual([])
    await play.click()
    const video = shop.locator('video')
    await expect(video).toBeVisible()
    await expect.poll(() => video.evaluate((one: HTMLVideoElement) => one.currentTime)).toBeGreaterThan(0)
    expect(await video.evaluate((one: HTMLVideoElement) => one.textTracks.length)).toBe(1)
  })
})
