import type PgBoss from 'pg-boss'
import { growBundle, resumeGrowths } from './bundles/grow.ts'
import { announceAll } from './collecting/announce.ts'
import { collectAgreements, queueDue } from './collecting/collect.ts'
import { makeAsked, resumeMaking } from './coupons/set.ts'
import { MODES } from './db/schema/columns.ts'
import { endOldTransfers } from './fulfilment/bankTransfer.ts'
import { lookUpUntilSettled, sweepOpenAttempts } from './fulfilment/lookup.ts'
import { log } from './log/log.ts'
import { describeError } from './log/logError.ts'
import { sendAccountMail } from './messages/accountMail.ts'
import { sendMessage, smtpPost } from './messages/send.ts'
import { aggregate } from './money/sums.ts'
import type { Services } from './platform/context.ts'
import type { JobData, JobName } from './platform/jobs.ts'
import { mapConcurrently } from './platform/mapConcurrently.ts'
import { restoredSince } from './platform/restored.ts'
import { continueMove, resumeMove } from './practice/practiceTime.ts'
import { settleRefund } from './refunds/settle.ts'
import { queueDaily } from './upkeep/daily.ts'
import { purge } from './upkeep/purge.ts'
import { reconcileAll } from './upkeep/reconcile.ts'
import { forgetMethods } from './upsells/forget.ts'

const SWEEP_MS = 20_000
const POLLED_SECONDS = 0.5
/** So many jobs are fetched at a time; with the polling it bounds what one worker does a second. */
const BATCH = 40
/** Agreements are collected many at a time. */
const COLLECTED_BATCH = 400

/** Works on the queues until it is told to stop. Any number of workers may share one database. */
export async function runWorker(services: Services, boss: PgBoss): Promise<() => void> {
  const post = smtpPost(services.config.mailPort)
  // Each job stands for itself: one that fails is tried again alone, and keeps no other from being done.
  const work = <N extends JobName>(
    name: N,
    handle: (data: JobData[N]) => Promise<void>,
    { batch = 5, together = 1 } = {},
  ) =>
    boss.work<JobData[N]>(name, { pollingIntervalSeconds: POLLED_SECONDS, batchSize: batch }, (jobs) =>
      mapConcurrently(together, jobs, async ({ id, data }) => {
        try {
          await handle(data)
        } catch (error) {
          log('error', name, error)
          await boss.fail(name, id, { why: describeError(error) })
        }
      }),
    )
  // A school that was put back from a backup is compared with the gateways' books before anything is collected.
  if (await restoredSince(services.db)) await reconcileAll(services)
  await work('attempt-lookup', ({ attemptId }) => lookUpUntilSettled(services, attemptId), { together: 5 })
  const collect = async (jobs: PgBoss.Job<JobData['agreement-collect']>[]) => {
    const failed = await collectAgreements(
      services,
      jobs.map(({ data }) => data.agreementId),
    )
    for (const { id, data } of jobs) {
      const error = failed.get(data.agreementId)
      if (error === undefined) continue
      log('error', 'agreement-collect', error)
      await boss.fail('agreement-collect', id, { why: describeError(error) })
    }
  }
  // Two at a time: while one waits for a gateway that takes long, the other goes on.
  for (let n = 0; n < 2; n++) {
    await boss.work(
      'agreement-collect',
      { pollingIntervalSeconds: POLLED_SECONDS, batchSize: COLLECTED_BATCH },
      collect,
    )
  }
  await work('refund-settle', ({ refundId }) => settleRefund(services, refundId))
  await work('practice-move', () => continueMove(services))
  await work('reconcile', async () => void (await reconcileAll(services)))
  await work('purge', async () => void (await purge(services)))
  await work('bundle-grow', ({ growthId }) => growBundle(services, growthId))
  await work('codes-make', ({ couponId }) => makeAsked(services, couponId))
  await work('message-send', ({ messageId }) => sendMessage(services, messageId, post), { batch: BATCH, together: 4 })
  await work('account-mail', (mail) => sendAccountMail(services, mail, post))
  const sweep = setInterval(() => {
    Promise.all([
      sweepOpenAttempts(services),
      queueDue(services),
      announceAll(services),
      ...MODES.map((mode) => endOldTransfers(services, mode)),
      aggregate(services.db),
      resumeMove(services),
      resumeGrowths(services),
      resumeMaking(services),
      forgetMethods(services),
      queueDaily(services),
    ]).catch((error: unknown) => log('error', 'sweep', error))
  }, SWEEP_MS)
  return () => clearInterval(sweep)
}
