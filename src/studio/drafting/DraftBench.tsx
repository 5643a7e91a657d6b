import { MoreHorizontal } from 'lucide-react'
import { type ReactNode, useState } from 'react'
import type { Change } from '../../core/content/changes.ts'
import { Button } from '../../ui/Button.tsx'
import { Menu, MenuItem } from '../frame/Menu.tsx'
import { ConflictDialog } from './ConflictDialog.tsx'
import { DraftBar } from './DraftBar.tsx'
import { PublishDialog, type PublishDialogProps } from './PublishDialog.tsx'
import type { UnreadField } from './UnreadFields.tsx'
import type { Draft } from './useDraft.ts'

/** Publishing: all is saved first, then what would change is shown. */
export function usePublishing<T extends object>(draft: Draft<T>) {
  const [isOpen, setOpen] = useState(false)
  const open = async () => {
    await draft.flush()
    setOpen(true)
  }
  return { isOpen, open, close: () => setOpen(false) }
}

interface DraftBenchProps<T extends object> {
  draft: Draft<T>
  publishing: ReturnType<typeof usePublishing<T>>
  /** What it is, above its title. */
  kicker: ReactNode
  /** Fields whose text cannot be read, and is not saved. */
  unread?: readonly UnreadField[]
  /** Retired, it can be brought back. Absent: it is there as long as what it belongs to, and cannot be deleted either. */
  isRetired?: boolean
  setRetired?: (isRetired: boolean) => void
  /** What else can be done with the whole: buttons beside Publish, and items of its menu. */
  acts?: ReactNode
  menu?: ReactNode
  duplicate?: () => void
  remove?: () => void
  /** Why it cannot be deleted; null where it can. */
  keptBecause?: string | null
  /** What publishing says and does, and what is asked for anew after it. */
  publish: Omit<PublishDialogProps, 'onClose'>
  /** What mine would change of what another window saved. */
  changesOf: (theirs: T) => Change[]
  children: ReactNode
}

/** The bench of whatever is edited as a draft and published: how it stands, what is done with the whole, both dialogs. */
export function DraftBench<T extends object>({
  draft,
  publishing,
  kicker,
  unread = [],
  isRetired = false,
  setRetired,
  acts,
  menu,
  duplicate,
  remove,
  keptBecause = null,
  publish,
  changesOf,
  children,
}: DraftBenchProps<T>) {
  return (
    <>
      <div className="flex items-center gap-3 max-sm:flex-wrap">
        <div className="min-w-0 truncate text-[13px] text-ink-3">{kicker}</div>
        <DraftBar draft={draft} unread={unread}>
          {isRetired ? (
            <Button onClick={() => setRetired?.(false)}>Bring back</Button>
          ) : (
            <>
              {acts}
              <Button kind="press" onClick={publishing.open}>
                Publish…
              </Button>
            </>
          )}
          {(duplicate || menu) && (
            <Menu
              trigger={
                <Button aria-label="More" className="px-2">
                  <MoreHorizontal size={18} />
                </Button>
              }
            >
              {menu}
              {duplicate && <MenuItem onSelect={duplicate}>Duplicate</MenuItem>}
              {setRetired && !isRetired && <MenuItem onSelect={() => setRetired(true)}>Retire</MenuItem>}
              {remove && (
                <MenuItem disabled={keptBecause !== null} onSelect={remove}>
                  {keptBecause === null ? 'Delete' : `Delete (${keptBecause})`}
                </MenuItem>
              )}
            </Menu>
          )}
        </DraftBar>
      </div>
      {children}
      {publishing.isOpen && <PublishDialog {...publish} onClose={publishing.close} />}
      {draft.theirs && (
        <ConflictDialog changes={changesOf(draft.theirs.draft)} settle={(whose) => void draft.settle(whose)} />
      )}
    </>
  )
}
