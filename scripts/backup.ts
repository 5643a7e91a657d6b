import { readConfig } from '../src/server/platform/config.ts'
import { makeBackup } from './backups.ts'
import { SetUpError } from './postgres.ts'

/** `npm run backup -- school.dump`: the whole database in one file. The secret key is kept apart (docs/operations.md). */
const [file] = process.argv.slice(2)
try {
  if (!file) throw new SetUpError('Name the file to write, like school.dump.')
  await makeBackup(readConfig().databaseUrl, file)
  console.log(`Written: ${file}. Keep the secret key apart from it; without the key, gateways must be connected anew.`)
} catch (error) {
  if (!(error instanceof SetUpError)) throw error
  console.error(error.message)
  process.exit(1)
}
