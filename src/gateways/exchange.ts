import http from 'node:http'
import https from 'node:https'

/** What is sent in one HTTP call. */
export interface Sent {
  method: string
  headers: Record<string, string>
  body: string | null
  /** So long may the whole answer take, in milliseconds. */
  timeoutMs: number
}

export interface Answered {
  status: number
  text: string
}

/** A connection that nobody uses is closed sooner than servers close theirs, so that no call meets one that just ended. */
const IDLE_MS = 4_000
const agents = {
  'http:': new http.Agent({ keepAlive: true, timeout: IDLE_MS }),
  'https:': new https.Agent({ keepAlive: true, timeout: IDLE_MS }),
}

/**
 * One HTTP call on a connection that is kept open for the next. Node's own `fetch` takes the processor four times as
 * long, which a sale waits for. A kept connection that had ended before anything was answered is replaced, once.
 * @throws where no whole answer came: whether the call did its work is not known then.
 */
export async function exchange(url: string, sent: Sent): Promise<Answered> {
  try {
    return await once(url, sent)
  } catch (error) {
    if (!(error instanceof ConnectionEnded)) throw error
    return once(url, sent)
  }
}

/** A kept connection had ended. Calls carry an idempotency key, so that sending one again does nothing twice. */
class ConnectionEnded extends Error {
  override name = 'ConnectionEnded'
}

function once(url: string, { method, headers, body, timeoutMs }: Sent): Promise<Answered> {
  return new Promise((resolve, reject) => {
    const isSecure = url.startsWith('https:')
    const length = body === null ? {} : { 'content-length': String(Buffer.byteLength(body)) }
    const request = (isSecure ? https : http).request(url, {
      method,
      agent: agents[isSecure ? 'https:' : 'http:'],
      headers: { ...headers, ...length },
    })
    const timer = setTimeout(() => request.destroy(new Error(`no answer within ${timeoutMs} ms`)), timeoutMs)
    let isAnswered = false
    const end = (settle: () => void) => {
      clearTimeout(timer)
      settle()
    }
    request.on('error', (error: NodeJS.ErrnoException) => {
      const hadEnded = !isAnswered && request.reusedSocket && (error.code === 'ECONNRESET' || error.code === 'EPIPE')
      end(() => reject(hadEnded ? new ConnectionEnded(error.message) : error))
    })
    request.on('response', (response) => {
      isAnswered = true
      const parts: Buffer[] = []
      response.on('data', (part: Buffer) => parts.push(part))
      response.on('error', (error) => end(() => reject(error)))
      response.on('end', () =>
        end(() => resolve({ status: response.statusCode ?? 0, text: Buffer.concat(parts).toString() })),
      )
    })
    request.end(body ?? undefined)
  })
}
