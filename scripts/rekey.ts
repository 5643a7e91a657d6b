import { randomBytes } from 'node:crypto'
import { appendFileSync, existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { readConfig } from '../src/server/platform/config.ts'
import { loadSecrets } from '../src/server/platform/secrets.ts'
import { openServices } from '../src/server/services.ts'
import { resealConnections } from '../src/server/upkeep/reseal.ts'

/**
 * Changes the secret key: `npm run rekey`. Where the key is a file, a new one is made and the old one goes on opening;
 * where it is in the environment, SECRET_KEY is the new one and OLD_SECRET_KEYS holds the old. Seals everything anew.
 */
const config = readConfig()
const file = join(config.dataDir, 'secret.key')
const oldFile = join(config.dataDir, 'old-secret.keys')
if (!process.env.SECRET_KEY) {
  if (existsSync(file)) appendFileSync(oldFile, readFileSync(file, 'utf8').trimEnd().concat('\n'), { mode: 0o600 })
  writeFileSync(`${file}.new`, randomBytes(32).toString('base64'), { mode: 0o600 })
  renameSync(`${file}.new`, file)
}
const { services, close } = await openServices(config)
const { sealed, lost } = await resealConnections({ ...services, secrets: loadSecrets(config.dataDir) })
console.log(`${sealed} keys of gateways are sealed with the new key.`)
if (lost > 0) console.error(`${lost} could be opened with no key; connect those gateways again under Setup.`)
console.log('Restart every server and worker. Then the old key is not needed any more:')
console.log(process.env.SECRET_KEY ? 'take OLD_SECRET_KEYS out.' : `delete ${oldFile}.`)
await close()
process.exit(lost > 0 ? 1 : 0)
