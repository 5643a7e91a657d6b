import type PgBoss from 'pg-boss'
import { atOnce } from './atOnce.ts'
import { lookUpUntilSettled, sweepOpenAttempts } from './checkout/lookup.ts'
import { COLLECTED_AT_ONCE, collectAgreement, queueDue } from './collecting/collect.ts'
import { announceExpiring } from './collecting/expiry.ts'
import type { Services } from './context.ts'
import { describeError } from './http/logError.ts'
import type { JobData, JobName } from './jobs.ts'
import { sendMessage, smtpPost } from './messages/send.ts'
import { addUp } from './money/sums.ts'
import { settleRefund } from './refunds/service.ts'
import { goOnMoving, resumeMove } from './school/practiceTime.ts'

const SWEEP_MS = 20_000
const POLLED_SECONDS = 0.5
/** So many jobs are fetched at a time; with the polling it bounds what one worker does a second. */
const BATCH = 40

/** Works on the queues until it is told to stop. Any number of workers may share one database. */
export async function runWorker(services: Services, boss: PgBoss): Promise<() => void> {
  const post = smtpPost(services.config.mailPort)
  const work = <N extends JobName>(name: N, handle: (data: JobData[N]) => Promise<void>, batchSize = 5) =>
    boss.work<JobData[N]>(name, { pollingIntervalSeconds: POLLED_SECONDS, batchSize }, async (jobs) => {
      for (const job of jobs) await handle(job.data)
    })
  await work('attempt-lookup', ({ attemptId }) => lookUpUntilSettled(services, attemptId))
  // Agreements do not wait for each other: most of a turn is waiting for the gateway and the disk.
  await boss.work<JobData['agreement-collect']>(
    'agreement-collect',
    { pollingIntervalSeconds: POLLED_SECONDS, batchSize: BATCH },
    async (jobs) => {
      const failed: unknown[] = []
      await atOnce(COLLECTED_AT_ONCE, jobs, ({ data }) =>
        collectAgreement(services, data.agreementId).catch((error: unknown) => void failed.push(error)),
      )
      // Who is done stays done; the batch is taken up again for the others.
      if (failed.length > 0) throw failed[0]
    },
  )
  await work('refund-settle', ({ refundId }) => settleRefund(services, refundId))
  await work('practice-move', () => goOnMoving(services))
  await work('message-send', ({ messageId }) => sendMessage(services, messageId, post), BATCH)
  const sweep = setInterval(() => {
    Promise.all([
      sweepOpenAttempts(services),
      queueDue(services),
      announceExpiring(services),
      addUp(services.db),
      resumeMove(services),
    ]).catch((error: unknown) => console.error(`sweep: ${describeError(error)}`))
  }, SWEEP_MS)
  return () => clearInterval(sweep)
}
