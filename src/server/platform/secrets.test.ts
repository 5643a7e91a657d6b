import { execFile } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { mkdtempSync, readdirSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { expect, it } from 'vitest'
import { loadSecrets, Secrets } from './secrets.ts'

it('opens what it sealed, and nothing that was changed or sealed by another key', () => {
  const secrets = new Secrets(randomBytes(32))
  const sealed = secrets.seal('thistle-live-key')
  expect(secrets.open(sealed)).toBe('thistle-live-key')
  expect(secrets.seal('thistle-live-key')).not.toBe(sealed)
  expect(() => new Secrets(randomBytes(32)).open(sealed)).toThrow()
  const changed = Buffer.from(sealed, 'base64')
  changed[changed.length - 1] = (changed.at(-1) as number) ^ 1
  expect(() => secrets.open(changed.toString('base64'))).toThrow()
})

it('makes its key file once, readable by its owner alone', () => {
  const dir = mkdtempSync(join(tmpdir(), 'acorn-'))
  const sealed = loadSecrets(dir, {}).seal('x')
  expect(statSync(join(dir, 'secret.key')).mode & 0o777).toBe(0o600)
  expect(loadSecrets(dir, {}).open(sealed)).toBe('x')
})

it('many processes that start together read one whole key', async () => {
  const dir = mkdtempSync(join(tmpdir(), 'acorn-'))
  const script = `import { loadSecrets } from './src/server/platform/secrets.ts'; console.log(loadSecrets(process.argv[1], {}).seal('x'))`
  const run = promisify(execFile)
  const sealed = await Promise.all(
    [1, 2, 3, 4].map(() => run(process.execPath, ['--import', 'tsx', '--input-type=module', '-e', script, dir])),
  )
  const secrets = loadSecrets(dir, {})
  for (const { stdout } of sealed) expect(secrets.open(stdout.trim())).toBe('x')
  expect(readdirSync(dir)).toEqual(['secret.key'])
})

it('an old key opens beside the new one, which seals; a mark of either is known', () => {
  const [old, fresh] = [randomBytes(32).toString('base64'), randomBytes(32).toString('base64')]
  const before = loadSecrets('', { SECRET_KEY: old })
  const sealed = before.seal('thistle-live-key')
  const mark = before.mark('creator a@b.example')
  const both = loadSecrets('', { SECRET_KEY: fresh, OLD_SECRET_KEYS: old })
  expect(both.open(sealed)).toBe('thistle-live-key')
  expect(both.isMark(mark, 'creator a@b.example')).toBe(true)
  expect(both.isMark(mark, 'creator c@b.example')).toBe(false)
  const after = loadSecrets('', { SECRET_KEY: fresh })
  expect(after.canOpen(sealed)).toBe(false)
  expect(after.isMark(mark, 'creator a@b.example')).toBe(false)
  expect(after.open(both.seal(both.open(sealed)))).toBe('thistle-live-key')
  expect(both.canOpen('')).toBe(false)
})
