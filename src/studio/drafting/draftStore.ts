import { temporal } from 'zundo'
import { createStore } from 'zustand'

/** What is being edited, with everything that it was before. */
export interface DraftState<T> {
  content: T
  change: (patch: Partial<T>) => void
  replace: (content: T) => void
}

/** Changes within this time of each other are undone together, as a typed word is. */
const BURST_MS = 700

/** A store of one draft, with undo and redo in its `temporal` part. */
export function createDraftStore<T extends object>(initial: T) {
  return createStore<DraftState<T>>()(
    temporal(
      (set) => ({
        content: initial,
        change: (patch) => set(({ content }) => ({ content: { ...content, ...patch } })),
        replace: (content) => set({ content }),
      }),
      {
        limit: 200,
        partialize: ({ content }) => ({ content }),
        equality: (a, b) => a.content === b.content,
        handleSet: (handle) => oncePerBurst(handle as (...args: unknown[]) => void) as typeof handle,
      },
    ),
  )
}

/** Keeps the state before a burst, and lets the rest of the burst pass. */
function oncePerBurst(handle: (...args: unknown[]) => void) {
  let last = Number.NEGATIVE_INFINITY
  return (...args: unknown[]) => {
    const now = performance.now()
    if (now - last > BURST_MS) handle(...args)
    last = now
  }
}
