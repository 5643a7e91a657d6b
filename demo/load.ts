import { type ServerType, serve } from '@hono/node-server'
import { eq } from 'drizzle-orm'
import { allGateways } from '../src/gateways/registry.ts'
import { takeBack } from '../src/server/access/close.ts'
import { giveAccess } from '../src/server/access/give.ts'
import { listGrants } from '../src/server/access/service.ts'
import { growBundle } from '../src/server/bundles/grow.ts'
import { connect } from '../src/server/db/client.ts'
import { courses } from '../src/server/db/schema/index.ts'
import { connectGateway } from '../src/server/gateways/service.ts'
import { setTransfer } from '../src/server/gateways/transferSettings.ts'
import { sendMessage, smtpPost } from '../src/server/messages/send.ts'
import { findPerson } from '../src/server/people/service.ts'
import type { Config } from '../src/server/platform/config.ts'
import type { Services } from '../src/server/platform/context.ts'
import { type JobData, type JobName, type Jobs, NO_JOBS } from '../src/server/platform/jobs.ts'
import { Limits } from '../src/server/platform/limits.ts'
import { loadSecrets } from '../src/server/platform/secrets.ts'
import { importSchool } from '../src/server/schoolFile/import.ts'
import { makePasswordLink, setPassword } from '../src/server/session/links.ts'
import { setUp } from '../src/server/session/signIn.ts'
import { makeStandins } from '../src/standins/app.ts'
import { leaveAs, madeOf, publishSales } from './catalogue.ts'
import { DAY_MS, type DemoLife, emailOf, filledIn, readDemo } from './school.ts'
import { ACCOUNT, DemoShop, WALLET_ACCOUNT } from './shop.ts'
import { takeDemoVideo } from './video.ts'

/**
 * Takes the demo school from its file, as any school is taken, and lives through its past by the product's own services
 * over moved time, against a stand-in of its own that writes into the stand-ins' store. The database must be migrated and
 * empty.
 */
export async function loadDemo(config: Config, standinsData: string | null): Promise<void> {
  const demo = readDemo()
  const { life } = demo
  const today = Date.now()
  let clock = today - 415 * DAY_MS
  const now = () => new Date(clock)
  const standins = makeStandins({ dataDir: standinsData, origin: config.standinsOrigin, now })
  // The answers say it all; events would be sent to a product that does not listen yet.
  standins.world.eventsLost = true
  const mailPort = await standins.mailbox.listen(0)
  const { server, port } = await listen(standins.app.fetch)
  const { db, pool } = connect(config.databaseUrl)
  const queue: { name: JobName; data: JobData[JobName] }[] = []
  const jobs: Jobs = {
    send: async (_tx, name, data) => void queue.push({ name, data }),
    rows: (name, all) => {
      queue.push(...all.map((data) => ({ name, data })))
      return NO_JOBS
    },
  }
  const services: Services = {
    // It lives through a year whose days are not the database's.
    config: { ...config, clockTolerance: Number.POSITIVE_INFINITY },
    db,
    jobs,
    now,
    gateways: allGateways(`http://127.0.0.1:${port}`, config.origin),
    secrets: loadSecrets(config.dataDir),
    // A year of a school's buyers comes from one process.
    limits: new Limits(db, 100_000),
  }
  const post = smtpPost(mailPort)
  const work = async () => {
    for (let job = queue.shift(); job; job = queue.shift()) {
      if (job.name === 'message-send')
        await sendMessage(services, (job.data as JobData['message-send']).messageId, post)
      if (job.name === 'bundle-grow') await growBundle(services, (job.data as JobData['bundle-grow']).growthId)
    }
  }
  try {
    const { name } = demo.file.school
    const account = standins.books.accounts.get(ACCOUNT) ?? standins.books.openAccount(name, ACCOUNT)
    const wallet = standins.wallets.accounts.get(WALLET_ACCOUNT) ?? standins.wallets.openAccount(name, WALLET_ACCOUNT)
    if (standins.transfers.accounts.size === 0) standins.transfers.openAccount(name, 'bt-foldquire')
    await takeDemoVideo(services)
    await importSchool(services, filledIn(demo, today))
    await setUp(services, { school: demo.file.school, creator: life.creator })
    for (const mode of ['practice', 'live'] as const) {
      await connectGateway(services, mode, { adapter: 'thistle', account: ACCOUNT, secret: account.keys[mode] })
    }
    await connectGateway(services, 'practice', {
      adapter: 'moor',
      account: WALLET_ACCOUNT,
      secret: wallet.keys.practice,
    })
    for (const mode of ['practice', 'live'] as const)
      await setTransfer(services, mode, { ...life.transfer, displace: true })
    const made = await madeOf(services, life)
    const moveTo = (moment: number) => {
      clock = moment
    }
    const shop = new DemoShop(services, standins, life, work, { moveTo })
    for (const mode of ['practice', 'live'] as const) {
      moveTo(today - 415 * DAY_MS)
      await shop.liveThrough(mode, made, today)
    }
    clock = today - 6 * DAY_MS
    await publishSales(services, life)
    clock = today - 2 * DAY_MS
    await byHand(services, life, work)
    await leaveAs(services, life)
    clock = today
  } finally {
    standins.events.stop()
    server.close()
    await standins.mailbox.close()
    await pool.end()
  }
}

function listen(
  fetch: (request: Request) => Response | Promise<Response>,
): Promise<{ server: ServerType; port: number }> {
  return new Promise((resolve) => {
    const server = serve({ fetch, port: 0, hostname: '127.0.0.1' }, ({ port }) => resolve({ server, port }))
  })
}

/** What the creator did by hand: a course given, another taken back; and one buyer with a password. */
async function byHand(services: Services, life: DemoLife, work: () => Promise<void>) {
  const ida = await findPerson(services.db, 'practice', emailOf('Ida Brandner'))
  const [marbling] = await services.db.select().from(courses).where(eq(courses.slug, 'paper-marbling'))
  if (!ida || !marbling) throw new Error('The demo’s people or courses are missing.')
  const link = await makePasswordLink(services, ida.id)
  await setPassword(services, link.split('/').at(-1) ?? '', life.creator.password)
  await giveAccess(services, ida.id, { courseIds: [marbling.id], note: 'Helped at the winter fair' })

  const agnes = await findPerson(services.db, 'practice', emailOf('Agnes Thorup'))
  if (!agnes) throw new Error('Agnes has not ordered anything.')
  await giveAccess(services, agnes.id, { courseIds: [marbling.id], note: 'Won it in the raffle' })
  const given = (await listGrants(services, { personId: agnes.id })).find(({ orderId }) => orderId === null)
  await takeBack(services, 'practice', given?.id as string, 'It was another Agnes')
  await work()
}
