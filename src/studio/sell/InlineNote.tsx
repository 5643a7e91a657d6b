/** What is said right below a field inside its sentence: what is wrong with it, or how it was read. */
export function InlineNote({ id, error, read = null }: { id: string; error: string | null; read?: string | null }) {
  return (
    <span
      id={id}
      role={error ? 'alert' : 'status'}
      className="absolute top-full left-0 z-10 mt-1 w-max max-w-[320px] rounded-field bg-failed-soft px-2.5 py-1 text-[13px] leading-snug font-medium text-failed empty:hidden data-[kind=read]:bg-sheet-2 data-[kind=read]:text-ink-2"
      data-kind={error ? 'error' : 'read'}
    >
      {error ?? read}
    </span>
  )
}
