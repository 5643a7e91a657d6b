import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { filesOf, readManifest, shopEntries } from '../src/server/pages/renderer.ts'
import { SetUpError } from './postgres.ts'

/** Most kB of gzipped JavaScript that the checkout page may load before it can be used. */
const MAX_KB = 90

/**
 * What the checkout page weighs, in words.
 * @throws SetUpError where it is over the budget, which fails the build.
 */
export function checkBudget(dist: string): string {
  const { scripts, preloads } = filesOf(readManifest(dist, 'shop'), shopEntries(['checkout']))
  const kb = [...scripts, ...preloads]
    .filter((file) => file.endsWith('.js'))
    .reduce((sum, file) => sum + gzipSync(readFileSync(join(dist, 'client', file))).length / 1000, 0)
  const weighs = `The checkout page loads ${kb.toFixed(1)} kB of JavaScript, gzipped (at most ${MAX_KB}).`
  if (kb > MAX_KB) throw new SetUpError(`${weighs} See what its chunks import.`)
  return weighs
}
