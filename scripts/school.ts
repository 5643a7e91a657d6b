import { join } from 'node:path'
import { allGateways } from '../src/gateways/registry.ts'
import { connect } from '../src/server/db/client.ts'
import { Problem } from '../src/server/http/problem.ts'
import { readConfig } from '../src/server/platform/config.ts'
import { JOBS } from '../src/server/platform/jobs.ts'
import { Limits } from '../src/server/platform/limits.ts'
import { loadSecrets } from '../src/server/platform/secrets.ts'
import { exportSchool } from '../src/server/schoolFile/export.ts'
import { MAX_FILE_BYTES, schoolFileJsonSchema, writeSorted } from '../src/server/schoolFile/format.ts'
import { importSchool } from '../src/server/schoolFile/import.ts'
import { FileError } from '../src/server/schoolFile/references.ts'
import { readyDatabase } from '../src/server/services.ts'
import { ensureDatabase, startCluster } from './postgres.ts'

/**
 * The school in one file (docs/school-file.md):
 * `npm run --silent school -- export` prints it, `-- import < file` takes it in, `-- schema` prints its JSON Schema.
 * Bad input: `{"error": {"at", "why"}}` on standard output, exit status 2, nothing changed. The database is that of
 * `DATABASE_URL`, else the cluster of `./start`, which is started for it where it stands still; it is migrated first.
 */

const [command, ...rest] = process.argv.slice(2)
/** What is said meanwhile is no part of the answer. */
console.log = console.error

try {
  if (rest.length > 0 || !['export', 'import', 'schema'].includes(command ?? '')) {
    throw new FileError('', 'Say what to do: export, import or schema.')
  }
  if (command === 'schema') await answer(writeSorted(schoolFileJsonSchema()))
  else await withDatabase(command as 'export' | 'import')
} catch (error) {
  const refused = asError(error)
  if (!refused) throw error
  await answer(`${JSON.stringify({ error: refused })}\n`)
  process.exitCode = 2
}

function asError(error: unknown): { at: string; why: string } | null {
  if (error instanceof FileError) return { at: error.at, why: error.message }
  if (error instanceof Problem) return { at: '', why: error.errors[0]?.why ?? error.message }
  return null
}

async function withDatabase(what: 'export' | 'import') {
  const config = readConfig()
  // What comes in is read before anything is started.
  const text = what === 'import' ? await readInput() : ''
  let stop = () => {}
  if (!process.env.DATABASE_URL) {
    const cluster = await startCluster({
      dir: join(config.dataDir, 'postgres'),
      port: Number(process.env.DATABASE_PORT ?? 7330),
    })
    stop = cluster.stop
  }
  try {
    await ensureDatabase(config.databaseUrl)
    const { db, pool } = connect(config.databaseUrl, 4)
    try {
      await readyDatabase(config.databaseUrl)
      if (what === 'export') return await answer(writeSorted(await exportSchool(db)))
      await importSchool(
        {
          config,
          db,
          jobs: JOBS,
          now: () => new Date(),
          gateways: allGateways(config.standinsOrigin, config.origin),
          secrets: loadSecrets(config.dataDir),
          limits: new Limits(db),
        },
        text,
      )
    } finally {
      await pool.end()
    }
  } finally {
    stop()
  }
}

/** Standard input as text. @throws FileError where it is larger than a file may be, or no UTF-8. */
async function readInput(): Promise<string> {
  const parts: Buffer[] = []
  let size = 0
  for await (const part of process.stdin) {
    parts.push(part as Buffer)
    size += (part as Buffer).length
    if (size > MAX_FILE_BYTES) throw new FileError('', 'The file is larger than 64 MB.')
  }
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(Buffer.concat(parts))
  } catch {
    throw new FileError('', 'The file is not UTF-8.')
  }
}

function answer(text: string): Promise<void> {
  return new Promise((done, fail) => process.stdout.write(text, (error) => (error ? fail(error) : done())))
}
