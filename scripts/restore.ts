import { readConfig } from '../src/server/platform/config.ts'
import { restoreBackup } from './backups.ts'
import { SetUpError } from './postgres.ts'

/** `npm run restore -- school.dump`: puts a backup in the place of the database. See docs/operations.md. */
const [file] = process.argv.slice(2)
try {
  if (!file) throw new SetUpError('Name the file to read, like school.dump.')
  const before = await restoreBackup(readConfig().databaseUrl, file)
  console.log('The backup is in place.')
  if (before) console.log(`What was there before is kept as the database ${before}.`)
  console.log('Start again: the worker compares it with the gateways’ books first, and takes in what was paid since.')
} catch (error) {
  if (!(error instanceof SetUpError)) throw error
  console.error(error.message)
  process.exit(1)
}
