import type { ChildProcess } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { readConfig } from '../../src/server/platform/config.ts'
import { buildWhatChanged } from '../build.ts'
import { dropDatabase } from '../databases.ts'
import { startCluster } from '../postgres.ts'
import { prepareData } from '../prepare.ts'
import { endPart, PARTS, startPart } from '../processes.ts'

const BASE = 7610

/** The built product with the demo school on a cluster that really writes to disk, for measuring. */
export async function startMeasured() {
  const cluster = await startCluster({ dir: '.data/bench-postgres', port: BASE + 20 })
  const dataDir = mkdtempSync(join(tmpdir(), 'young-acorn-bench-'))
  const env = {
    ...process.env,
    NODE_ENV: 'production',
    PORT: String(BASE),
    STANDINS_PORT: String(BASE + 10),
    MAIL_PORT: String(BASE + 15),
    DATABASE_URL: cluster.url('acorn_bench'),
    DATA_DIR: dataDir,
    LIMITS: '100000',
    DIST: '.data/test-dist',
    STANDINS_DATA: join(dataDir, 'standins'),
  }
  const config = readConfig(env)
  await dropDatabase(config.databaseUrl)
  await buildWhatChanged(config.distDir)
  await prepareData(config, env.STANDINS_DATA, true)
  const children: ChildProcess[] = []
  for (const part of PARTS) if (part.name !== 'worker') children.push(await startPart(part, env))
  const close = async () => {
    await Promise.all(children.map(endPart))
    rmSync(dataDir, { recursive: true, force: true })
    cluster.stop()
  }
  return { config, close }
}
