import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, it } from 'vitest'
import { eventually } from '../src/testing/world.ts'
import { keepRunning } from './processes.ts'

const dir = mkdtempSync(join(tmpdir(), 'young-acorn-parts-'))
afterAll(() => rmSync(dir, { recursive: true, force: true }))

/** A part that counts its starts, is ready where it may be, and says its process. */
function part(name: string) {
  const file = join(dir, `${name}.mjs`)
  const starts = join(dir, `${name}.starts`)
  const refuses = join(dir, `${name}.refuses`)
  writeFileSync(
    file,
    `import { appendFileSync, existsSync } from 'node:fs'
     appendFileSync(${JSON.stringify(starts)}, process.pid + '\\n')
     if (existsSync(${JSON.stringify(refuses)})) {
       console.error('no database')
       process.exit(3)
     }
     console.log('ready')
     setInterval(() => {}, 1000)`,
  )
  const pids = () => (existsSync(starts) ? readFileSync(starts, 'utf8').trim().split('\n').map(Number) : [])
  return { part: { name, args: [file], ready: /ready/ }, pids, refuses }
}
const PAUSES = { first: 20, most: 100 }

describe('a part of the product', () => {
  it('that ends by itself is started anew, with a pause that grows, and it is said', async () => {
    const { part: one, pids, refuses } = part('worker')
    const said: string[] = []
    const running = await keepRunning(one, process.env, (what) => said.push(what), PAUSES)
    process.kill(pids()[0] as number, 'SIGKILL')
    await eventually(async () => said.includes('worker runs again.'))
    expect(said[0]).toBe('worker ended by itself (SIGKILL). It is started anew in 0.02 s.')
    // It cannot start for a while.
    writeFileSync(refuses, '')
    process.kill(pids().at(-1) as number, 'SIGKILL')
    await eventually(async () => pids().length >= 5)
    expect(said.some((what) => what.includes('no database') && what.includes('in 0.08 s'))).toBe(true)
    rmSync(refuses)
    await eventually(async () => said.filter((what) => what === 'worker runs again.').length === 2)
    await running.end()
    expect(() => process.kill(pids().at(-1) as number, 0)).toThrow()
    const { length } = pids()
    await new Promise((resolve) => setTimeout(resolve, 250))
    expect(pids()).toHaveLength(length)
  })

  it('that never answered ends the start, with its reason', async () => {
    const { part: one, pids, refuses } = part('server')
    writeFileSync(refuses, '')
    await expect(keepRunning(one, process.env, () => {}, PAUSES)).rejects.toThrow(/status 3\)[\s\S]*no database/)
    await new Promise((resolve) => setTimeout(resolve, 100))
    expect(pids()).toHaveLength(1)
  })
})
