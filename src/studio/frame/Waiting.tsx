import { useEffect, useState } from 'react'

/** What is loaded in less shows nothing of itself. */
const QUIET_MS = 300

/** The shape of what is being loaded, once that takes a while; or why it could not be loaded. */
export function Waiting({ error = null, lines = 3 }: { error?: Error | null; lines?: number }) {
  const [isLong, setLong] = useState(false)
  useEffect(() => {
    const timer = setTimeout(() => setLong(true), QUIET_MS)
    return () => clearTimeout(timer)
  }, [])
  if (error) {
    return (
      <p role="alert" className="py-6 text-failed">
        {error.message}
      </p>
    )
  }
  if (!isLong) return null
  return (
    <div role="status" className="grid gap-3 py-3">
      <span className="sr-only">Loading…</span>
      {Array.from({ length: lines }, (_, line) => (
        <span
          key={line}
          aria-hidden="true"
          className="h-3.5 animate-pulse rounded bg-sheet-2 motion-reduce:animate-none"
          style={{ width: `${[82, 64, 73][line % 3]}%` }}
        />
      ))}
    </div>
  )
}
