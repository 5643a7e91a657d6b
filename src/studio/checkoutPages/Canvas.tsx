import { type ReactNode, useEffect, useLayoutEffect, useRef, useState } from 'react'
import { createPortal } from 'react-dom'

interface CanvasProps {
  /** The width of the screen on which the page is shown, in pixels. */
  width: number
  label: string
  undo: () => void
  redo: () => void
  children: ReactNode
}

/**
 * A screen of a certain width, in which the page stands as it does for buyers: what depends on a screen's width is decided
 * inside. What is too wide for the bench is drawn smaller. It is a document of its own with the studio's style sheets;
 * what is in it belongs to the studio still, so that a key that is pressed there shows at once.
 */
export function Canvas({ width, label, undo, redo, children }: CanvasProps) {
  const frame = useRef<HTMLIFrameElement>(null)
  const place = useRef<HTMLDivElement>(null)
  const [body, setBody] = useState<HTMLElement | null>(null)
  const [room, setRoom] = useState({ width: 0, height: 0 })

  useLayoutEffect(() => {
    const box = place.current
    if (!box) return
    const measure = () => setRoom({ width: box.clientWidth, height: box.clientHeight })
    measure()
    const watch = new ResizeObserver(measure)
    watch.observe(box)
    return () => watch.disconnect()
  }, [])

  // The studio's undo works here too: keys that are pressed in another document are not heard outside.
  const keys = useRef({ undo, redo })
  keys.current = { undo, redo }
  const filled = useRef<Document | null>(null)
  const fill = () => {
    const inside = frame.current?.contentDocument
    // Once for each document: else style sheets and listeners would pile up.
    if (!inside || filled.current === inside) return
    filled.current = inside
    inside.documentElement.lang = 'en'
    inside.title = label
    for (const sheet of document.querySelectorAll('link[rel=stylesheet], style')) {
      inside.head.append(sheet.cloneNode(true))
    }
    inside.addEventListener('keydown', (event) => {
      if (!(event.ctrlKey || event.metaKey)) return
      const key = event.key.toLowerCase()
      if (key === 'k') {
        event.preventDefault()
        dispatchEvent(new KeyboardEvent('keydown', { key: 'k', ctrlKey: true }))
      }
      if (key !== 'z' || (event.target as Element).closest('.tiptap')) return
      event.preventDefault()
      if (event.shiftKey) keys.current.redo()
      else keys.current.undo()
    })
    // Nothing on the page leads away from the bench.
    inside.addEventListener(
      'click',
      (event) => {
        if ((event.target as Element).closest('a')) event.preventDefault()
      },
      true,
    )
    setBody(inside.body)
  }
  useEffect(() => {
    // Its document may have been there before this listened.
    if (frame.current?.contentDocument?.readyState === 'complete') fill()
  })

  const scale = room.width === 0 ? 1 : Math.min(1, room.width / width)
  return (
    <div ref={place} className="relative min-h-0 overflow-hidden rounded-[10px] border border-line-2 bg-ground">
      <iframe
        ref={frame}
        title={label}
        srcDoc="<!doctype html><html><head></head><body></body></html>"
        onLoad={fill}
        className="absolute top-0 origin-top-left"
        style={{
          width,
          height: room.height / scale,
          left: Math.max(0, (room.width - width * scale) / 2),
          transform: `scale(${scale})`,
        }}
      />
      {body && createPortal(children, body)}
    </div>
  )
}
