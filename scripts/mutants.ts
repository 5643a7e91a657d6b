import { spawn } from 'node:child_process'
import {
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { basename, dirname, join, resolve } from 'node:path'
import { parseArgs } from 'node:util'
import { Dice } from '../src/testing/dice.ts'
import { type Mutant, mutantsOf } from './mutants/rules.ts'

/**
 * `npm run mutants -- [--count 60] [--seed 1] [file or folder…]`: wrong changes made by rule, drawn by chance from the core
 * and the services or from what is named, are put into copies of the project, one at a time; the tests that cover each
 * are run. Prints which live: no test noticed them. Each is killed by a test, or changes nothing.
 */
const { values, positionals } = parseArgs({
  options: { count: { type: 'string', default: '60' }, seed: { type: 'string', default: '1' } },
  allowPositionals: true,
})
const COPIES = 2
const FIRST_PORT = 7480
const COPIED = [
  'src',
  'scripts',
  'demo',
  'docs',
  'package.json',
  'tsconfig.json',
  'vitest.config.ts',
  'drizzle.config.ts',
]

const sources = (positionals.length > 0 ? positionals : ['src/core', 'src/server']).flatMap((path) => filesIn(path))
const tests = filesIn('src', /\.test\.ts$/).map((path) => ({ path, text: readFileSync(path, 'utf8') }))
const queue = drawn(
  sources.flatMap((file) => mutantsOf(file, readFileSync(file, 'utf8'))),
  Number(values.count),
)
if (queue.length === 0) {
  console.error('There is nothing to change in what is named.')
  process.exit(2)
}
const count = queue.length
const lived: Mutant[] = []
const copies = Array.from({ length: COPIES }, (_, index) => copyTo(`.data/mutants-${index}`))
await Promise.all(copies.map((dir, index) => work(dir, FIRST_PORT + index)))
for (const dir of copies) rmSync(dir, { recursive: true, force: true })
for (const { file, line, what } of lived) console.log(`lives: ${file}:${line} ${what}`)
console.log(`${count} changes, ${lived.length} live`)
process.exit(lived.length > 0 ? 1 : 0)

/** The source files of a path. Words and migrations are left out: nothing is decided there. */
function filesIn(path: string, which = /(?<!\.test)\.tsx?$/): string[] {
  if (!existsSync(path)) {
    console.error(`There is no ${path}.`)
    process.exit(2)
  }
  if (statSync(path).isFile()) return [path]
  return readdirSync(path).flatMap((name) => {
    const below = join(path, name)
    if (statSync(below).isDirectory()) return ['words', 'migrations'].includes(name) ? [] : filesIn(below, which)
    return which.test(name) ? [below] : []
  })
}

function drawn(all: Mutant[], most: number): Mutant[] {
  const dice = new Dice(Number(values.seed))
  const left = [...all]
  const chosen: Mutant[] = []
  while (chosen.length < most && left.length > 0) {
    chosen.push(...left.splice(Math.floor(dice.roll() * left.length), 1))
  }
  return chosen
}

function copyTo(dir: string): string {
  rmSync(dir, { recursive: true, force: true })
  mkdirSync(dir, { recursive: true })
  for (const name of COPIED) cpSync(name, join(dir, name), { recursive: true })
  symlinkSync(resolve('node_modules'), join(dir, 'node_modules'))
  return dir
}

/** Tries changes in one copy until none is left. */
async function work(dir: string, port: number) {
  for (let mutant = queue.shift(); mutant; mutant = queue.shift()) {
    const { file, start, end, put, line, what } = mutant
    const path = join(dir, file)
    const whole = readFileSync(path, 'utf8')
    writeFileSync(path, whole.slice(0, start) + put + whole.slice(end))
    const lives = await passes(dir, port, testsOf(file))
    writeFileSync(path, whole)
    if (lives) lived.push(mutant)
    console.log(`${lives ? 'LIVES ' : 'killed'} ${file}:${line} ${what}`)
  }
}

/** The tests beside a file, and those that name something which it exports; of the core all that are in the core. */
function testsOf(file: string): string[] {
  const exported = [...readFileSync(file, 'utf8').matchAll(/export (?:async )?(?:function|const|class) (\w+)/g)]
  const names = new RegExp(`\\b(${exported.map(([, name]) => name).join('|') || '(?!)'})\\b`)
  const beside = tests.filter(({ path }) => dirname(path) === dirname(file))
  // Its own first: mostly it is enough.
  const own = beside.filter(({ path }) => basename(path).split('.')[0] === basename(file).split('.')[0])
  const isOfCore = file.startsWith('src/core/')
  const naming = tests.filter(({ path, text }) => (isOfCore ? path.startsWith('src/core/') : names.test(text)))
  // Routes are called by their addresses.
  const calling = /[rR]outes\.ts$/.test(file) ? tests.filter(({ path }) => path === 'src/server/pressed.test.ts') : []
  return [...new Set([...own, ...beside, ...naming, ...calling].map(({ path }) => path))]
}

function passes(dir: string, port: number, those: readonly string[]): Promise<boolean> {
  if (those.length === 0) return Promise.resolve(true)
  return new Promise((done, fail) => {
    const child = spawn(
      process.execPath,
      [resolve('node_modules/vitest/vitest.mjs'), 'run', ...those, '--bail=1', '--reporter=dot'],
      { cwd: dir, stdio: 'ignore', env: { ...process.env, TEST_DATABASE_PORT: String(port) } },
    )
    child.once('error', fail)
    child.once('exit', (code) => done(code === 0))
  })
}
