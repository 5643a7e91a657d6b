import { chromium, type Page } from '@playwright/test'
import { CHROMIUM } from '../chromium.ts'
import { benchTyping, makeFullPage } from './fullPage.ts'
import { median } from './quote.ts'
import { startMeasured } from './server.ts'

const ROUNDS = 7
/** Chromium's own "slow 4G": 1.6 Mbit/s down, 750 kbit/s up, 150 ms there and back, stretched as its tools do. */
const SLOW_4G = {
  offline: false,
  latency: 150 * 3.75,
  downloadThroughput: (1.6 * 1024 * 1024 * 0.9) / 8,
  uploadThroughput: (750 * 1024 * 0.9) / 8,
}

/** The checkout page's JavaScript and its time to largest paint on a slow phone, against a bare page of the same server. */
export async function benchCheckoutPage(): Promise<void> {
  const { config, close } = await startMeasured()
  const browser = await chromium.launch(CHROMIUM)
  try {
    const full = await makeFullPage(await browser.newPage({ baseURL: config.origin }), config.origin)
    const pages = {
      'the everyday page': '/buy/coptic-binding',
      'a page of 20 parts, picture and video': `/buy/${full.slug}`,
    }
    const bare: number[] = []
    const seen = new Map<string, { largest: number[]; script: number; shift: number }>()
    for (let round = 0; round < ROUNDS; round++) {
      for (const [name, path] of Object.entries(pages)) {
        const { largest, script, shift } = await firstPaint(await browser.newPage(), config.origin + path)
        const before = seen.get(name) ?? { largest: [], script, shift: 0 }
        seen.set(name, { largest: [...before.largest, largest], script, shift: Math.max(before.shift, shift) })
      }
      bare.push((await firstPaint(await browser.newPage(), `${config.origin}/api/session`)).largest)
    }
    for (const [name, { largest, script, shift }] of seen) {
      const paint = median(largest)
      console.log(`  ${name}`)
      console.log(
        `    ${(script / 1000).toFixed(1)} kB of JavaScript over the wire before it can be used (goal: at most 90)`,
      )
      console.log(
        `    largest paint on slow 4G with the processor slowed four times: ${paint.toFixed(0)} ms; a bare answer of the same server ${median(bare).toFixed(0)} ms; ratio ${(paint / median(bare)).toFixed(2)} (goal: at most 1.5)`,
      )
      console.log(`    layout shift ${shift.toFixed(3)} (goal: at most 0.02)`)
    }
    await benchTyping(
      await browser.newPage({ baseURL: config.origin, viewport: { width: 1280, height: 800 } }),
      full.id,
    )
  } finally {
    await browser.close()
    await close()
  }
}

async function firstPaint(page: Page, url: string): Promise<{ largest: number; script: number; shift: number }> {
  const session = await page.context().newCDPSession(page)
  await session.send('Network.enable')
  await session.send('Network.emulateNetworkConditions', SLOW_4G)
  await session.send('Emulation.setCPUThrottlingRate', { rate: 4 })
  let script = 0
  const scripts = new Set<string>()
  session.on('Network.responseReceived', ({ type, requestId, response }) => {
    if (type === 'Script' && response.url.startsWith(new URL(url).origin)) scripts.add(requestId)
  })
  session.on('Network.loadingFinished', ({ requestId, encodedDataLength }) => {
    if (scripts.has(requestId)) script += encodedDataLength
  })
  await page.goto(url, { waitUntil: 'load', timeout: 120_000 })
  // Later candidates for the largest paint, and chunks that are fetched after the load, come within this.
  await page.waitForTimeout(3000)
  const largest = await page.evaluate(
    () =>
      new Promise<number>((resolve) => {
        new PerformanceObserver((list) => resolve(list.getEntries().at(-1)?.startTime ?? Number.NaN)).observe({
          type: 'largest-contentful-paint',
          buffered: true,
        })
      }),
  )
  const shift = await page.evaluate(
    () =>
      new Promise<number>((resolve) => {
        let sum = 0
        new PerformanceObserver((list) => {
          for (const entry of list.getEntries()) sum += (entry as unknown as { value: number }).value
        }).observe({ type: 'layout-shift', buffered: true })
        setTimeout(() => resolve(sum), 300)
      }),
  )
  await page.close()
  return { largest, script, shift }
}
