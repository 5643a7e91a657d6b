import { inArray } from 'drizzle-orm'
import { GatewayUnreachable } from '../../src/gateways/contract.ts'
import { lookUpAttempt } from '../../src/server/checkout/lookup.ts'
import { agreementsDue, collectAgreement } from '../../src/server/collecting/collect.ts'
import { connect } from '../../src/server/db/client.ts'
import { attempts, OPEN_ATTEMPTS } from '../../src/server/db/schema/index.ts'
import { chaosServices } from './services.ts'

/**
 * A worker of the chaos run: does what the product's worker does, as fast as it can, until it is killed. What
 * the queue would bring it (look-ups) it finds by itself.
 */
const [url = '', standinsOrigin = ''] = process.argv.slice(2)
const services = chaosServices(connect(url, 4).db, url, standinsOrigin)

process.send?.('ready')
process.on('disconnect', () => process.exit(0))

for (;;) {
  try {
    for (const id of await agreementsDue(services, 'practice')) await collectAgreement(services, id)
    const open = await services.db
      .select()
      .from(attempts)
      .where(inArray(attempts.state, [...OPEN_ATTEMPTS]))
    for (const attempt of open) await lookUpAttempt(services, attempt)
  } catch (error) {
    if (!(error instanceof GatewayUnreachable)) console.error('worker:', error)
  }
  await new Promise((resolve) => setTimeout(resolve, 15))
}
