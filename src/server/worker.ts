import { announceAccess } from './access/announce.ts'
import { moveOpenings } from './access/openings.ts'
import { growBundle, resumeGrowths } from './bundles/grow.ts'
import { announceAll } from './collecting/announce.ts'
import { collectAgreements, queueDue } from './collecting/collect.ts'
import { releaseWaiting } from './coupons/held.ts'
import { makeRequestedCodes, resumeMaking } from './coupons/set.ts'
import { MODES } from './db/schema/columns.ts'
import { log } from './log/log.ts'
import { lookUpUntilSettled, sweepOpenAttempts } from './lookup/lookup.ts'
import { cleanOldPictures } from './media/pictures.ts'
import { sendAccountMail } from './messages/accountMail.ts'
import { sendMessage, smtpPost } from './messages/send.ts'
import { aggregate } from './money/sums.ts'
import { isClockTrusted } from './platform/clock.ts'
import { consume, type Handler, handlerOf } from './platform/consume.ts'
import type { Services } from './platform/context.ts'
import type { Job, JobData, JobName, JobSource } from './platform/jobs.ts'
import { mapConcurrently } from './platform/mapConcurrently.ts'
import { restoredSince } from './platform/restored.ts'
import { continueMove, resumeMove } from './practice/practiceTime.ts'
import { settleRefund } from './refunds/settle.ts'
import { endOldTransfers } from './transfers/waiting.ts'
import { queueDaily } from './upkeep/daily.ts'
import { purge } from './upkeep/purge.ts'
import { reconcileAll } from './upkeep/reconcile.ts'
import { forgetMethods } from './upsells/forget.ts'

const SWEEP_MS = 20_000
/** So many messages are taken at a time. */
const BATCH = 40
/** Agreements are collected many at a time. */
const COLLECTED_BATCH = 400

/** Ends what was waited for long enough; by a clock that cannot be trusted, nothing of real money. */
async function endWhatWaited(services: Services): Promise<void> {
  const modes = (await isClockTrusted(services)) ? MODES : (['practice'] as const)
  for (const mode of modes) {
    await endOldTransfers(services, mode)
    await releaseWaiting(services, mode)
  }
}

/**
 * Works on the queues until it is told to stop, also through a time without a database. Any number of workers may share
 * one database. @returns what ends it: it fetches nothing more, and resolves once what is under way is done.
 */
export async function runWorker(services: Services, queue: JobSource): Promise<() => Promise<void>> {
  const post = smtpPost(services.config.mailPort)
  const handlers: Handler[] = []
  // Each job stands for itself: one that fails is tried again alone, and keeps no other from being done.
  const work = <N extends JobName>(
    name: N,
    handle: (data: JobData[N]) => Promise<void>,
    { batch = 5, together = 1 } = {},
  ) =>
    handlers.push(
      handlerOf(name, batch, async (jobs) => {
        const failed = new Map<string, unknown>()
        await mapConcurrently(together, jobs, async ({ id, data }) => {
          await handle(data).catch((error: unknown) => failed.set(id, error))
        })
        return failed
      }),
    )
  const collect = async (jobs: Job<'agreement-collect'>[]) => {
    const failed = await collectAgreements(
      services,
      jobs.map(({ data }) => data.agreementId),
    )
    return new Map(
      jobs.flatMap(({ id, data: { agreementId } }) =>
        failed.has(agreementId) ? [[id, failed.get(agreementId)] as const] : [],
      ),
    )
  }
  // A school that was put back from a backup is compared with the gateways' books before anything is collected.
  if (await restoredSince(services.db)) await reconcileAll(services)
  // Two at a time: while one waits for a gateway that takes long, the other goes on.
  for (let n = 0; n < 2; n++) handlers.push(handlerOf('agreement-collect', COLLECTED_BATCH, collect))
  work('attempt-lookup', ({ attemptId }) => lookUpUntilSettled(services, attemptId), { together: 5 })
  work('refund-settle', ({ refundId }) => settleRefund(services, refundId))
  work('practice-move', () => continueMove(services))
  work('reconcile', async () => void (await reconcileAll(services)))
  work('purge', async () => {
    await cleanOldPictures(services)
    await purge(services)
  })
  work('bundle-grow', ({ growthId }) => growBundle(services, growthId))
  work('codes-make', ({ couponId }) => makeRequestedCodes(services, couponId))
  work('message-send', ({ messageId }) => sendMessage(services, messageId, post), { batch: BATCH, together: 4 })
  work('account-mail', (mail) => sendAccountMail(services, mail, post))
  const consumer = consume(queue, handlers)
  let isSweeping = false
  const sweep = setInterval(() => {
    // One that waits for a slow database is not overtaken.
    if (isSweeping) return
    isSweeping = true
    Promise.all([
      sweepOpenAttempts(services),
      queueDue(services),
      announceAll(services),
      moveOpenings(services).then(() => announceAccess(services)),
      endWhatWaited(services),
      aggregate(services.db),
      resumeMove(services),
      resumeGrowths(services),
      resumeMaking(services),
      forgetMethods(services),
      queueDaily(services),
    ])
      .catch((error: unknown) => log('error', 'sweep', error))
      .finally(() => {
        isSweeping = false
      })
  }, SWEEP_MS)
  return async () => {
    clearInterval(sweep)
    await consumer.stop()
  }
}
