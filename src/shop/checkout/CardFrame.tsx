import { useEffect, useRef, useState } from 'react'
import { PAYING } from '../../core/words/en/paying.ts'
import { say } from '../../core/words/message.ts'
import type { Mode, PaymentMethod } from '../../server/client.ts'
import { askHeight, listenTo } from './GatewayFields.ts'

/** What the frame takes before it says so itself, so that little moves when it does: with sample cards, and without. */
const HEIGHTS = { practice: 122, live: 46 }

/** The gateway's own fields, in a frame of its own origin. */
export function CardFrame({
  ref,
  paymentMethod,
  mode,
  submit,
}: {
  ref: React.RefObject<HTMLIFrameElement | null>
  paymentMethod: PaymentMethod
  mode: Mode
  submit: () => void
}) {
  // What was typed there is lost when the frame loads anew, so its address stays while the page does.
  const [src] = useState(paymentMethod.fieldsUrl ?? undefined)
  const [height, setHeight] = useState(HEIGHTS[mode])
  const latest = useRef(submit)
  latest.current = submit
  useEffect(() => {
    if (!ref.current) return
    const stop = listenTo(ref.current, (message) => {
      if (message.type === 'fields:height' && message.height) setHeight(Math.min(Math.max(message.height, 40), 300))
      if (message.type === 'fields:enter') latest.current()
    })
    askHeight(ref.current)
    return stop
  }, [ref])
  return (
    <iframe
      ref={ref}
      src={src}
      title={say(PAYING.fields, { method: paymentMethod.method, gateway: paymentMethod.gateway })}
      style={{ height }}
      className="-mx-[3px] block w-[calc(100%+6px)]"
    />
  )
}
