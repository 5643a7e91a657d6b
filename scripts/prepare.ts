import { loadDemo } from '../demo/load.ts'
import { readDemo } from '../demo/school.ts'
import { connect, DatabaseIsNewer } from '../src/server/db/client.ts'
import { type Config, readConfig } from '../src/server/platform/config.ts'
import { findSchool } from '../src/server/school/service.ts'
import { readyDatabase } from '../src/server/services.ts'
import { ensureDatabase, SetUpError } from './postgres.ts'

/**
 * Makes the database where it is missing, migrates it, and loads the demo school where it is wanted
 * and the database is empty. @returns whether the demo school is there.
 */
export async function prepareData(config: Config, standinsData: string, wantsDemo: boolean): Promise<boolean> {
  await ensureDatabase(config.databaseUrl)
  const { db, pool } = connect(config.databaseUrl, 2)
  try {
    await readyDatabase(config.databaseUrl)
    const school = await findSchool(db)
    if (school) return school.name === readDemo().file.school.name
  } finally {
    await pool.end()
  }
  if (!wantsDemo) return false
  console.log('Loading the demo school, over a year of it…')
  await loadDemo(config, standinsData)
  return true
}

if (process.argv[1]?.endsWith('prepare.ts')) {
  const [standinsData = '', wants] = process.argv.slice(2)
  try {
    process.send?.(await prepareData(readConfig(), standinsData, wants === 'demo'))
    process.disconnect()
  } catch (error) {
    console.error(error instanceof DatabaseIsNewer || error instanceof SetUpError ? error.message : error)
    process.exit(1)
  }
}
