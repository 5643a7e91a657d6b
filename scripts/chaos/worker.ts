import { and, eq, getTableColumns, inArray, isNull, ne } from 'drizzle-orm'
import { BANK_TRANSFER_ID } from '../../src/gateways/bankTransfer.ts'
import { GatewayUnreachable } from '../../src/gateways/contract.ts'
import { growBundle } from '../../src/server/bundles/grow.ts'
import { agreementsDue, collectAgreements } from '../../src/server/collecting/collect.ts'
import { connect } from '../../src/server/db/client.ts'
import { attempts, bundleGrowths, connections, OPEN_ATTEMPTS, refunds } from '../../src/server/db/schema/index.ts'
import { lookUpAttempt } from '../../src/server/lookup/lookup.ts'
import { aggregate } from '../../src/server/money/sums.ts'
import { inMode } from '../../src/server/platform/context.ts'
import { mapConcurrently } from '../../src/server/platform/mapConcurrently.ts'
import { settleRefund } from '../../src/server/refunds/settle.ts'
import { forgetMethods } from '../../src/server/upsells/forget.ts'
import { chaosServices } from './services.ts'

/**
 * A worker of the chaos run: does what the product's worker does, as fast as it can, until it is killed. What
 * the queue would bring it (look-ups, refunds to ask for again) it finds by itself.
 */
const AT_ONCE = 8
/** An attempt this young, in practice time, is mostly being charged at the moment; it is asked about only now and then. */
const YOUNG_MS = 3000

const [url = '', standinsOrigin = ''] = process.argv.slice(2)
const services = chaosServices(connect(url, AT_ONCE).db, { databaseUrl: url, standinsOrigin, patienceMs: 250 })
const { db } = services

process.send?.('ready')
process.on('disconnect', () => process.exit(0))

for (;;) {
  // Each in an order of its own, or all would wait for the same agreement.
  const due = (await agreementsDue(services, 'practice')).sort(() => Math.random() - 0.5)
  for (const error of (await collectAgreements(services, due)).values()) complain(error)
  const open = await db
    .select(getTableColumns(attempts))
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(and(inArray(attempts.state, [...OPEN_ATTEMPTS]), ne(connections.adapter, BANK_TRANSFER_ID)))
  const now = (await inMode(services, 'practice')).now().getTime()
  const asked = open.filter(
    ({ state, startedAt }) => state !== 'started' || now - startedAt.getTime() > YOUNG_MS || Math.random() < 0.1,
  )
  await each(asked, (attempt) => lookUpAttempt(services, attempt))
  const given = await db.select({ id: refunds.id }).from(refunds).where(eq(refunds.state, 'started'))
  await each(given, ({ id }) => settleRefund(services, id))
  const growing = await db.select({ id: bundleGrowths.id }).from(bundleGrowths).where(isNull(bundleGrowths.finishedAt))
  await each(growing, ({ id }) => growBundle(services, id, 1))
  if (Math.random() < 0.05) await aggregate(db)
  if (Math.random() < 0.05) await forgetMethods(services).catch(complain)
  await new Promise((resolve) => setTimeout(resolve, due.length > 0 ? 5 : 30))
}

async function each<T>(list: readonly T[], run: (item: T) => Promise<unknown>): Promise<void> {
  await mapConcurrently(AT_ONCE, list, async (item) => {
    try {
      await run(item)
    } catch (error) {
      complain(error)
    }
  })
}

function complain(error: unknown) {
  if (!(error instanceof GatewayUnreachable)) console.error('worker:', error)
}
