import { randomUUID } from 'node:crypto'
import { Agent, request } from 'node:http'
import { Webhook } from 'standardwebhooks'
import type { World } from './world.ts'

export interface SentEvent {
  id: string
  type: string
  url: string
  at: string
  /** The last answer: an HTTP status, or what went wrong; null while on its way. */
  answer: string | null
  tries: number
}

export interface EventTarget {
  url: string
  signingSecret: string
}

const RETRY_AFTER_MS = [1000, 4000, 15_000, 60_000]

/**
 * Signs and sends events as Standard Webhooks asks, tries again while the receiver does not take
 * them, and misbehaves as the world says.
 */
export class EventSender {
  readonly log: SentEvent[] = []
  private held: (() => void) | null = null
  private readonly timers = new Set<NodeJS.Timeout>()

  constructor(private readonly world: World) {}

  send(target: EventTarget, type: string, data: unknown): void {
    const event: SentEvent = {
      id: `evt-${randomUUID()}`,
      type,
      url: target.url,
      at: new Date().toISOString(),
      answer: null,
      tries: 0,
    }
    this.log.unshift(event)
    this.log.length = Math.min(this.log.length, 500)
    if (this.world.eventsLost) {
      event.answer = 'lost on purpose'
      return
    }
    const body = JSON.stringify({ type, timestamp: event.at, data })
    const go = () => {
      void this.deliver(event, target, body)
      if (this.world.eventsDoubled) void this.deliver(event, target, body)
    }
    this.later(this.world.eventsLateSeconds * 1000, () => this.inOrder(go))
  }

  stop(): void {
    for (const timer of this.timers) clearTimeout(timer)
    this.timers.clear()
  }

  /** Holds one event back until the next has gone, where events are to come out of order. */
  private inOrder(go: () => void) {
    if (!this.world.eventsReordered) {
      this.held?.()
      this.held = null
      return go()
    }
    if (!this.held) {
      this.held = go
      return
    }
    go()
    this.held()
    this.held = null
  }

  private async deliver(event: SentEvent, target: EventTarget, body: string): Promise<void> {
    event.tries++
    const at = new Date()
    const headers = {
      'content-type': 'application/json',
      'webhook-id': event.id,
      'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
      'webhook-signature': new Webhook(target.signingSecret).sign(event.id, at, body),
    }
    try {
      const status = await post(target.url, headers, body)
      event.answer = String(status)
      if ((status >= 200 && status < 300) || status === 401) return
    } catch (error) {
      event.answer = error instanceof Error ? error.message : String(error)
    }
    const wait = RETRY_AFTER_MS[event.tries - 1]
    if (wait !== undefined) this.later(wait, () => void this.deliver(event, target, body))
  }

  private later(ms: number, run: () => void) {
    if (ms === 0) return run()
    const timer = setTimeout(() => {
      this.timers.delete(timer)
      run()
    }, ms)
    timer.unref()
    this.timers.add(timer)
  }
}

/** Events go on kept connections, as a gateway with many does; idle ones end before the other side ends them. */
const agent = new Agent({ keepAlive: true, timeout: 4_000 })

/** @returns the status of the answer. @throws where none came within ten seconds. */
function post(url: string, headers: Record<string, string>, body: string): Promise<number> {
  return new Promise((resolve, reject) => {
    const length = String(Buffer.byteLength(body))
    const sent = request(
      url,
      { method: 'POST', agent, headers: { ...headers, 'content-length': length } },
      (answer) => {
        answer.resume()
        answer.on('end', () => resolve(answer.statusCode ?? 0))
        answer.on('error', reject)
      },
    )
    sent.setTimeout(10_000, () => sent.destroy(new Error('no answer within 10 seconds')))
    sent.on('error', reject)
    sent.end(body)
  })
}
