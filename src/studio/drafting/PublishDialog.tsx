import type { Change } from '../../core/content/changes.ts'
import { Button } from '../../ui/Button.tsx'
import { useAttempt } from '../../ui/useAttempt.ts'
import { ChangeList } from './ChangeList.tsx'
import { Dialog } from './Dialog.tsx'

interface PublishDialogProps {
  title: string
  changes: Change[]
  /** Said below the list: what else follows. */
  notes: string[]
  /** What forbids publishing, in words. */
  blocked: string[]
  publish: () => Promise<void>
  onClose: () => void
}

/** Shows in plain words what will change for buyers, and changes it only then. */
export function PublishDialog({ title, changes, notes, blocked, publish, onClose }: PublishDialogProps) {
  const { error, isBusy, attempt } = useAttempt()
  const go = async () => {
    if (await attempt(publish)) onClose()
  }
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
        <Button kind="press" disabled={isBusy || blocked.length > 0} onClick={go}>
          Publish now
        </Button>
      </div>
    </Dialog>
  )
}
