import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { createDraftStore } from './draftStore.ts'

beforeEach(() => void vi.useFakeTimers({ toFake: ['performance', 'Date'] }))
afterEach(() => void vi.useRealTimers())

it('undoes a burst of typing as one, and redoes it', () => {
  const store = createDraftStore({ name: '', price: 1 })
  const { undo, redo } = store.temporal.getState()
  vi.advanceTimersByTime(5000)
  for (const name of ['A', 'At', 'At o']) store.getState().change({ name })
  vi.advanceTimersByTime(5000)
  store.getState().change({ price: 2 })
  expect(store.getState().content).toEqual({ name: 'At o', price: 2 })
  undo()
  expect(store.getState().content).toEqual({ name: 'At o', price: 1 })
  undo()
  expect(store.getState().content).toEqual({ name: '', price: 1 })
  redo()
  redo()
  expect(store.getState().content).toEqual({ name: 'At o', price: 2 })
})
