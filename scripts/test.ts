import { spawn } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs'
import { basename } from 'node:path'
import { pathToFileURL } from 'node:url'
import { stripVTControlCharacters } from 'node:util'
import { BROWSER, HEADLESS } from './chromium.ts'
import { aptInstall, findPostgres, SetUpError } from './postgres.ts'

/**
 * Every check, side by side where they do not disturb each other: types, lint, unused code and the build with its
 * budget; then unit, service and contract tests beside the chaos; then the journeys in Chromium. Goes on after a
 * failure, and ends with the count.
 */
/** `.ci/run` asks for more: a longer chaos, and more pages made by chance. */
const ORDERS = Number(process.env.CHAOS_ORDERS ?? 60)

/** Characters of a reason that are said once more: as much as explains it, where somebody sees the last lines only. */
const WHY = 700

let passed = 0
let failed = 0
/** What failed, by its name, and the end of what it said: once more at the end, where it is found. */
const failures: { name: string; why: string }[] = []

try {
  // Before those begin that would each install it.
  findPostgres()
  if (!existsSync(HEADLESS)) {
    console.log('Installing Chromium without windows from Debian’s packages…')
    try {
      aptInstall('chromium-headless-shell')
    } catch (error) {
      if (!existsSync(BROWSER)) throw error
      console.log('It could not be installed: the journeys go through the Chromium that is here, and take longer.')
    }
  }
  // Another program than ours reads the ledger.
  if (!existsSync('/usr/bin/hledger')) {
    console.log('Installing hledger from Debian’s packages…')
    aptInstall('hledger')
  }
} catch (error) {
  console.error(error instanceof SetUpError ? error.message : error)
  process.exit(1)
}

mkdirSync('test-results', { recursive: true })
// One day for every process that is started here, and for what those start.
process.env.NODE_OPTIONS = `${process.env.NODE_OPTIONS ?? ''} --import=${pathToFileURL('scripts/testDay.mjs').href}`
// A build of its own, so that a started product beside it keeps its files.
process.env.DIST = '.data/test-dist'
await Promise.all([
  check('types', ['npx', 'tsc', '--noEmit']),
  check('lint', ['npm', 'run', '--silent', 'lint']),
  check('unused code', ['npx', 'knip']),
  check('build', ['npm', 'run', '--silent', 'build']),
])
await Promise.all([
  tests(
    'unit, service and contract tests',
    ['npx', 'vitest', 'run', '--reporter=default', '--reporter=json', '--outputFile.json=test-results/unit.json'],
    'test-results/unit.json',
    countVitest,
  ),
  check(`chaos: ${ORDERS} orders over a moved year`, [
    ...['npm', 'run', '--silent', 'chaos', '--'],
    ...['--orders', String(ORDERS), '--seed', '1'],
  ]),
])
await tests('browser journeys', ['npx', 'playwright', 'test'], 'test-results/e2e.json', countPlaywright)

for (const { name, why } of failures) console.log(`FAILED: ${name}\n${indented(why)}`)
console.log(`${passed} passed, ${failed} failed`)
process.exit(failed > 0 ? 1 : 0)

async function check(name: string, command: string[]) {
  const { isGood, said } = await run(name, command)
  if (isGood) {
    passed++
    return
  }
  failed++
  failures.push({ name, why: said.trimEnd().slice(-WHY) })
}

/** A reason beneath its name, without the colours of a terminal. */
function indented(why: string): string {
  return stripVTControlCharacters(why)
    .split('\n')
    .filter((line) => line.trim() !== '')
    .map((line) => `  ${line}`)
    .join('\n')
}

/** Runs a test runner and adds what its report counts; one that leaves no report counts as failed. */
async function tests(
  name: string,
  command: string[],
  report: string,
  count: (report: never) => { passed: number; failed: typeof failures },
) {
  rmSync(report, { force: true })
  const { isGood, said } = await run(name, command)
  const why = said.trimEnd().slice(-WHY)
  if (!existsSync(report)) {
    failed++
    failures.push({ name: `${name}: no report was written`, why })
    return
  }
  const counted = count(JSON.parse(readFileSync(report, 'utf8')) as never)
  const those =
    counted.failed.length === 0 && !isGood ? [{ name: `${name}, outside of any test`, why }] : counted.failed
  passed += counted.passed
  failed += those.length
  failures.push(...those)
}

/** Runs a command; what it says is printed once it has ended, so that those side by side stay apart. */
function run(name: string, command: string[]): Promise<{ isGood: boolean; said: string }> {
  const began = Date.now()
  console.log(`— ${name}: begins`)
  return new Promise((done) => {
    const child = spawn(command[0] as string, command.slice(1), { stdio: ['ignore', 'pipe', 'pipe'] })
    const said: Buffer[] = []
    child.stdout.on('data', (chunk: Buffer) => said.push(chunk))
    child.stderr.on('data', (chunk: Buffer) => said.push(chunk))
    child.once('close', (status) => {
      const all = Buffer.concat(said).toString()
      process.stdout.write(all)
      const seconds = Math.round((Date.now() - began) / 1000)
      console.log(`— ${name}: ${status === 0 ? 'good' : 'FAILED'} (${seconds} s)\n`)
      done({ isGood: status === 0, said: all })
    })
  })
}

interface UnitReport {
  testResults: { name: string; status: string; message: string; assertionResults: UnitResult[] }[]
}

interface UnitResult {
  fullName: string
  status: string
  failureMessages: string[]
}

/** A file that could not be read has no tests; it failed all the same. */
function countVitest({ testResults }: UnitReport) {
  const all = testResults.flatMap(({ assertionResults }) => assertionResults)
  return {
    passed: all.filter(({ status }) => status === 'passed').length,
    failed: testResults.flatMap(({ name, status, message, assertionResults }) => {
      const those = assertionResults.filter((one) => one.status === 'failed')
      if (those.length === 0) return status === 'passed' ? [] : [{ name, why: message.slice(0, WHY) }]
      return those.map(({ fullName, failureMessages }) => ({
        name: fullName,
        why: failureMessages.join('\n').slice(0, WHY),
      }))
    }),
  }
}

interface Suite {
  specs?: {
    title: string
    ok: boolean
    tests: { results: { errors: { message?: string; location?: { file: string; line: number } }[] }[] }[]
  }[]
  suites?: Suite[]
}

function countPlaywright({ stats, suites }: { stats: { expected: number; unexpected: number }; suites: Suite[] }) {
  const failedIn = (suite: Suite): typeof failures => [
    ...(suite.specs ?? []).flatMap(({ title, ok, tests }) => {
      if (ok) return []
      const errors = tests.flatMap(({ results }) => results.flatMap((result) => result.errors))
      const reasons = errors.map(({ message, location }) =>
        [location && `${basename(location.file)}:${location.line}`, message].filter(Boolean).join(' '),
      )
      return [{ name: title, why: reasons.join('\n').slice(0, WHY) }]
    }),
    ...(suite.suites ?? []).flatMap(failedIn),
  ]
  const named = suites.flatMap(failedIn)
  const unnamed = Array.from({ length: Math.max(0, stats.unexpected - named.length) }, () => ({
    name: 'a journey',
    why: '',
  }))
  return { passed: stats.expected, failed: [...named, ...unnamed] }
}
