import { type ChildProcess, spawn } from 'node:child_process'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { readConfig } from '../src/server/platform/config.ts'
import { startCluster } from './postgres.ts'
import { prepareData } from './prepare.ts'
import { endPart, PARTS, startPart } from './processes.ts'

/**
 * `npm run dev`: the product with Vite in front of it, which reloads what browsers are given; server and worker are
 * started anew when code of theirs changes.
 */
const config = readConfig()
const standinsData = join(config.dataDir, 'standins')
const cluster = process.env.DATABASE_URL
  ? null
  : await startCluster({ dir: join(config.dataDir, 'postgres'), port: Number(process.env.DATABASE_PORT ?? 7330) })
await prepareData(config, standinsData, true)
const env = { ...process.env, STANDINS_DATA: standinsData }
const standins = await Promise.all(PARTS.filter(({ name }) => name === 'stand-ins').map((part) => startPart(part, env)))

const tsx = createRequire(import.meta.url).resolve('tsx/cli')
const watch = (...args: string[]): ChildProcess =>
  spawn(process.execPath, [tsx, 'watch', '--clear-screen=false', ...args], {
    env,
    stdio: ['ignore', 'inherit', 'inherit'],
  })
const watched = [watch('src/server/main.ts', 'worker'), watch('scripts/devServer.ts')]
console.log(`\nThe studio with hot reload: ${config.origin}/studio\nThe stand-ins: ${config.standinsOrigin}/`)

const end = async () => {
  await Promise.all([...watched, ...standins].map(endPart))
  cluster?.stop()
  process.exit(0)
}
process.on('SIGINT', end)
process.on('SIGTERM', end)
