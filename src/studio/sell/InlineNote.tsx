import { useLayoutEffect, useRef } from 'react'

/** Around a field inside its sentence and the note below it; the field keeps its place on the line. */
export const WITH_NOTE = 'inline-flex flex-col items-start align-baseline'

/**
 * What is said right below a field inside its sentence: what is wrong with it, or how it was read. It takes the
 * height that it needs, so that it covers nothing, and no width, so that nothing moves sideways while one types.
 */
export function InlineNote({ id, error, read = null }: { id: string; error: string | null; read?: string | null }) {
  const ref = useRef<HTMLSpanElement>(null)
  const said = error ?? read
  useLayoutEffect(() => {
    const note = ref.current
    const section = note?.closest('section')
    if (!note || !section || said === null) return
    note.style.translate = '0'
    const over = note.getBoundingClientRect().right - section.getBoundingClientRect().right
    if (over > 0) note.style.translate = `${-over}px`
  }, [said])
  return (
    <span id={id} role={error ? 'alert' : 'status'} className="block w-0 min-w-full">
      {said && (
        <span
          ref={ref}
          className="mt-1 mb-0.5 block w-max max-w-[320px] rounded-field bg-failed-soft px-2.5 py-1 text-[13px] leading-snug font-medium text-failed data-[kind=read]:bg-sheet-2 data-[kind=read]:text-ink-2"
          data-kind={error ? 'error' : 'read'}
        >
          {said}
        </span>
      )}
    </span>
  )
}
