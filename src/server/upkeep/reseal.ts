import { eq } from 'drizzle-orm'
import { connections } from '../db/schema/index.ts'
import { isReadable } from '../gateways/service.ts'
import type { Services } from '../platform/context.ts'

/** Seals every gateway's key with the secret key that seals now. @returns how many were, and how many no key opens. */
export async function resealConnections({ db, secrets }: Services): Promise<{ sealed: number; lost: number }> {
  const rows = (await db.select().from(connections)).filter(({ secret }) => secret !== '')
  let sealed = 0
  for (const { id, secret, signingSecret } of rows) {
    if (!secrets.canOpen(secret) || !secrets.canOpen(signingSecret)) continue
    const fields = {
      secret: secrets.seal(secrets.open(secret)),
      signingSecret: secrets.seal(secrets.open(signingSecret)),
    }
    await db.update(connections).set(fields).where(eq(connections.id, id))
    sealed++
  }
  return { sealed, lost: rows.length - sealed }
}

/** The gateways in use whose keys no secret key opens, in words for the log; null where there are none. */
export async function describeLostKeys(services: Services): Promise<string | null> {
  const rows = await services.db.select().from(connections)
  const lost = rows.filter(({ disconnectedAt, secret }) => disconnectedAt === null && !isReadable(services, secret))
  if (lost.length === 0) return null
  const names = [...new Set(lost.map(({ adapter }) => adapter))].join(', ')
  return `The secret key has changed or is lost: the keys of ${names} cannot be read, and buyers are not offered them. Put the old key back (SECRET_KEY, or OLD_SECRET_KEYS beside the new one), or connect them again under Setup.`
}
