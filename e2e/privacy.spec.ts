import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import pg from 'pg'
import { expect, fillCheckout, makeCourse, payButton, running, test, unique } from './acorn.ts'

const CARD = '9710223044004821'
const SPELLINGS = [CARD, '9710 2230 4400 4821', '9710-2230-4400-4821']

test('the card number reaches nothing of ours: no request, page, table, file or log', async ({ studio, shop }) => {
  const { slug } = await makeCourse(studio, unique('Private'), 4800)
  const { origin, databaseUrl, dataDir } = running()
  const seen: string[] = []
  shop.on('request', (request) => {
    if (request.url().startsWith(origin))
      seen.push(`${request.url()} ${JSON.stringify(request.headers())} ${request.postData() ?? ''}`)
  })
  await fillCheckout(shop, slug, { name: 'Private Pia', email: 'pia.private@post.example' }, 'Pays')
  await expect(shop.frameLocator('iframe').getByLabel('Card number')).toHaveValue('9710 2230 4400 4821')
  seen.push(await shop.content(), await shop.evaluate(() => JSON.stringify({ ...localStorage, ...sessionStorage })))
  await payButton(shop).click()
  await expect(shop.getByRole('heading', { name: /^Thank you/ })).toBeVisible()
  seen.push(await shop.content())
  expect(seen.some((text) => text.includes('connectionId'))).toBe(true)

  const client = new pg.Client({ connectionString: databaseUrl })
  await client.connect()
  const tables = await client.query(
    `select format('%I.%I', schemaname, tablename) as name from pg_tables where schemaname not in ('pg_catalog', 'information_schema')`,
  )
  let rows = 0
  for (const { name } of tables.rows as { name: string }[]) {
    const result = await client.query(`select t::text as row from ${name} t`)
    rows += result.rows.length
    seen.push(...(result.rows as { row: string }[]).map(({ row }) => row))
  }
  await client.end()
  expect(rows).toBeGreaterThan(100)
  expect(seen.some((text) => text.includes('card ending 4821'))).toBe(true)
  seen.push(...filesIn(dataDir))
  expect(seen.some((text) => text.includes('The product runs.'))).toBe(true)

  const told = seen.filter((text) => SPELLINGS.some((spelling) => text.includes(spelling)))
  expect(told).toEqual([])
})

test('a secret key stands in no answer, page or table', async ({ studio }) => {
  const { origin, standins, databaseUrl } = running()
  const consolePage = await (await studio.request.get(standins)).text()
  const keys = [...consolePage.matchAll(/(?:thistle|moor|brook)-(?:practice|live)-[\w-]+/g)].map(([key]) => key)
  expect(keys.length).toBeGreaterThanOrEqual(2)
  const answers = await Promise.all(
    ['/api/gateways', '/api/session', '/api/orders', '/studio', '/', '/buy/coptic-binding'].map(async (path) =>
      (await studio.request.get(origin + path)).text(),
    ),
  )
  const client = new pg.Client({ connectionString: databaseUrl })
  await client.connect()
  const { rows } = await client.query('select c::text as row from connections c')
  await client.end()
  expect(rows.length).toBeGreaterThanOrEqual(2)
  const dump = JSON.stringify(rows)
  for (const key of keys) for (const text of [...answers, dump]) expect(text).not.toContain(key)
})

/** Everything that the product and the stand-ins wrote to disk. */
function filesIn(dir: string): string[] {
  return readdirSync(dir, { withFileTypes: true }).flatMap((entry) => {
    const path = join(dir, entry.name)
    return entry.isDirectory() ? filesIn(path) : [readFileSync(path, 'utf8')]
  })
}
