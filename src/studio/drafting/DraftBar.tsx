import { Redo2, Undo2 } from 'lucide-react'
import type { ReactNode } from 'react'
import { Button } from '../../ui/Button.tsx'
import type { UnreadField } from './UnreadFields.tsx'
import type { Draft } from './useDraft.ts'

interface DraftBarProps<T extends object> {
  draft: Draft<T>
  /** Fields whose text cannot be read, and is not saved. */
  unread?: readonly UnreadField[]
  children: ReactNode
}

/** How the draft stands, undo and redo, and what can be done with the whole. */
export function DraftBar<T extends object>({ draft, unread = [], children }: DraftBarProps<T>) {
  return (
    <div className="ml-auto flex flex-none items-center justify-end gap-1.5 max-sm:max-w-full max-sm:flex-initial max-sm:flex-wrap">
      <span role="status" className="max-w-[220px] text-[12.5px] text-ink-3">
        {unread[0] ? `Not saved: ${unread.map(({ label }) => label).join(', ')}` : said(draft.state)}
      </span>
      <Button
        kind="link"
        aria-label="Undo"
        title="Undo, Ctrl+Z"
        className="p-1 no-underline"
        disabled={!draft.canUndo}
        onClick={draft.undo}
      >
        <Undo2 size={16} />
      </Button>
      <Button
        kind="link"
        aria-label="Redo"
        title="Redo, Ctrl+Shift+Z"
        className="p-1 no-underline"
        disabled={!draft.canRedo}
        onClick={draft.redo}
      >
        <Redo2 size={16} />
      </Button>
      {children}
    </div>
  )
}

function said(state: Draft<object>['state']): string {
  if (state.kind === 'saved') return 'Draft saved'
  if (state.kind === 'saving') return 'Saving…'
  return `Not saved. ${state.error.problem.errors[0]?.why ?? state.error.message}`
}
