import { createHash } from 'node:crypto'
import type { Context, MiddlewareHandler } from 'hono'
import type { ContentfulStatusCode } from 'hono/utils/http-status'
import * as v from 'valibot'
import type { Mode } from '../db/schema/columns.ts'
import type { ClientAddress } from '../http/clientAddress.ts'
import { Problem } from '../http/problem.ts'
import { schemaOf } from '../http/validate.ts'
import type { KeyedRequest, Services } from '../platform/context.ts'
import { beginKeyed, keepAnswer, releaseKeyed } from '../platform/keyedRequest.ts'
import type { StudioEnv } from './guard.ts'

const HEADER = 'idempotency-key'
const keySchema = v.object({ [HEADER]: v.pipe(v.string(), v.regex(/^[\w-]{16,64}$/)) })

/** What the header is in the typed client: without it a call does not compile. */
type KeyInput = { in: { header: { [HEADER]: string } }; out: { header: { [HEADER]: string } } }

/** What stands behind {@link keyed} knows the request that it answers. */
export interface KeyedEnv {
  Variables: { request: KeyedRequest }
}

/** The key that a request came with. @throws Problem 400 where there is none, or none that can be one. */
export function keyOf(c: Context): string {
  const key = v.safeParse(keySchema, { [HEADER]: c.req.header(HEADER) })
  if (key.success) return key.output[HEADER] as string
  throw new Problem(
    400,
    'no-key',
    'Send an Idempotency-Key header of 16 to 64 letters and digits, a new one for each act.',
  )
}

interface Whose {
  who: string
  mode: Mode
  /** Where they ask from, if they are not signed in: what they are refused is kept only so often. */
  stranger?: ClientAddress
}

/**
 * Makes an act happen once for its key, however often it is asked for: the same request again gets the same answer, and
 * waits for it where the first is still under way. What failed (5xx) is not kept. Stands behind what says who asks.
 * @param whoOf whose key it is, and in which mode.
 */
export function keyed<E extends object>(
  { db, limits }: Pick<Services, 'db' | 'limits'>,
  whoOf: (c: Context<E>) => Promise<Whose> | Whose,
): MiddlewareHandler<KeyedEnv, string, KeyInput> {
  const handler: MiddlewareHandler<KeyedEnv, string, KeyInput> = async (c, next) => {
    const key = keyOf(c)
    const { who, mode, stranger } = await whoOf(c as unknown as Context<E>)
    const address = `${c.req.method} ${new URL(c.req.url).pathname}`
    const fingerprint = createHash('sha256')
      .update(`${address}\n${await c.req.text()}`)
      .digest('base64url')
    const begun = await beginKeyed(db, { who, mode, key, fingerprint })
    if (!('id' in begun)) {
      const type = begun.status < 400 ? 'application/json' : 'application/problem+json'
      return c.body(begun.body, begun.status as ContentfulStatusCode, { 'content-type': type })
    }
    c.set('request', begun)
    await next()
    const { status } = c.res
    // A refusal has done nothing: forgotten, it is given anew. Strangers could fill the database with them.
    const isKept = status < 400 || (status < 500 && (!stranger || (await limits.isWithin('refused:ip', stranger.ip))))
    if (!isKept) await releaseKeyed(db, begun)
    else await keepAnswer(db, begun, { status, body: await c.res.clone().text() })
  }
  schemaOf.set(handler, { target: 'header', schema: keySchema })
  return handler
}

/** The same for what a creator does. Stands behind `creatorOnly`. */
export function keyedByCreator(services: Pick<Services, 'db' | 'limits'>) {
  return keyed<StudioEnv>(services, (c) => ({ who: c.get('creator').id, mode: c.get('mode') }))
}

/** The services with the request that they answer, as every act with a key gets them. */
export function answering<S extends object>(
  { var: { request } }: { var: KeyedEnv['Variables'] },
  services: S,
): S & { request: KeyedRequest } {
  return { ...services, request }
}
