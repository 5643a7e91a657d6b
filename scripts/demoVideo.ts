import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { chromium } from '@playwright/test'
import sharp from 'sharp'
import { CHROMIUM } from './chromium.ts'

/**
 * Makes the demo school's video: a comb that is drawn through floating colour, a few seconds of shapes. It is drawn and
 * encoded in the browser, so that it plays in every one. Its captions stand beside it, in `demo/media/`.
 */
const SECONDS = 8
const [WIDTH, HEIGHT, FRAMES] = [640, 360, 24]

const browser = await chromium.launch(CHROMIUM)
const page = await browser.newPage()
// Only a page of a secure place may encode; nothing is loaded for it.
await page.route('http://localhost/**', (route) => route.fulfill({ contentType: 'text/html', body: '' }))
await page.goto('http://localhost/')
await page.addScriptTag({ path: join('node_modules', 'mediabunny', 'dist', 'bundles', 'mediabunny.cjs') })
const { film, still } = await page.evaluate(
  async ({ seconds, width, height, frames }) => {
    // biome-ignore lint/suspicious/noExplicitAny: the library as it stands in the page
    const { Output, WebMOutputFormat, BufferTarget, CanvasSource } = (globalThis as any).Mediabunny
    const canvas = new OffscreenCanvas(width, height)
    const pen = canvas.getContext('2d') as OffscreenCanvasRenderingContext2D
    const output = new Output({ format: new WebMOutputFormat(), target: new BufferTarget() })
    const source = new CanvasSource(canvas, { codec: 'vp9', bitrate: 450_000 })
    output.addVideoTrack(source, { frameRate: frames })
    await output.start()
    let kept: Blob | null = null
    const colors = ['#33466b', '#8c3a46', '#d2ab5e', '#2f5d50', '#f4f8ea']
    for (let frame = 0; frame < seconds * frames; frame++) {
      const time = frame / frames
      pen.fillStyle = '#8f6220'
      pen.fillRect(0, 0, width, height)
      // Bands of colour; where the comb has been they are waves.
      const comb = Math.max(0, Math.min(1, (time - 2) / 4)) * height
      for (let band = 0; band < 24; band++) {
        pen.strokeStyle = colors[band % colors.length] as string
        pen.lineWidth = 9
        pen.beginPath()
        for (let x = -10; x <= width + 10; x += 8) {
          const at = band * 16 + 4 * Math.sin(x / 60 + band + time / 2)
          const combed = Math.max(0, Math.min(1, (comb - at) / 40))
          pen.lineTo(x, at + combed * 14 * Math.sin(x / 14))
        }
        pen.stroke()
      }
      // The comb itself.
      if (time > 2 && time < 6) {
        pen.fillStyle = '#1a231c'
        pen.fillRect(0, comb - 10, width, 10)
        for (let tooth = 20; tooth < width; tooth += 44) pen.fillRect(tooth, comb, 5, 22)
      }
      await source.add(time, 1 / frames)
      if (frame === 4 * frames) kept = await canvas.convertToBlob({ type: 'image/webp', quality: 0.82 })
    }
    await output.finalize()
    const picture = (await (kept as Blob | null)?.arrayBuffer()) ?? new ArrayBuffer(0)
    return { film: [...new Uint8Array(output.target.buffer as ArrayBuffer)], still: [...new Uint8Array(picture)] }
  },
  { seconds: SECONDS, width: WIDTH, height: HEIGHT, frames: FRAMES },
)
await browser.close()
const file = join('demo', 'media', 'comb.webm')
writeFileSync(file, Buffer.from(film))
// What is seen before it plays; the school's file holds it as a picture.
const picture = await sharp(Buffer.from(still)).webp({ quality: 82 }).toBuffer()
writeFileSync(join('demo', 'media', 'comb-still.webp'), picture)
console.log(`${file}: ${Math.round(film.length / 1024)} kB, ${SECONDS} seconds`)
