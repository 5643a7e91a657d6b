import { mapConcurrently } from '../../server/platform/mapConcurrently.ts'
import { Dice } from '../dice.ts'
import { ODD_TEXTS, type Schema, valueFor } from './values.ts'

interface Operation {
  parameters?: { name: string; in: 'path' | 'query' | 'header'; schema: Schema }[]
  requestBody?: { content: { 'application/json': { schema: Schema } } }
}

/** Who asks, and what is there to be asked for. */
export interface Target {
  origin: string
  /** Cookies by who they are: nobody, a buyer, the creator. */
  cookies: Record<string, string>
  /** Ids, slugs and keys of things that exist. */
  known: readonly string[]
}

export interface Fuzzed {
  requests: number
  /** How many answers had each status. */
  statuses: Record<number, number>
  /** What was answered 500, or not at all: enough of each to send it again. */
  broken: string[]
}

interface SentRequest {
  method: string
  path: string
  headers: Record<string, string>
  body: string | null
}

const AT_A_TIME = 16
/** An answer takes no longer, or it counts as none. */
const PATIENCE_MS = 40_000
/** They end what the other requests stand on. */
const LEFT_OUT = new Set(['post /api/session/sign-out'])
const PAGES = [
  '/',
  '/course/{slug}',
  '/buy/{slug}',
  '/buy/{slug}?offer={slug}&back={slug}',
  '/thanks/{slug}',
  '/my',
  '/my/plan/{slug}',
  '/pay/{slug}',
  '/learn/{slug}',
  '/learn/{slug}/{slug}',
  '/sign-in?then={slug}&email={slug}',
  '/password/{slug}',
  '/pictures/{slug}/large',
  '/terms',
  '/{slug}',
]
const RAW_PATHS = ['/api/%c0%af', '/%', '/course/%ff', '/%00', '/api/orders/%00', '/learn/%E0%A4%A']

/**
 * Sends requests made from the API's own description, and pages, as each who may ask; the same seed sends the same.
 * @param isValid only what the description allows, as who may ask it.
 */
export async function fuzz(
  { origin, cookies, known }: Target,
  { requests, seed, isValid = false }: { requests: number; seed: number; isValid?: boolean },
): Promise<Fuzzed> {
  const description = (await (await fetch(`${origin}/api/openapi.json`)).json()) as {
    paths: Record<string, Record<string, Operation>>
  }
  const operations = Object.entries(description.paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, operation]) => ({ path, method, operation })),
  )
  const usable = operations.filter(({ path, method }) => !LEFT_OUT.has(`${method} ${path}`))
  const dice = new Dice(seed)
  const found: Fuzzed = { requests, statuses: {}, broken: [] }
  const all = Array.from({ length: requests }, () => {
    if (!isValid) return { cookie: dice.pick(Object.values(cookies)), asked: makeRequest(dice, usable, known) }
    const asked = makeRequest(dice, usable, known, true)
    // As who may ask it, so that it reaches what it asks for.
    return { cookie: (asked.path.includes('/shop/') ? cookies.buyer : cookies.creator) ?? '', asked }
  })
  await mapConcurrently(AT_A_TIME, all, async ({ cookie, asked }) => {
    const { method, path, body } = asked
    const status = await send(origin, cookie, asked)
    found.statuses[status] = (found.statuses[status] ?? 0) + 1
    if (status === 500 || status === 0) {
      const short = `${status} ${method} ${path.slice(0, 300)} ${(body ?? '').slice(0, 600)}`
      if (found.broken.length < 40) found.broken.push(short)
    }
  })
  return found
}

function makeRequest(
  dice: Dice,
  operations: readonly { path: string; method: string; operation: Operation }[],
  known: readonly string[],
  isValid = false,
): SentRequest {
  const word = () =>
    encodeURIComponent(wellFormed(isValid || dice.chance(0.6) ? dice.pick(known) : dice.pick(ODD_TEXTS)))
  const filled = (path: string) => path.replace(/\{[^}]*\}/g, word)
  const headers: Record<string, string> = {}
  if (dice.chance(0.12)) {
    return {
      method: 'GET',
      path: dice.chance(0.05) ? dice.pick(RAW_PATHS) : filled(dice.pick(PAGES)),
      headers,
      body: null,
    }
  }
  const { path, method, operation } = dice.pick(operations)
  const query = (operation.parameters ?? []).filter((parameter) => parameter.in === 'query')
  const asked = query.flatMap(({ name, schema }) =>
    dice.chance(0.6) ? [`${name}=${encodeURIComponent(wellFormed(String(valueFor(schema, dice, known))))}`] : [],
  )
  const address = filled(path) + (asked.length > 0 ? `?${asked.join('&')}` : '')
  const schema = operation.requestBody?.content['application/json'].schema
  const isPlain = method === 'get'
  let body = isPlain ? null : JSON.stringify(schema ? valueFor(schema, dice, known, isValid) : {})
  if (!isPlain) headers['content-type'] = 'application/json'
  // Mostly a new key, sometimes one that others had too, or none that can be one.
  if (operation.parameters?.some((parameter) => parameter.in === 'header')) {
    headers['idempotency-key'] = dice.chance(0.85)
      ? `fuzzed-${String(dice.roll()).slice(2)}`.padEnd(20, '0')
      : dice.pick(['a-key-of-several-requests', '', 'short', 'x'.repeat(80)])
  }
  if (body !== null && !isValid && dice.chance(0.08)) {
    body = dice.pick(['', '{', '[[[[', 'null', '"x"', '{"a":NaN}', '['.repeat(50_000), `${body}}`, '\0'])
  }
  if (body !== null && !isValid && dice.chance(0.05)) {
    headers['content-type'] = dice.pick([
      'text/plain',
      'multipart/form-data',
      'multipart/form-data; boundary=x',
      'application/x-www-form-urlencoded',
      'application/json; charset=utf-99',
    ])
  }
  return { method: method.toUpperCase(), path: address, headers, body }
}

function wellFormed(text: string): string {
  return text.replace(/\p{Surrogate}/gu, '\uFFFD')
}

/** The status of the answer; 0 where none came. */
async function send(origin: string, cookie: string, { method, path, headers, body }: SentRequest): Promise<number> {
  try {
    const response = await fetch(origin + path, {
      method,
      headers: { origin, cookie, ...headers },
      body,
      redirect: 'manual',
      signal: AbortSignal.timeout(PATIENCE_MS),
    })
    await response.arrayBuffer()
    return response.status
  } catch {
    return 0
  }
}
