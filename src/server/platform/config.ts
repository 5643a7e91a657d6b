import { CEILINGS, type LimitName } from './limits.ts'

/** Settings from the environment, each with the default that `./start` uses. */
export interface Config {
  port: number
  /** The address to listen on; loopback by default, behind a proxy that ends TLS. */
  host: string
  /** The address at which people reach the product; links in messages begin with it. */
  origin: string
  standinsOrigin: string
  mailPort: number
  databaseUrl: string
  /** At most so many connections are held by one process. */
  databaseConnections: number
  dataDir: string
  /** Proxies whose forwarded headers are believed: addresses, or ranges in CIDR. */
  trustedProxies: string[]
  /** Ceilings that differ from those in limits.ts, by name; or a factor for all of them. */
  limits: Partial<Record<LimitName, number>> | number
  /** For so many days events, links and the like are kept; the books are kept for good. */
  retentionDays: number
  /** By so many seconds the clock may differ from the database's before nothing is collected in Live. */
  clockTolerance: number
  /** Where the built interface is. */
  distDir: string
}

export function readConfig(env: NodeJS.ProcessEnv = process.env): Config {
  const port = Number(env.PORT ?? 7310)
  const databasePort = Number(env.DATABASE_PORT ?? 7330)
  return {
    port,
    host: env.HOST ?? '127.0.0.1',
    trustedProxies: (env.TRUSTED_PROXIES ?? '').split(',').flatMap((entry) => (entry.trim() ? [entry.trim()] : [])),
    limits: readLimits(env.LIMITS),
    origin: env.ORIGIN ?? `http://localhost:${port}`,
    standinsOrigin: env.STANDINS_ORIGIN ?? `http://localhost:${Number(env.STANDINS_PORT ?? 7320)}`,
    mailPort: Number(env.MAIL_PORT ?? 7325),
    databaseUrl: env.DATABASE_URL ?? `postgres://acorn@127.0.0.1:${databasePort}/young_acorn`,
    databaseConnections: Number(env.DATABASE_CONNECTIONS ?? 10),
    dataDir: env.DATA_DIR ?? '.data',
    retentionDays: Number(env.RETENTION_DAYS ?? 90),
    clockTolerance: Number(env.CLOCK_TOLERANCE ?? 3600),
    distDir: env.DIST ?? 'dist',
  }
}

/** @throws where a ceiling is named that there is not, or is no number. */
function readLimits(text: string | undefined): Config['limits'] {
  if (!text) return {}
  const read: unknown = JSON.parse(text)
  if (typeof read === 'number' && read > 0) return read
  if (typeof read !== 'object' || read === null)
    throw new Error('LIMITS must be a JSON object of ceilings, or a factor.')
  for (const [name, points] of Object.entries(read)) {
    if (!(name in CEILINGS)) throw new Error(`LIMITS: there is no ceiling “${name}”.`)
    if (!Number.isInteger(points) || (points as number) < 1)
      throw new Error(`LIMITS: “${name}” must be a whole number.`)
  }
  return read as Config['limits']
}
