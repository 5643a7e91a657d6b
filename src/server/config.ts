/** Settings from the environment, each with the default that `./start` uses. */
export interface Config {
  port: number
  /** The address at which people reach the product; links in messages begin with it. */
  origin: string
  standinsOrigin: string
  mailPort: number
  databaseUrl: string
  /** At most so many connections are held by one process. */
  databaseConnections: number
  dataDir: string
  /** Where the built interface is. */
  distDir: string
}

export function readConfig(env: NodeJS.ProcessEnv = process.env): Config {
  const port = Number(env.PORT ?? 7310)
  const databasePort = Number(env.DATABASE_PORT ?? 7330)
  return {
    port,
    origin: env.ORIGIN ?? `http://localhost:${port}`,
    standinsOrigin: env.STANDINS_ORIGIN ?? `http://localhost:${Number(env.STANDINS_PORT ?? 7320)}`,
    mailPort: Number(env.MAIL_PORT ?? 7325),
    databaseUrl: env.DATABASE_URL ?? `postgres://acorn@127.0.0.1:${databasePort}/young_acorn`,
    databaseConnections: Number(env.DATABASE_CONNECTIONS ?? 10),
    dataDir: env.DATA_DIR ?? '.data',
    distDir: env.DIST ?? 'dist',
  }
}
