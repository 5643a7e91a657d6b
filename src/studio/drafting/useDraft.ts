import { useCallback, useEffect, useRef, useState } from 'react'
import { useStore } from 'zustand'
import { ApiError } from '../../ui/problem.ts'
import { createDraftStore } from './draftStore.ts'

export interface Saved<T> {
  draft: T
  draftRev: number
}

export type SaveState = { kind: 'saved' } | { kind: 'saving' } | { kind: 'failed'; error: ApiError }

interface Options<T> {
  first: Saved<T>
  save: (baseRev: number, content: T) => Promise<Saved<T>>
}

const QUIET_MS = 600

/**
 * A draft that saves itself a moment after each change, one request at a time, with undo and redo.
 * Where another window saved in between, it stops and holds both, and nothing is overwritten.
 */
export function useDraft<T extends object>({ first, save }: Options<T>) {
  const [store] = useState(() => createDraftStore(first.draft))
  const content = useStore(store, (state) => state.content)
  const { undo, redo, pastStates, futureStates } = useStore(store.temporal)
  const [saved, setSaved] = useState(first)
  const [state, setState] = useState<SaveState>({ kind: 'saved' })
  const [theirs, setTheirs] = useState<Saved<T> | null>(null)
  const work = useRef({
    rev: first.draftRev,
    isDirty: false,
    running: null as Promise<void> | null,
    timer: 0,
    isStopped: false,
  })
  const saveRef = useRef(save)
  saveRef.current = save

  const run = useCallback(async () => {
    const job = work.current
    while (job.isDirty && !job.isStopped) {
      job.isDirty = false
      setState({ kind: 'saving' })
      try {
        const answer = await saveRef.current(job.rev, store.getState().content)
        job.rev = answer.draftRev
        setSaved(answer)
        if (!job.isDirty) setState({ kind: 'saved' })
      } catch (error) {
        if (!(error instanceof ApiError)) throw error
        job.isDirty = true
        if (error.problem.code === 'changed-elsewhere') {
          job.isStopped = true
          setTheirs(error.problem.more.theirs as Saved<T>)
        }
        setState({ kind: 'failed', error })
        return
      }
    }
  }, [store])

  /** Saves what is unsaved now. */
  const flush = useCallback(async () => {
    const job = work.current
    clearTimeout(job.timer)
    await job.running
    job.running = run().finally(() => {
      job.running = null
    })
    await job.running
  }, [run])

  useEffect(() => {
    const job = work.current
    const stop = store.subscribe((now, before) => {
      if (now.content === before.content) return
      job.isDirty = true
      setState({ kind: 'saving' })
      clearTimeout(job.timer)
      job.timer = window.setTimeout(() => void flush(), QUIET_MS)
    })
    const warn = (event: BeforeUnloadEvent) => {
      if (job.isDirty) event.preventDefault()
    }
    addEventListener('beforeunload', warn)
    return () => {
      stop()
      removeEventListener('beforeunload', warn)
      if (job.isDirty) void flush()
    }
  }, [store, flush])

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return
      // The rich-text editor has a history of its own while one writes in it.
      if (event.target instanceof HTMLElement && event.target.closest('.tiptap, [role="dialog"]')) return
      event.preventDefault()
      if (event.shiftKey) redo()
      else undo()
    }
    addEventListener('keydown', onKey)
    return () => removeEventListener('keydown', onKey)
  }, [undo, redo])

  /** After a conflict: goes on with mine on top of theirs, or with theirs. */
  const settle = useCallback(
    async (whose: 'mine' | 'theirs') => {
      if (!theirs) return
      const job = work.current
      job.rev = theirs.draftRev
      job.isStopped = false
      setTheirs(null)
      if (whose === 'theirs') {
        store.getState().replace(theirs.draft)
        job.isDirty = false
        clearTimeout(job.timer)
        setSaved(theirs)
        setState({ kind: 'saved' })
      } else {
        await flush()
      }
    },
    [theirs, store, flush],
  )

  return {
    content,
    /** The content as it is at the moment of asking, for what is not drawn anew by it. */
    current: () => store.getState().content,
    change: store.getState().change,
    undo: () => undo(),
    redo: () => redo(),
    canUndo: pastStates.length > 0,
    canRedo: futureStates.length > 0,
    saved,
    state,
    theirs,
    settle,
    flush,
    revision: () => work.current.rev,
  }
}

export type Draft<T extends object> = ReturnType<typeof useDraft<T>>
