import { type ServerType, serve } from '@hono/node-server'
import { Hono } from 'hono'
import type { Harness } from '../gateways/conformance.ts'
import { thistleAdapter } from '../gateways/thistle/adapter.ts'
import { makeStandins } from '../standins/app.ts'
import { SAMPLE_CARDS } from '../standins/thistle/cards.ts'

type Fetch = (request: Request) => Response | Promise<Response>

/** Listens on a free port of loopback. */
export function listen(fetch: Fetch): Promise<{ origin: string; server: ServerType }> {
  return new Promise((resolve) => {
    const server = serve({ fetch, port: 0, hostname: '127.0.0.1' }, ({ port }) =>
      resolve({ origin: `http://127.0.0.1:${port}`, server }),
    )
  })
}

/** The stand-ins on a port of their own, with one account, keeping nothing. */
export async function startStandins() {
  let handle: Fetch = () => new Response(null, { status: 503 })
  const { origin, server } = await listen((request) => handle(request))
  const standins = makeStandins({ dataDir: null, origin })
  handle = standins.app.fetch
  const account = standins.books.openAccount('Test school')
  const tokenOf = (behaviour: string, mode: 'practice' | 'live' = 'practice') => {
    const card = SAMPLE_CARDS.find((sample) => sample.behaviour === behaviour)
    return standins.books.tokenise(account.id, mode, card?.number ?? '').token
  }
  const close = () => {
    standins.events.stop()
    server.close()
  }
  return { ...standins, origin, account, tokenOf, close }
}

/** Thistle Card as the conformance kit wants it: the adapter against its stand-in, over HTTP. */
export async function thistleHarness(): Promise<{ harness: Harness; close: () => void }> {
  const standins = await startStandins()
  const received: { headers: Record<string, string>; body: string }[] = []
  const listener = new Hono().post('/events', async (c) => {
    received.push({ headers: c.req.header(), body: await c.req.text() })
    return c.json({ ok: true })
  })
  const { origin: listenerOrigin, server } = await listen(listener.fetch)
  const harness: Harness = {
    adapter: thistleAdapter({ origin: standins.origin, parentOrigin: 'http://localhost', timeoutMs: 400 }),
    credentials: { account: standins.account.id, secret: standins.account.keys.practice },
    mode: 'practice',
    listenerUrl: `${listenerOrigin}/events`,
    token: async (behaviour) => standins.tokenOf(behaviour),
    async confirm({ url }, approved) {
      const body = new URLSearchParams({
        secret: new URL(url).searchParams.get('s') ?? '',
        answer: approved ? 'approve' : 'refuse',
      })
      await fetch(url, { method: 'POST', body })
    },
    async losingAnswers(call) {
      standins.world.answersLost = true
      try {
        return await call()
      } finally {
        standins.world.answersLost = false
      }
    },
    async events() {
      for (let wait = 0; wait < 40 && received.length === 0; wait++)
        await new Promise((resolve) => setTimeout(resolve, 25))
      await new Promise((resolve) => setTimeout(resolve, 50))
      return received
    },
  }
  const close = () => {
    standins.close()
    server.close()
  }
  return { harness, close }
}
