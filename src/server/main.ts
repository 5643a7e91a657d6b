import { serve } from '@hono/node-server'
import { serveStatic } from '@hono/node-server/serve-static'
import { Hono } from 'hono'
import { compress } from 'hono/compress'
import { makeApp } from './app.ts'
import { log } from './log/log.ts'
import { builtRenderer } from './pages/renderer.ts'
import { readConfig } from './platform/config.ts'
import { SERVER_OPTIONS } from './platform/keepAlive.ts'
import { openServices } from './services.ts'
import { describeLostKeys } from './upkeep/reseal.ts'
import { runWorker } from './worker.ts'

/** `server` answers requests, `worker` works on the queues; each may run any number of times. */
const role = process.argv[2]
const config = readConfig()
/** So long what is under way may take once the process is asked to end. */
const GRACE_SECONDS = 12
/** Of it so long for the jobs of a worker. */
const STOP_MS = 5000

if (role === 'server') {
  const { services, close } = await openServices(config)
  const lost = await describeLostKeys(services)
  if (lost) log('error', lost)
  const app = new Hono()
  app.use('/assets/*', compress())
  app.use(
    '/assets/*',
    serveStatic({
      root: `${config.distDir}/client`,
      // As `scripts/build.ts` packed them.
      precompressed: true,
      onFound: (_path, c) => c.header('cache-control', 'public, max-age=31536000, immutable'),
    }),
  )
  app.route('/', makeApp(services, await builtRenderer(config.distDir)))
  const server = serve(
    { fetch: app.fetch, port: config.port, hostname: config.host, serverOptions: SERVER_OPTIONS },
    () => console.log(`server: ${config.origin}`),
  )
  whenAsked(async () => {
    await new Promise((closed) => server.close(closed))
    await close()
  })
} else if (role === 'worker') {
  const { services, queue, close } = await openServices(config)
  const stop = await runWorker(services, queue)
  console.log('worker: ready')
  whenAsked(async () => {
    // What is not done by then is done by the next worker.
    await Promise.race([stop(), new Promise((resolve) => setTimeout(resolve, STOP_MS))])
    await close()
  })
} else {
  console.error('Say which part to run: server or worker.')
  process.exit(2)
}

/**
 * Ends in order at a signal, or when the process that started this one is gone: what is under way may finish. After
 * the grace it ends all the same; a call left without an answer is looked up by the next worker.
 */
function whenAsked(end: () => Promise<void>) {
  let asked = false
  const stop = () => {
    if (asked) return
    asked = true
    setTimeout(() => {
      log('error', `${role}: ended after ${GRACE_SECONDS} seconds with work under way`)
      process.exit(1)
    }, GRACE_SECONDS * 1000).unref()
    end().then(
      () => process.exit(0),
      (error: unknown) => {
        log('error', 'ending', error)
        process.exit(1)
      },
    )
  }
  process.on('SIGTERM', stop)
  process.on('SIGINT', stop)
  process.on('disconnect', stop)
}
