import { spawn } from 'node:child_process'
import { cpSync, mkdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { MUTANTS } from './mutants/list.ts'
import type { Mutant } from './mutants/mutant.ts'

/**
 * Puts wrong changes into copies of the project, one at a time, runs the tests that cover each, and prints which
 * live: those that no test noticed. `npm run mutants -- [text…]` tries only those whose file or name holds one of the texts.
 */
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

const wanted = process.argv.length > 2 ? process.argv.slice(2) : ['']
const chosen = MUTANTS.filter(({ file, what }) => wanted.some((text) => file.includes(text) || what.includes(text)))
const broken = chosen.filter(({ file, find }) => readFileSync(file, 'utf8').split(find).length !== 2)
for (const { file, what } of broken) console.error(`does not fit: ${what} (${file})`)
if (broken.length > 0 || chosen.length === 0) {
  console.error(
    chosen.length === 0
      ? `No mutant holds “${wanted.join('” or “')}”.`
      : 'Each must be found exactly once in its file.',
  )
  process.exit(2)
}

const queue = [...chosen]
const lived: Mutant[] = []
const copies = Array.from({ length: COPIES }, (_, index) => copyTo(`.data/mutants-${index}`))
await Promise.all(copies.map((dir, index) => work(dir, FIRST_PORT + index)))
for (const dir of copies) rmSync(dir, { recursive: true, force: true })
for (const { what, file } of lived) console.log(`lives: ${what} (${file})`)
console.log(`${chosen.length} mutants, ${lived.length} live`)
process.exit(lived.length > 0 ? 1 : 0)

function copyTo(dir: string): string {
  rmSync(dir, { recursive: true, force: true })
  mkdirSync(dir, { recursive: true })
  for (const name of COPIED) cpSync(name, join(dir, name), { recursive: true })
  symlinkSync(resolve('node_modules'), join(dir, 'node_modules'))
  return dir
}

/** Tries mutants in one copy until none is left. */
async function work(dir: string, port: number) {
  for (let mutant = queue.shift(); mutant; mutant = queue.shift()) {
    const { file, find, put, what, tests } = mutant
    const path = join(dir, file)
    const whole = readFileSync(path, 'utf8')
    writeFileSync(
      path,
      whole.replace(find, () => put),
    )
    const passed = await testsPass(dir, port, tests)
    writeFileSync(path, whole)
    if (passed) lived.push(mutant)
    console.log(`${passed ? 'LIVES ' : 'killed'} ${what} (${file})`)
  }
}

function testsPass(dir: string, port: number, tests: readonly string[]): Promise<boolean> {
  return new Promise((done, fail) => {
    const child = spawn(
      process.execPath,
      [resolve('node_modules/vitest/vitest.mjs'), 'run', ...tests, '--bail=1', '--reporter=dot'],
      { cwd: dir, stdio: 'ignore', env: { ...process.env, TEST_DATABASE_PORT: String(port) } },
    )
    child.once('error', fail)
    child.once('exit', (code) => done(code === 0))
  })
}
