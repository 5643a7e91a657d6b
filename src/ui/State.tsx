import { classes } from './classes.ts'

/** States of money and things, each with its own shape, so that colour never speaks alone. */
export type StateShape = 'received' | 'awaited' | 'due' | 'late' | 'failed' | 'off'

const COLOURS: Record<StateShape, string> = {
  received: 'text-received',
  awaited: 'text-ink-2',
  due: 'text-ink',
  late: 'text-late',
  failed: 'text-failed',
  off: 'text-ink-3',
}

/** The shape alone: full dot, dashed ring, ring, triangle, cross, bar. */
export function StateMark({ shape, size = 11 }: { shape: StateShape; size?: number }) {
  return (
    <svg
      width={size}
      height={size}
      viewBox="0 0 14 14"
      aria-hidden="true"
      className={classes('flex-none', COLOURS[shape])}
    >
      {shape === 'received' && <circle cx="7" cy="7" r="6" fill="currentColor" />}
      {shape === 'awaited' && (
        <circle cx="7" cy="7" r="5.4" fill="none" stroke="currentColor" strokeWidth="1.8" strokeDasharray="2.6 1.9" />
      )}
      {shape === 'due' && <circle cx="7" cy="7" r="5.4" fill="none" stroke="currentColor" strokeWidth="1.8" />}
      {shape === 'late' && <path d="M7 1l6.5 12H.5z" fill="currentColor" />}
      {shape === 'failed' && <path d="M2 2l10 10M12 2L2 12" stroke="currentColor" strokeWidth="2.6" />}
      {shape === 'off' && <path d="M2 7h10" stroke="currentColor" strokeWidth="2.4" />}
    </svg>
  )
}

/** A state with its shape and its word. */
export function State({ shape, children }: { shape: StateShape; children: string }) {
  return (
    <span
      className={classes(
        'inline-flex items-center gap-1.5 whitespace-nowrap font-medium',
        shape === 'received' ? 'text-ink' : COLOURS[shape],
      )}
    >
      <StateMark shape={shape} />
      {children}
    </span>
  )
}
