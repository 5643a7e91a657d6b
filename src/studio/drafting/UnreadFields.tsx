import { createContext, type ReactNode, useContext, useEffect, useId, useState } from 'react'
import { useBlocker } from 'react-router'
import { Button } from '../../ui/Button.tsx'
import { Dialog } from './Dialog.tsx'

/** A field whose text cannot be read: the draft keeps what it was before, and the field what was typed. */
export interface UnreadField {
  label: string
  /** In words, what is wrong with it. */
  why: string
}

type Report = (id: string, field: UnreadField | null) => void

const Reporting = createContext<Report>(() => {})
const Unread = createContext<readonly UnreadField[]>([])

/** Knows of every field of a draft whose text cannot be read, and asks before such a page is left. */
export function UnreadFields({ children }: { children: ReactNode }) {
  const [fields, setFields] = useState<ReadonlyMap<string, UnreadField>>(new Map())
  const [report] = useState<Report>(() => (id: string, field: UnreadField | null) => {
    setFields((known) => {
      if (field === null && !known.has(id)) return known
      const next = new Map(known)
      if (field) next.set(id, field)
      else next.delete(id)
      return next
    })
  })
  const list = [...fields.values()]
  return (
    <Reporting value={report}>
      <Unread value={list}>
        {children}
        <LeaveGuard fields={list} />
      </Unread>
    </Reporting>
  )
}

/** The fields of this draft whose text cannot be read. */
export function useUnreadFields(): readonly UnreadField[] {
  return useContext(Unread)
}

/** Tells the draft that a field cannot be read, while `why` is given. */
export function useReportUnread(label: string, why: string | null): void {
  const id = useId()
  const report = useContext(Reporting)
  useEffect(() => {
    report(id, why === null ? null : { label, why })
    return () => report(id, null)
  }, [id, report, label, why])
}

/** Asks before a page is left on which something typed is not saved. */
function LeaveGuard({ fields }: { fields: readonly UnreadField[] }) {
  const isUnread = fields.length > 0
  const blocker = useBlocker(
    ({ currentLocation, nextLocation }) => isUnread && currentLocation.pathname !== nextLocation.pathname,
  )
  useEffect(() => {
    if (!isUnread) return
    const warn = (event: BeforeUnloadEvent) => event.preventDefault()
    addEventListener('beforeunload', warn)
    return () => removeEventListener('beforeunload', warn)
  }, [isUnread])
  if (blocker.state !== 'blocked') return null
  return (
    <Dialog
      title="Something is not saved"
      text="It cannot be read, so it is lost when you leave."
      onClose={() => blocker.reset()}
    >
      <ul>
        {fields.map(({ label, why }) => (
          <li key={label} className="border-b border-line py-1.5">
            <b className="font-semibold">{label}</b>: {why}
          </li>
        ))}
      </ul>
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={() => blocker.proceed()}>Leave without it</Button>
        <Button kind="press" onClick={() => blocker.reset()}>
          Stay and correct it
        </Button>
      </div>
    </Dialog>
  )
}
