import type { Change } from '../../core/content/changes.ts'
import { Button } from '../../ui/Button.tsx'
import { ChangeList } from './ChangeList.tsx'
import { Dialog } from './Dialog.tsx'

interface ConflictDialogProps {
  /** What mine would change of theirs. */
  changes: Change[]
  settle: (whose: 'mine' | 'theirs') => void
}

/** Two windows edited the same thing: both are shown, and one is chosen. */
export function ConflictDialog({ changes, settle }: ConflictDialogProps) {
  return (
    <Dialog
      title="This was changed in another window"
      text="Nothing was overwritten. From what the other window saved to what stands here:"
      onClose={() => {}}
      wide
    >
      <ChangeList changes={changes} />
      {changes.length === 0 && <p className="text-ink-2">No differences.</p>}
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={() => settle('theirs')}>Take what the other window saved</Button>
        <Button kind="press" onClick={() => settle('mine')}>
          Keep what stands here
        </Button>
      </div>
    </Dialog>
  )
}
