import { serve } from '@hono/node-server'
import { makeStandins } from './app.ts'

const port = Number(process.env.STANDINS_PORT ?? 7320)
const mailPort = Number(process.env.MAIL_PORT ?? 7325)
const origin = process.env.STANDINS_ORIGIN ?? `http://localhost:${port}`
const dataDir = process.env.STANDINS_DATA ?? '.data/standins'

const { app, mailbox } = makeStandins({ dataDir, origin })
await mailbox.listen(mailPort)
// Idle connections are kept for longer than those who call keep theirs, so that none is lost in between.
serve({ fetch: app.fetch, port, hostname: '127.0.0.1', serverOptions: { keepAliveTimeout: 75_000 } }, () =>
  console.log(`stand-ins: ${origin}`),
)
process.on('disconnect', () => process.exit(0))
