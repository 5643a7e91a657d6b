import { mkdirSync } from 'node:fs'
import { type BrowserContext, chromium, type Page } from '@playwright/test'
import { readDemo } from '../demo/school.ts'
import { CHROMIUM } from './chromium.ts'
import { startTestServers, type TestServer } from './testServer.ts'

/** `npm run screenshots`: one picture of each main view, made from the demo school, into docs/screenshots. */
const DIR = 'docs/screenshots'
mkdirSync(DIR, { recursive: true })

const { servers, end } = await startTestServers(['demo'])
const [{ origin }] = servers as [TestServer]
const browser = await chromium.launch(CHROMIUM)
try {
  const wide = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    baseURL: origin,
    colorScheme: 'light',
  })
  const narrow = await browser.newContext({ viewport: { width: 390, height: 844 }, baseURL: origin })
  await shop(wide, narrow)
  await studio(await browser.newContext({ viewport: { width: 1280, height: 800 }, baseURL: origin }))
} finally {
  await browser.close()
  await end()
}
process.exit(0)

async function shop(wide: BrowserContext, narrow: BrowserContext) {
  const page = await wide.newPage()
  await page.goto('/')
  await shoot(page, 'school')
  await page.goto('/course/coptic-binding')
  await shoot(page, 'course')
  await page.goto('/buy/spring-marbling')
  await page.frameLocator('iframe').getByRole('button', { name: 'Pays', exact: true }).waitFor()
  await shoot(page, 'campaign')
  await page.goto('/buy/coptic-binding')
  await page.getByLabel('Name').fill('Noor Verbeek')
  await page.getByLabel('Email').fill('noor@post.example')
  await page.frameLocator('iframe').getByRole('button', { name: 'Pays', exact: true }).click()
  await shoot(page, 'checkout')
  await page.getByRole('button', { name: /^Pay/ }).scrollIntoViewIfNeeded()
  await page.waitForTimeout(300)
  await page.getByRole('button', { name: /^Pay/ }).click()
  await page.getByRole('heading', { name: /^Thank you/ }).waitFor()
  await shoot(page, 'thanks')
  const other = await narrow.browser()?.newContext({ viewport: { width: 1280, height: 1180 }, baseURL: origin })
  const tall = await (other ?? wide).newPage()
  await tall.goto('/buy/coptic-binding?code=LINEN10')
  await tall.getByRole('radio', { name: /^Three installments/ }).check()
  await tall.frameLocator('iframe').getByRole('button', { name: 'Pays', exact: true }).waitFor()
  await tall.getByRole('checkbox', { name: /Paper marbling/ }).check()
  await tall.getByText('€4.30 off', { exact: false }).waitFor()
  await shoot(tall, 'bump')
  const phone = await narrow.newPage()
  await phone.goto('/buy/coptic-binding')
  await phone.frameLocator('iframe').getByRole('button', { name: 'Pays', exact: true }).waitFor()
  await shoot(phone, 'checkout-390')
  await page.goto('/sign-in')
  await page.getByLabel('Email').fill('ida.brandner@post.example')
  await page.getByLabel('Password').fill(readDemo().life.creator.password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await page.getByRole('link', { name: 'Manage' }).first().click()
  await page.getByRole('button', { name: 'Cancel…' }).click()
  await shoot(page, 'plan')
  await collect(await (other ?? wide).newPage())
  const buyer = await (other ?? wide).newPage()
  await buyer.goto('/buy/boxes-and-slipcases')
  await buyer.getByLabel('Name').fill('Mara Lind')
  await buyer.getByLabel('Email').fill('mara@post.example')
  await buyer.frameLocator('iframe').getByRole('button', { name: 'Pays', exact: true }).click()
  await buyer.getByRole('button', { name: /^Pay/ }).press('Enter')
  await buyer.getByRole('heading', { name: 'One more thing, if you like' }).waitFor()
  await buyer.setViewportSize({ width: 1280, height: 800 })
  await shoot(buyer, 'upsell')
}

/** A basket of four things, one of which is in it twice over, and one that was taken out. */
async function collect(page: Page) {
  for (const path of [
    '/bundle/the-first-shelf',
    '/course/the-open-workshop',
    '/course/paper-marbling',
    '/course/leather-from-hide-to-book',
  ]) {
    await page.goto(path)
    await page
      .getByRole('button', { name: /^Add to basket/ })
      .first()
      .click()
    await page.getByRole('heading', { name: 'Your basket' }).waitFor()
  }
  await page.getByRole('button', { name: /^Take out Leather/ }).click()
  await page.getByText(/was taken out/).waitFor()
  await page.setViewportSize({ width: 1280, height: 800 })
  await shoot(page, 'basket')
  await page.setViewportSize({ width: 1280, height: 1180 })
}

async function studio(context: BrowserContext) {
  const page = await context.newPage()
  const { email, password } = readDemo().life.creator
  await page.goto('/studio')
  await page.getByLabel('Email').fill(email)
  await page.getByLabel('Password').fill(password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await page.getByRole('link', { name: /Three installments/ }).click()
  await page.getByText('one every').waitFor()
  await shoot(page, 'bench')
  await page.getByRole('button', { name: 'Coupons', exact: false }).click()
  await page.getByRole('link', { name: /LINEN10/ }).click()
  await page.getByText(/received so far for what it reduced/).waitFor()
  await shoot(page, 'coupon')
  await page.getByRole('button', { name: /^Bundles/ }).click()
  await page.getByRole('link', { name: 'The first shelf', exact: true }).click()
  await page.getByText('One by one the courses cost', { exact: false }).waitFor()
  await shoot(page, 'bundle')
  await page.getByRole('button', { name: /^Checkout pages/ }).click()
  await page.getByRole('link', { name: /^Spring, marbling/ }).click()
  const shaped = page.frameLocator('iframe[title^="The page at"]')
  await shaped.getByRole('heading', { level: 1 }).waitFor()
  await shaped.getByRole('textbox', { name: 'Title', exact: true }).click()
  await shoot(page, 'page')
  await page.getByRole('link', { name: 'Orders' }).click()
  await page.getByRole('heading', { name: 'Needs attention' }).waitFor()
  await page.getByText('Your answer is needed.').waitFor()
  await shoot(page, 'attention')
  await page.getByLabel('Search orders').fill('Vera Klement')
  await page
    .getByRole('link', { name: /\d+ · Vera Klement/ })
    .first()
    .click()
  await page.getByText('Gateway’s reference').first().waitFor()
  await shoot(page, 'orders')
  await page.getByRole('link', { name: 'Money' }).click()
  await page.getByRole('button', { name: 'Vera Klement' }).click()
  await page.getByRole('link', { name: /^Open order/ }).waitFor()
  await page.getByRole('heading', { level: 1 }).scrollIntoViewIfNeeded()
  await page.getByText('Open order').waitFor()
  await shoot(page, 'money')
  await page.getByRole('link', { name: 'People' }).click()
  await page.getByLabel('Search people').fill('Agnes Thorup')
  await page
    .getByRole('link', { name: /Agnes Thorup/ })
    .first()
    .click()
  await page.getByRole('button', { name: 'Correct the details…' }).waitFor()
  await shoot(page, 'people')
  await page.getByRole('link', { name: 'Setup' }).click()
  await page.getByText('secret key ending').first().waitFor()
  await shoot(page, 'gateways')
}

async function shoot(page: Page, name: string) {
  await page.waitForLoadState('networkidle')
  await page.evaluate(() => document.fonts.ready)
  await page.screenshot({ path: `${DIR}/${name}.png` })
  console.log(`${DIR}/${name}.png`)
}
