import { createContext, type KeyboardEvent, type MouseEvent, useContext } from 'react'
import { createStore, type StoreApi, useStore } from 'zustand'
import type { PageFacts } from '../../core/checkoutPages/facts.ts'
import type { PagePart } from '../../core/checkoutPages/parts.ts'

/** What can be chosen on the bench besides the parts. */
export type Fixed = 'form' | 'after' | 'page' | 'search' | 'links'

interface Chosen {
  /** A part's id, or one of what is always there; null: nothing. */
  chosen: string | null
  choose: (what: string | null) => void
}

/**
 * What the canvas does to the page that is shaped. It stays the same object as long as the page is on the bench, so that
 * a keystroke draws nothing anew but the part that it is in.
 */
export interface PageBenchActs {
  /** Puts another value into a part, by its place there. */
  set: (partId: string, at: string, value: unknown) => void
  change: (partId: string, how: (part: PagePart) => PagePart) => void
  step: (partId: string, direction: 'up' | 'down') => void
  remove: (partId: string) => void
  /** The part as it is now. */
  part: (partId: string) => PagePart | undefined
  store: StoreApi<Chosen>
}

export function createChosen(first: string | null): StoreApi<Chosen> {
  return createStore<Chosen>()((set) => ({ chosen: first, choose: (chosen) => set({ chosen }) }))
}

const CHOICES = 'choices'

/** Chooses what a row stands for; pressed by keyboard, the focus goes to its choices. */
export function chooseRow(store: StoreApi<Chosen>, what: string, { detail }: MouseEvent): void {
  store.getState().choose(what)
  // A click by keyboard counts no presses.
  if (detail === 0) requestAnimationFrame(() => document.getElementById(CHOICES)?.focus())
}

/** What the place of the choices needs to be led to, and for Escape to lead back to the row. */
export function useChoicesPlace() {
  const { store } = usePageBench()
  return {
    id: CHOICES,
    tabIndex: -1,
    onKeyDown: (event: KeyboardEvent<HTMLElement>) => {
      const isHere = event.currentTarget.contains(event.target as Node)
      if (event.key !== 'Escape' || event.defaultPrevented || !isHere) return
      document.getElementById(`row-${store.getState().chosen}`)?.focus()
    },
  }
}

const Context = createContext<PageBenchActs | null>(null)
export const PageBenchProvider = Context.Provider

export function usePageBench(): PageBenchActs {
  const acts = useContext(Context)
  if (!acts) throw new Error('There is no page on the bench.')
  return acts
}

/** What is chosen, and choosing. */
export function useChosen(): Chosen {
  return useStore(usePageBench().store)
}

export function useIsChosen(id: string): boolean {
  return useStore(usePageBench().store, ({ chosen }) => chosen === id)
}

const Facts = createContext<PageFacts | null>(null)
export const FactsProvider = Facts.Provider
export function useFacts(): PageFacts | null {
  return useContext(Facts)
}
