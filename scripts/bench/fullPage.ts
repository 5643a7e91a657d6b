import { readFileSync } from 'node:fs'
import type { Page } from '@playwright/test'
import sharp from 'sharp'
import { readDemo } from '../../demo/school.ts'
import { emptyPart, MAX_PARTS, newShot, PART_KINDS, type PagePart } from '../../src/core/checkoutPages/parts.ts'
import { EVERYDAY_PAGE } from '../../src/core/content/checkoutPage.ts'
import { VIDEO_PART_BYTES } from '../../src/core/content/video.ts'

/** Pressed where the time from key to paint is measured. */
const KEYS = 100
const WORDS = 'Fold the sheet, press the fold, and sew through it with linen thread. '

/** A published page with as many parts as there can be, with a picture and a video, signed in as the demo's creator. */
export async function makeFullPage(page: Page, origin: string): Promise<{ id: string; slug: string }> {
  const call = async (method: string, path: string, data?: unknown, multipart?: Record<string, never>) => {
    const answer = await page.request.fetch(origin + path, {
      method,
      headers: { origin, 'idempotency-key': crypto.randomUUID() },
      ...(multipart ? { multipart } : data === undefined ? {} : { data: data as object }),
    })
    if (!answer.ok()) throw new Error(`${method} ${path}: ${answer.status()} ${await answer.text()}`)
    return answer.json()
  }
  await signIn(page)
  const buffer = await photograph()
  const file = { name: 'a.jpg', mimeType: 'image/jpeg', buffer }
  const picture = await call('POST', '/api/media/pictures', undefined, { file } as never)
  const video = readFileSync('demo/media/comb.webm')
  const { id: videoId, parts } = await call('POST', '/api/media/videos', { length: video.length })
  for (let n = 0; n < parts; n++) {
    const part = video.subarray(n * VIDEO_PART_BYTES, (n + 1) * VIDEO_PART_BYTES)
    await page.request.put(`${origin}/api/media/videos/${videoId}/parts/${n}`, { headers: { origin }, data: part })
  }
  const { id: filmId } = await call('POST', `/api/media/videos/${videoId}/finish`, { name: 'comb.webm' })
  const product = readDemo().file.courses.find(({ slug }) => slug === 'coptic-binding')
  const made = { productId: product?.id, name: 'Full', from: { arrangement: 'empty' } }
  const { id } = await call('POST', '/api/pages', made)
  const { slug, draftRev: baseRev } = await call('GET', `/api/pages/${id}`)
  const shot = { ...newShot(picture.id), isDecoration: true }
  const content = { ...EVERYDAY_PAGE, parts: fullParts(shot, filmId) }
  const { draftRev } = await call('PUT', `/api/pages/${id}/draft`, { baseRev, content })
  await call('POST', `/api/pages/${id}/publish`, { rev: draftRev })
  return { id, slug }
}

/** A picture as heavy as a photograph: marbled paper from shapes, with the grain of a camera. */
async function photograph(): Promise<Buffer> {
  const [width, height] = [1600, 1000]
  const grain = sharp({
    create: { width, height, channels: 3, background: '#808080', noise: { type: 'gaussian', mean: 128, sigma: 10 } },
  })
  return sharp('demo/media/comb-still.webp')
    .resize({ width, height, fit: 'cover' })
    .composite([{ input: await grain.png().toBuffer(), blend: 'soft-light' }])
    .jpeg()
    .toBuffer()
}

function fullParts(shot: ReturnType<typeof newShot>, videoId: string): PagePart[] {
  const filled = (kind: PagePart['kind'], id: string): PagePart => {
    const part = emptyPart(kind, id)
    switch (part.kind) {
      case 'opening':
        return { ...part, behind: 'picture', picture: shot }
      case 'text':
        return { ...part, html: `<h2>A letter</h2><p>${WORDS.repeat(6)}</p>` }
      case 'picture':
        return { ...part, picture: shot, caption: WORDS }
      case 'video':
        return { ...part, title: 'How it is sewn', videoId }
      case 'gets':
        return { ...part, lines: Array(8).fill(WORDS) }
      case 'testimonials':
        return {
          ...part,
          people: Array.from({ length: 6 }, (_, n) => ({
            id: `p${n}`,
            words: WORDS,
            name: 'Ada',
            role: '',
            picture: shot,
          })),
        }
      case 'guarantee':
        return { ...part, days: 14, text: WORDS }
      case 'questions':
        return {
          ...part,
          list: Array.from({ length: 12 }, (_, n) => ({ id: `q${n}`, question: 'Why?', answer: WORDS })),
        }
      case 'teacher':
        return { ...part, name: 'Marlene', text: WORDS.repeat(4), picture: shot }
      default:
        return part
    }
  }
  const more = Array.from({ length: MAX_PARTS - PART_KINDS.length }, (_, n) => filled('text', `more-${n}`))
  return [...PART_KINDS.map((kind) => filled(kind, kind)), ...more]
}

async function signIn(page: Page): Promise<void> {
  const { email, password } = readDemo().life.creator
  await page.goto('/studio')
  await page.getByLabel('Email').fill(email)
  await page.getByLabel('Password').fill(password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await page.getByRole('link', { name: 'Sell' }).waitFor()
}

/** From a key to the paint that shows it, while a page of 20 parts is written on. */
export async function benchTyping(page: Page, id: string): Promise<void> {
  await signIn(page)
  await page.goto(`/studio/sell/pages/${id}`)
  const shaped = page.frameLocator('iframe[title^="The page at"]')
  const title = shaped.getByRole('textbox', { name: 'Title', exact: true })
  await title.click()
  await title.evaluate((field) => {
    field.addEventListener('keydown', (event) => {
      // After the next frame was drawn: a task behind its animation frame.
      requestAnimationFrame(() => {
        const channel = new MessageChannel()
        channel.port1.onmessage = () => performance.measure('key', { start: event.timeStamp })
        channel.port2.postMessage(null)
      })
    })
  })
  for (let n = 0; n < KEYS; n++) await page.keyboard.press('abcdefghij '[n % 11] ?? 'a', { delay: 30 })
  const times = await title.evaluate(() => performance.getEntriesByName('key').map(({ duration }) => duration))
  if (times.length < KEYS - 1) throw new Error(`only ${times.length} of ${KEYS} keys were drawn`)
  const sorted = times.sort((a, b) => a - b)
  console.log(
    `  from a key to its paint on the bench, 20 parts: ${sorted[KEYS / 2]?.toFixed(0)} ms, at the 95th percentile ${sorted[Math.floor(KEYS * 0.95)]?.toFixed(0)} ms (goal: 50)`,
  )
  await page.close()
}
