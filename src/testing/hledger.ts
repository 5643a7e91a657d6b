import { spawnSync } from 'node:child_process'
import Papa from 'papaparse'
import { currencyDigits } from '../core/money/currency.ts'
import type { Balance } from '../server/ledger/sums.ts'

/** Reads a plain-text journal by hledger, another program than ours: it must accept it. */
function run(journal: string, ...args: string[]): string {
  const { status, stdout, stderr, error } = spawnSync('hledger', ['-f', '-', ...args], {
    input: journal,
    encoding: 'utf8',
    maxBuffer: 2 ** 28,
    env: { ...process.env, LC_ALL: 'C.UTF-8' },
  })
  if (error) throw error
  if (status !== 0) throw new Error(`hledger ${args.join(' ')}: ${stderr}`)
  return stdout
}

/** Every posting as hledger reads it: its day, account and amount; it refuses a journal that is not sound. */
export function registerByHledger(journal: string): string[] {
  run(journal, 'check', '--strict')
  const { data } = Papa.parse<Record<string, string>>(run(journal, 'register', '-O', 'csv'), { header: true })
  return data.flatMap(({ date, account, amount }) => (date ? [`${date} ${account} ${amount}`] : [])).sort()
}

/** What hledger says that each account holds, in minor units; it refuses a journal that is not sound. */
export function balancesByHledger(journal: string): Balance[] {
  run(journal, 'check', '--strict')
  const [, ...rows] = run(journal, 'balance', '--flat', '--no-total', '--no-elide', '-O', 'csv').trim().split('\n')
  return rows
    .flatMap((row) => {
      const [account = '', held = ''] = row.split('","').map((cell) => cell.replaceAll('"', ''))
      return held.split(', ').flatMap((part): Balance[] => {
        const [figure = '', currency = ''] = part.split(' ')
        const amount = Math.round(Number(figure) * 10 ** currencyDigits(currency || 'EUR'))
        return amount === 0 ? [] : [{ account, currency, amount }]
      })
    })
    .sort((a, b) => (a.account < b.account ? -1 : a.account > b.account ? 1 : a.currency < b.currency ? -1 : 1))
}
