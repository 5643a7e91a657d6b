import { type QueryKey, useMutation } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { toast } from 'sonner'
import type { Change } from '../../core/content/changes.ts'
import { Button } from '../../ui/Button.tsx'
import { IN_PLACE } from '../api.ts'
import { ChangeList } from './ChangeList.tsx'
import { Dialog } from './Dialog.tsx'

export interface PublishDialogProps {
  title: string
  changes: Change[]
  /** Said below the list: what else follows. */
  notes: string[]
  /** What is asked before it is published. */
  asks?: ReactNode
  /** What forbids publishing, in words. */
  blocked: string[]
  run: () => Promise<unknown>
  /** What is asked for anew once it is published. */
  invalidates: QueryKey[]
  onClose: () => void
}

/** Shows in plain words what will change for buyers, and changes it only then. */
export function PublishDialog({ title, changes, notes, asks, blocked, run, invalidates, onClose }: PublishDialogProps) {
  const { mutate, error, isPending } = useMutation({
    mutationFn: run,
    onSuccess: () => {
      toast('Published. Buyers see it now.')
      onClose()
    },
    meta: { ...IN_PLACE, invalidates },
  })
  const text =
    changes.length === 0 ? 'Nothing has changed since it was published.' : 'Buyers will see these changes at once:'
  return (
    <Dialog title={title} text={text} onClose={onClose}>
      <ChangeList changes={changes} />
      {notes.map((note) => (
        <p key={note} className="mt-3 text-ink-2">
          {note}
        </p>
      ))}
      {asks}
      {blocked.map((why) => (
        <p key={why} role="alert" className="mt-3 font-medium text-failed">
          {why}
        </p>
      ))}
      {error && (
        <p role="alert" className="mt-3 font-medium text-failed">
          {error.problem.errors[0]?.why ?? error.message}
        </p>
      )}
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={onClose}>Not yet</Button>
        <Button kind="press" disabled={isPending || blocked.length > 0} onClick={() => mutate()}>
          Publish now
        </Button>
      </div>
    </Dialog>
  )
}
