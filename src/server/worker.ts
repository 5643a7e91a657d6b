import type PgBoss from 'pg-boss'
import { lookUpUntilSettled, sweepOpenAttempts } from './checkout/lookup.ts'
import { collectAgreement, queueDue } from './collecting/collect.ts'
import { announceExpiring } from './collecting/expiry.ts'
import type { Services } from './context.ts'
import type { JobData, JobName } from './jobs.ts'
import { sendMessage, smtpPost } from './messages/send.ts'
import { addUp } from './money/sums.ts'
import { settleRefund } from './refunds/service.ts'

const SWEEP_MS = 20_000

/** Works on the queues until it is told to stop. Any number of workers may share one database. */
export async function runWorker(services: Services, boss: PgBoss): Promise<() => void> {
  const post = smtpPost(services.config.mailPort)
  const work = <N extends JobName>(name: N, handle: (data: JobData[N]) => Promise<void>) =>
    boss.work<JobData[N]>(name, { pollingIntervalSeconds: 0.5, batchSize: 5 }, async (jobs) => {
      for (const job of jobs) await handle(job.data)
    })
  await work('attempt-lookup', ({ attemptId }) => lookUpUntilSettled(services, attemptId))
  await work('agreement-collect', ({ agreementId }) => collectAgreement(services, agreementId))
  await work('refund-settle', ({ refundId }) => settleRefund(services, refundId))
  await work('message-send', ({ messageId }) => sendMessage(services, messageId, post))
  const sweep = setInterval(() => {
    Promise.all([
      sweepOpenAttempts(services),
      queueDue(services),
      announceExpiring(services),
      addUp(services.db),
    ]).catch((error: unknown) => console.error('sweep:', error))
  }, SWEEP_MS)
  return () => clearInterval(sweep)
}
