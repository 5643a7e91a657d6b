import type PgBoss from 'pg-boss'
import { lookUpUntilSettled, sweepOpenAttempts } from './checkout/lookup.ts'
import { collectAgreement, queueDue } from './collecting/collect.ts'
import { announceExpiring } from './collecting/expiry.ts'
import type { Services } from './context.ts'
import type { JobData, JobName } from './jobs.ts'
import { sendMessage, smtpPost } from './messages/send.ts'
import { addUp } from './money/sums.ts'
import { settleRefund } from './refunds/service.ts'
import { goOnMoving, resumeMove } from './school/practiceTime.ts'

const SWEEP_MS = 20_000
const COLLECTED_AT_ONCE = 8

/** Works on the queues until it is told to stop. Any number of workers may share one database. */
export async function runWorker(services: Services, boss: PgBoss): Promise<() => void> {
  const post = smtpPost(services.config.mailPort)
  const work = <N extends JobName>(name: N, handle: (data: JobData[N]) => Promise<void>) =>
    boss.work<JobData[N]>(name, { pollingIntervalSeconds: 0.5, batchSize: 5 }, async (jobs) => {
      for (const job of jobs) await handle(job.data)
    })
  await work('attempt-lookup', ({ attemptId }) => lookUpUntilSettled(services, attemptId))
  // Agreements do not wait for each other: most of a turn is waiting for the gateway and the disk.
  await boss.work<JobData['agreement-collect']>(
    'agreement-collect',
    { pollingIntervalSeconds: 0.5, batchSize: COLLECTED_AT_ONCE },
    async (jobs) => {
      const turns = await Promise.allSettled(jobs.map(({ data }) => collectAgreement(services, data.agreementId)))
      const failed = turns.find((turn) => turn.status === 'rejected')
      // Who is done stays done; the batch is taken up again for the others.
      if (failed) throw failed.reason
    },
  )
  await work('refund-settle', ({ refundId }) => settleRefund(services, refundId))
  await work('practice-move', () => goOnMoving(services))
  await work('message-send', ({ messageId }) => sendMessage(services, messageId, post))
  const sweep = setInterval(() => {
    Promise.all([
      sweepOpenAttempts(services),
      queueDue(services),
      announceExpiring(services),
      addUp(services.db),
      resumeMove(services),
    ]).catch((error: unknown) => console.error('sweep:', error))
  }, SWEEP_MS)
  return () => clearInterval(sweep)
}
