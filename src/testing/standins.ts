import { type ServerType, serve } from '@hono/node-server'
import { Hono } from 'hono'
import type { Harness } from '../gateways/conformance.ts'
import { allGateways } from '../gateways/registry.ts'
import { SERVER_OPTIONS } from '../server/platform/keepAlive.ts'
import { makeStandins } from '../standins/app.ts'
import { SAMPLE_CARDS } from '../standins/thistle/cards.ts'

type Fetch = (request: Request, env?: unknown) => Response | Promise<Response>

/** Listens on a free port of loopback. */
export function listen(fetch: Fetch): Promise<{ origin: string; server: ServerType }> {
  return new Promise((resolve) => {
    const server = serve({ fetch, port: 0, hostname: '127.0.0.1', serverOptions: SERVER_OPTIONS }, ({ port }) =>
      resolve({ origin: `http://127.0.0.1:${port}`, server }),
    )
  })
}

/** The stand-ins on a port of their own, with one account, keeping nothing. */
export async function startStandins() {
  let handle: Fetch = () => new Response(null, { status: 503 })
  const { origin, server } = await listen((request, env) => handle(request, env))
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

/** What differs between the gateways that ship, for the conformance kit. */
type Particular = Pick<Harness, 'declineReason' | 'source' | 'answer' | 'arrive'> &
  Partial<Pick<Harness, 'dispute'>> & { account: { id: string; keys: { practice: string } } }
type Standins = Awaited<ReturnType<typeof startStandins>>

const PARTICULARS: Record<string, (standins: Standins) => Particular> = {
  thistle: (standins) => ({
    account: standins.account,
    declineReason: 'not-enough-money',
    async source(behaviour, keep = false) {
      return { token: standins.tokenOf(behaviour === 'declines' ? 'not-enough-money' : behaviour), keep }
    },
    async answer({ url }, behaviour) {
      const secret = new URL(url).searchParams.get('s') ?? ''
      await press(url, { secret, answer: behaviour === 'pays' ? 'approve' : 'refuse' })
    },
    arrive: async () => {},
    async dispute(reference) {
      await press(`${standins.origin}/thistle/payments/${reference}/dispute`, {})
    },
  }),
  moor: (standins) => ({
    account: standins.wallets.openAccount('Test school'),
    declineReason: 'not-enough-money',
    source: async (_behaviour, keep = false) => ({ returnUrl: `${standins.origin}/world`, keep }),
    async answer({ url }, behaviour) {
      await press(url, { answer: behaviour === 'declines' ? 'not-enough-money' : (behaviour ?? 'back') })
    },
    arrive: async () => {},
  }),
  brook: (standins) => ({
    account: standins.transfers.openAccount('Test school'),
    declineReason: 'not-arrived',
    source: async (_behaviour, keep = false) => ({ returnUrl: `${standins.origin}/world`, keep }),
    async answer({ url }, behaviour) {
      await press(url, { answer: behaviour === null ? 'back' : behaviour === 'declines' ? 'lost' : 'arrives' })
    },
    async arrive() {
      for (const payment of standins.transfers.payments.values()) standins.arrive(payment, 'at-once')
    },
  }),
}
export const HARNESS_NAMES = Object.keys(PARTICULARS)

/** Presses a button of a stand-in's page, as a buyer or its console would. */
async function press(url: string, form: Record<string, string>) {
  const response = await fetch(url, { method: 'POST', body: new URLSearchParams(form), redirect: 'manual' })
  if (response.status >= 400) throw new Error(`${url}: ${response.status} ${await response.text()}`)
}

/** A gateway that ships as the conformance kit wants it: the adapter against its stand-in, over HTTP. */
export async function makeHarness(name: string): Promise<{ harness: Harness; close: () => void }> {
  const standins = await startStandins()
  const particular = PARTICULARS[name]?.(standins)
  const adapter = allGateways(standins.origin, 'http://localhost', 60_000).get(name)
  if (!particular || !adapter) throw new Error(`There is no gateway ${name}.`)
  const received: { headers: Record<string, string>; body: string }[] = []
  const listener = new Hono().post('/events', async (c) => {
    received.push({ headers: c.req.header(), body: await c.req.text() })
    return c.json({ ok: true })
  })
  const { origin: listenerOrigin, server } = await listen(listener.fetch)
  const during = async <T>(flag: 'answersLost' | 'eventsDoubled', call: () => Promise<T>) => {
    standins.world[flag] = true
    try {
      return await call()
    } finally {
      standins.world[flag] = false
    }
  }
  const { account, ...rest } = particular
  const harness: Harness = {
    ...rest,
    adapter,
    credentials: { account: account.id, secret: account.keys.practice },
    mode: 'practice',
    listenerUrl: `${listenerOrigin}/events`,
    losingAnswers: (call) => during('answersLost', call),
    doublingEvents: (call) => during('eventsDoubled', call),
    async events() {
      for (let wait = 0; wait < 40 && received.length === 0; wait++)
        await new Promise((resolve) => setTimeout(resolve, 25))
      await new Promise((resolve) => setTimeout(resolve, 80))
      return received
    },
  }
  const close = () => {
    standins.close()
    server.close()
  }
  return { harness, close }
}
