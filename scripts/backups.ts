import { spawnSync } from 'node:child_process'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import pg from 'pg'
import { connect, migrateDatabase } from '../src/server/db/client.ts'
import { markBackup, markRestored } from '../src/server/platform/restored.ts'
import { ensureDatabase, findPostgres, SetUpError } from './postgres.ts'

/** Writes the whole database into a file, as it is at one instant. Servers and workers may run meanwhile. */
export async function makeBackup(url: string, file: string): Promise<void> {
  if (existsSync(file)) throw new SetUpError(`${file} is there already. Name another file.`)
  const { db, pool } = connect(url, 1)
  try {
    await markBackup(db, new Date())
  } finally {
    await pool.end()
  }
  run('pg_dump', ['--format=custom', '--no-owner', `--file=${file}`, url])
}

/**
 * Puts a backup into the place of a database. It is read into a new one first, so that nothing is lost where the file
 * is damaged; what was there before is kept beside it.
 * @returns the name under which the database from before is kept; null where there was none.
 * @throws SetUpError while a server or worker is connected.
 */
export async function restoreBackup(url: string, file: string): Promise<string | null> {
  if (!existsSync(file)) throw new SetUpError(`There is no file ${file}.`)
  const name = decodeURIComponent(new URL(url).pathname.slice(1))
  const stamp = new Date().toISOString().replace(/\D/g, '').slice(0, 14)
  const fresh = `${name}_restoring_${stamp}`
  const freshUrl = withName(url, fresh)
  const admin = new pg.Client({ connectionString: withName(url, 'postgres') })
  await admin.connect()
  try {
    const { rows } = await admin.query('select count(*)::int as n from pg_stat_activity where datname = $1', [name])
    if (rows[0]?.n > 0) {
      throw new SetUpError('Something is connected to the database. Stop every server and worker, then try again.')
    }
    await ensureDatabase(freshUrl)
    run('pg_restore', ['--no-owner', '--exit-on-error', `--dbname=${freshUrl}`, file])
    const { db, pool } = connect(freshUrl, 1)
    try {
      await migrateDatabase(db)
      await markRestored(db, new Date())
    } finally {
      await pool.end()
    }
    const known = await admin.query('select 1 from pg_database where datname = $1', [name])
    const before = known.rowCount ? `${name}_before_${stamp}` : null
    if (before) await admin.query(`alter database ${quoted(name)} rename to ${quoted(before)}`)
    await admin.query(`alter database ${quoted(fresh)} rename to ${quoted(name)}`)
    return before
  } finally {
    await admin.end()
  }
}

function withName(url: string, name: string): string {
  const target = new URL(url)
  target.pathname = `/${encodeURIComponent(name)}`
  return target.href
}

function quoted(name: string): string {
  return `"${name.replaceAll('"', '""')}"`
}

function run(program: string, args: string[]): void {
  const { status, stderr } = spawnSync(join(findPostgres(), program), args, { encoding: 'utf8' })
  if (status !== 0) throw new SetUpError(`${program} failed: ${stderr.trim()}`)
}
