import { PAYING } from '../../core/words/en/paying.ts'
/** The conversation with the gateway's frame, which alone sees the card. */

/** `isDown`: the gateway does not answer, which another payment method may help with. */
export type Tokenised = { ok: true; token: string } | { ok: false; why: string; isDown?: boolean }

interface FrameMessage {
  type: string
  id?: string
  token?: string
  why?: string
  height?: number
}

const PATIENCE_MS = 20_000

/** Listens to messages of one frame; messages of any other origin or window are not heard. */
export function listenTo(frame: HTMLIFrameElement, hear: (message: FrameMessage) => void): () => void {
  const origin = new URL(frame.src).origin
  const listener = (event: MessageEvent) => {
    if (event.origin === origin && event.source === frame.contentWindow) hear(event.data as FrameMessage)
  }
  addEventListener('message', listener)
  return () => removeEventListener('message', listener)
}

/**
 * Asks the frame how high its content is: it says so by itself too, but perhaps before the page listened. Whoever hears
 * it learns nothing, and a frame that has not come yet says nothing.
 */
export function askHeight(frame: HTMLIFrameElement): void {
  frame.contentWindow?.postMessage({ type: 'fields:measure' }, '*')
}

/** Asks the frame for a token that stands for what was entered there. */
export function tokenise(frame: HTMLIFrameElement): Promise<Tokenised> {
  const id = crypto.randomUUID()
  return new Promise((resolve) => {
    const finish = (result: Tokenised) => {
      clearTimeout(timer)
      stop()
      resolve(result)
    }
    const timer = setTimeout(() => finish({ ok: false, why: PAYING.noAnswer, isDown: true }), PATIENCE_MS)
    const stop = listenTo(frame, (message) => {
      if (message.id !== id) return
      if (message.type === 'fields:token' && message.token) finish({ ok: true, token: message.token })
      if (message.type === 'fields:down') finish({ ok: false, why: message.why ?? PAYING.serviceDown, isDown: true })
      if (message.type === 'fields:invalid') finish({ ok: false, why: message.why ?? PAYING.check })
    })
    frame.contentWindow?.postMessage({ type: 'fields:tokenise', id }, new URL(frame.src).origin)
  })
}
