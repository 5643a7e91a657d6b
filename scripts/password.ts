import { eq } from 'drizzle-orm'
import { creators } from '../src/server/db/schema/index.ts'
import { readConfig } from '../src/server/platform/config.ts'
import { openServices } from '../src/server/services.ts'
import { makeCreatorLink } from '../src/server/session/links.ts'

/**
 * For an owner who cannot sign in, on the machine itself: prints a link that sets a new password, for once and 24
 * hours. `npm run password -- owner@school.example`; without an address it says which accounts there are.
 */
const [email] = process.argv.slice(2)
const { services, close } = await openServices(readConfig())
const found = email
  ? await services.db.select().from(creators).where(eq(creators.email, email.trim().toLowerCase()))
  : await services.db.select().from(creators)
const [creator] = found
let status = 0
if (!creator) {
  console.error(email ? `There is no account with ${email}.` : 'The school is not set up yet; open the studio first.')
  status = 1
} else if (!email) {
  console.log(`Name the account: ${found.map((account) => account.email).join(', ')}`)
  status = 1
} else {
  console.log(await makeCreatorLink(services, creator.id))
}
await close()
process.exit(status)
