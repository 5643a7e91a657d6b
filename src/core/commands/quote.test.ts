import { spawnSync } from 'node:child_process'
import { expect, it } from 'vitest'

const good = JSON.stringify({
  currency: 'EUR',
  timeZone: 'UTC',
  at: '2027-01-31T09:30:00Z',
  lines: [{ role: 'main', offer: { id: 'o', courses: [{ id: 'c' }], terms: { kind: 'single', amount: 100 } } }],
})
const run = (input: string, ...args: string[]) =>
  spawnSync(process.execPath, ['--import', 'tsx', 'src/core/commands/quote.ts', ...args], { input, encoding: 'utf8' })

it('answers one document, with status 0', () => {
  const { status, stdout } = run(good)
  expect(status).toBe(0)
  expect(JSON.parse(stdout)).toMatchObject({ purchaseDay: '2027-01-31', today: { pay: 100 }, committed: 100 })
})

it('answers bad input with the pointer, and status 2', () => {
  const { status, stdout } = run(good.replace('"amount":100', '"amount":"100"'))
  expect(status).toBe(2)
  expect(JSON.parse(stdout)).toMatchObject({ error: { at: '/lines/0/offer/terms/amount' } })
})

it('answers line by line, and goes on after a bad one', () => {
  const { status, stdout } = run(`${good}\nnonsense\n${good}\n`, '--jsonl')
  expect(status).toBe(0)
  const lines = stdout
    .trimEnd()
    .split('\n')
    .map((text) => JSON.parse(text))
  expect(lines).toMatchObject([{ committed: 100 }, { error: { at: '' } }, { committed: 100 }])
})
