import { execFileSync, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, statfsSync, writeFileSync } from 'node:fs'
import { createConnection } from 'node:net'
import { join, resolve } from 'node:path'
import pg from 'pg'

/** Something that whoever called the script can put right; its message says how. */
export class SetUpError extends Error {
  override name = 'SetUpError'
}

const LEAST_FREE_BYTES = 300 * 1024 * 1024
const isRoot = process.getuid?.() === 0

/** PostgreSQL's programs, installed from Debian's packages where they are missing. */
export function findPostgres(): string {
  const found = installedBin()
  if (found) return found
  if (!existsSync('/usr/bin/apt-get')) {
    throw new SetUpError(
      'PostgreSQL 15 or newer is missing, and this is no Debian that could install it. Install it, or set DATABASE_URL.',
    )
  }
  console.log('Installing PostgreSQL from Debian’s packages…')
  // The package would start a cluster of its own on port 5432; ours is the only one wanted.
  if (isRoot && !existsSync('/etc/postgresql-common/createcluster.conf')) {
    mkdirSync('/etc/postgresql-common', { recursive: true })
    writeFileSync('/etc/postgresql-common/createcluster.conf', 'create_main_cluster = false\n')
  }
  aptInstall('postgresql')
  const bin = installedBin()
  if (!bin) throw new SetUpError('PostgreSQL was installed, but its programs were not found in /usr/lib/postgresql.')
  return bin
}

function installedBin(): string | null {
  const root = '/usr/lib/postgresql'
  if (!existsSync(root)) return null
  const versions = readdirSync(root).filter((name) => Number(name) >= 15 && existsSync(join(root, name, 'bin/initdb')))
  const newest = versions.sort((a, b) => Number(b) - Number(a))[0]
  return newest ? join(root, newest, 'bin') : null
}

/** Installs a Debian package, as root or through sudo. */
export function aptInstall(name: string): void {
  const run = (args: string[]) => {
    const command = isRoot ? ['apt-get', ...args] : ['sudo', 'apt-get', ...args]
    const result = spawnSync(command[0] as string, command.slice(1), {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    })
    if (result.status !== 0) throw new SetUpError(`“${command.join(' ')}” failed. Run it yourself, then start again.`)
  }
  run(['update'])
  run(['install', '-y', '--no-install-recommends', name])
}

export interface ClusterOptions {
  dir: string
  port: number
  /** Off only where the data may be lost: in tests. */
  fsync?: boolean
}

/** A cluster of our own on loopback; made where it is not there yet. `stop` ends it if this call started it. */
export async function startCluster({
  dir,
  port,
  fsync = true,
}: ClusterOptions): Promise<{ url: (database: string) => string; stop: (mode?: 'fast' | 'immediate') => void }> {
  const bin = findPostgres()
  const data = prepareFolder(dir)
  const url = (database: string) => `postgres://acorn@127.0.0.1:${port}/${database}`
  checkSpace(data)
  if (!existsSync(join(data, 'PG_VERSION'))) {
    console.log(`Making a database cluster in ${data}…`)
    asOwner([join(bin, 'initdb'), '-D', data, '-U', 'acorn', '--auth=trust', '--encoding=UTF8', '--locale=C.UTF-8'])
  }
  if (isRunning(bin, data)) {
    const runningPort = Number(readFileSync(join(data, 'postmaster.pid'), 'utf8').split('\n')[3])
    if (runningPort === port) return { url, stop: () => {} }
    throw new SetUpError(
      `The database in ${data} runs already, on port ${runningPort}. Stop it, or set DATABASE_PORT=${runningPort}.`,
    )
  }
  if (await isPortTaken(port)) {
    throw new SetUpError(
      `Port ${port} is in use, so the database cannot listen there. Set DATABASE_PORT to a free one.`,
    )
  }
  const settings = [
    `-p ${port}`,
    '-c listen_addresses=127.0.0.1',
    "-c unix_socket_directories=''",
    // In tests many products share it.
    ...(fsync
      ? []
      : ['-c fsync=off', '-c synchronous_commit=off', '-c full_page_writes=off', '-c max_connections=300']),
  ]
  const started = asOwner(
    [
      join(bin, 'pg_ctl'),
      '-D',
      data,
      '-w',
      '-t',
      '300',
      '-l',
      join(data, 'server.log'),
      '-o',
      settings.join(' '),
      'start',
    ],
    true,
  )
  if (started !== 0) throw new SetUpError(`The database did not start. Its log is ${join(data, 'server.log')}.`)
  return {
    url,
    stop: (mode = 'fast') => void asOwner([join(bin, 'pg_ctl'), '-D', data, '-m', mode, '-w', 'stop'], true),
  }
}

/** Makes the database where it is missing. @returns whether it was made. */
export async function ensureDatabase(url: string): Promise<boolean> {
  const target = new URL(url)
  const name = decodeURIComponent(target.pathname.slice(1))
  target.pathname = '/postgres'
  const client = new pg.Client({ connectionString: target.href })
  try {
    await client.connect()
  } catch (error) {
    throw new SetUpError(
      `The database at ${target.host} does not answer: ${error instanceof Error ? error.message : error}`,
    )
  }
  try {
    const known = await client.query('select 1 from pg_database where datname = $1', [name])
    if (known.rowCount) return false
    await client.query(`create database "${name.replaceAll('"', '""')}"`)
    return true
  } finally {
    await client.end()
  }
}

/** Whether something listens on a port of this machine. */
export function isPortTaken(port: number): Promise<boolean> {
  return new Promise((done) => {
    const socket = createConnection({ port, host: '127.0.0.1' })
    socket.once('connect', () => {
      socket.destroy()
      done(true)
    })
    socket.once('error', () => done(false))
  })
}

function checkSpace(dir: string) {
  const { bavail, bsize } = statfsSync(dir)
  if (bavail * bsize < LEAST_FREE_BYTES) {
    throw new SetUpError(`The disk that holds ${dir} has less than 300 MB free. Make room, then start again.`)
  }
}

/**
 * PostgreSQL refuses to run as root, so root hands the folder to the postgres user. Where that user
 * cannot reach this folder, the cluster lives under /var/lib instead.
 */
function prepareFolder(wanted: string): string {
  const dir = resolve(wanted)
  mkdirSync(dir, { recursive: true })
  if (!isRoot) return dir
  const reachable = spawnSync('runuser', ['-u', 'postgres', '--', 'test', '-x', dir]).status === 0
  if (reachable || existsSync(join(dir, 'PG_VERSION'))) {
    execFileSync('chown', ['-R', 'postgres:postgres', dir])
    return dir
  }
  const elsewhere = `/var/lib/young-acorn/${createHash('sha256').update(dir).digest('hex').slice(0, 12)}`
  mkdirSync(elsewhere, { recursive: true })
  execFileSync('chown', ['-R', 'postgres:postgres', elsewhere])
  return elsewhere
}

function isRunning(bin: string, data: string): boolean {
  return existsSync(join(data, 'postmaster.pid')) && asOwner([join(bin, 'pg_ctl'), '-D', data, 'status'], true) === 0
}

function asOwner(command: string[], mayFail = false): number {
  const full = isRoot ? ['runuser', '-u', 'postgres', '--', ...command] : command
  const result = spawnSync(full[0] as string, full.slice(1), {
    stdio: ['ignore', 'ignore', mayFail ? 'ignore' : 'inherit'],
    cwd: '/',
  })
  if (result.status !== 0 && !mayFail) throw new SetUpError(`“${command.join(' ')}” failed.`)
  return result.status ?? 1
}
