import { spawn } from 'node:child_process'
import { quote } from '../../src/core/quote/quote.ts'
import { readQuoteRequest } from '../../src/core/quote/read.ts'

const month = { count: 1, unit: 'month' }
const THREE_LINES = {
  currency: 'EUR',
  timeZone: 'Europe/Vienna',
  at: '2027-01-31T09:30:00+01:00',
  tax: { mode: 'inclusive', rate: 2000 },
  lines: [
    {
      role: 'main',
      offer: {
        id: 'a',
        courses: [{ id: 'x', weight: 3 }, { id: 'y' }],
        terms: { kind: 'installments', count: 3, every: month, total: 12_900 },
      },
    },
    { role: 'bump', offer: { id: 'b', courses: [{ id: 'z' }], terms: { kind: 'single', amount: 2400 } } },
    {
      role: 'main',
      offer: {
        id: 'c',
        courses: [{ id: 'w' }],
        terms: { kind: 'subscription', amount: 1900, every: month },
        access: { lasts: 'whilePaying', graceDays: 3 },
      },
    },
  ],
  coupons: [
    { code: 'LINEN10', kind: 'percent', rate: 1000, payments: null, combines: true, roles: ['main', 'bump'] },
    { code: 'FIVE', kind: 'fixed', amount: 500, currency: 'EUR', combines: true },
  ],
  codes: ['linen10', 'five'],
}

/** What one quote costs, and how many lines the command answers in a minute. */
export async function benchQuote(): Promise<void> {
  const request = readQuoteRequest(THREE_LINES)
  const micros = median(times(20_000, () => quote(request)))
  const withReading = median(times(20_000, () => quote(readQuoteRequest(THREE_LINES))))
  console.log(
    `  a quote of three lines with two codes: median ${micros.toFixed(1)} µs (goal: at most 20), ${withReading.toFixed(1)} µs with reading its document`,
  )
  const lines = 20_000
  const seconds = await jsonl(`${JSON.stringify(THREE_LINES)}\n`.repeat(lines))
  console.log(
    `  quote --jsonl: ${Math.round((lines / seconds) * 60)} lines a minute, start of Node included (goal: at least 20000)`,
  )
}

function times(count: number, run: () => unknown): number[] {
  for (let i = 0; i < 3000; i++) run()
  const found: number[] = []
  for (let i = 0; i < count; i++) {
    const began = process.hrtime.bigint()
    run()
    found.push(Number(process.hrtime.bigint() - began) / 1000)
  }
  return found
}

export function median(numbers: number[]): number {
  const sorted = [...numbers].sort((a, b) => a - b)
  return sorted[Math.floor(sorted.length / 2)] ?? Number.NaN
}

function jsonl(input: string): Promise<number> {
  const began = performance.now()
  const child = spawn(process.execPath, ['--import', 'tsx', 'src/core/commands/quote.ts', '--jsonl'], {
    stdio: ['pipe', 'pipe', 'inherit'],
  })
  child.stdout.resume()
  child.stdin.end(input)
  return new Promise((resolve) => child.once('exit', () => resolve((performance.now() - began) / 1000)))
}
