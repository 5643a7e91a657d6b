import type { UseInfiniteQueryResult } from '@tanstack/react-query'
import { type KeyboardEvent, type ReactNode, useEffect, useRef } from 'react'
import { ShowMore } from './ShowMore.tsx'

interface EndlessListProps {
  /** What the list is of, for screen readers, and by which its place is kept. */
  label: string
  /** What it is narrowed to; another list has another place. */
  narrowed: string
  list: Pick<
    UseInfiniteQueryResult<{ pages: unknown[] }>,
    'data' | 'hasNextPage' | 'isFetchingNextPage' | 'fetchNextPage'
  >
  moreLabel?: string
  children: ReactNode
}

/**
 * A list of links that goes on by itself while it is scrolled, is walked through by the arrow keys, and keeps its place
 * when the page is loaded anew.
 */
export function EndlessList({ label, narrowed, list, moreLabel, children }: EndlessListProps) {
  const element = useRef<HTMLUListElement>(null)
  useScrollPlace(`place of ${label} ${narrowed}`, element, list)
  return (
    <>
      <ul ref={element} aria-label={label} onKeyDown={(event) => walk(event, element.current, 'a')}>
        {children}
      </ul>
      <ShowMore list={list} className="px-2 py-2" {...(moreLabel ? { label: moreLabel } : {})} />
    </>
  )
}

/** Goes through what stands in a list by the arrow keys, Home and End; `what` is a selector. */
export function walk(event: KeyboardEvent, within: HTMLElement | null, what: string): void {
  const places = [...(within?.querySelectorAll<HTMLElement>(what) ?? [])]
  const at = places.indexOf(document.activeElement as HTMLElement)
  const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: places.length - 1 }[event.key]
  if (at < 0 || to === undefined) return
  event.preventDefault()
  places[Math.min(Math.max(to, 0), places.length - 1)]?.focus()
}

interface Place {
  pages: number
  top: number
}

/** Keeps how far a list was read and scrolled, for when the page is loaded anew. */
export function useScrollPlace(
  key: string,
  element: React.RefObject<HTMLElement | null>,
  list: EndlessListProps['list'],
) {
  const pages = list.data?.pages.length ?? 0
  const wanted = useRef<Place | null>(null)
  const known = useRef('')
  if (known.current !== key) {
    known.current = key
    wanted.current = readPlace(key)
  }
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = list
  useEffect(() => {
    const place = wanted.current
    if (!place || pages === 0) return
    if (pages < place.pages && hasNextPage) {
      if (!isFetchingNextPage) void fetchNextPage()
      return
    }
    wanted.current = null
    scrollerOf(element.current)?.scrollTo({ top: place.top })
  }, [pages, hasNextPage, isFetchingNextPage, fetchNextPage, element])
  useEffect(() => {
    const scroller = scrollerOf(element.current)
    if (!scroller) return
    const keep = () => {
      if (wanted.current === null) sessionStorage.setItem(key, JSON.stringify({ pages, top: scroller.scrollTop }))
    }
    scroller.addEventListener('scroll', keep, { passive: true })
    return () => scroller.removeEventListener('scroll', keep)
  }, [key, pages, element])
}

function readPlace(key: string): Place | null {
  const saved: unknown = JSON.parse(sessionStorage.getItem(key) ?? 'null')
  return saved && typeof saved === 'object' && 'pages' in saved && 'top' in saved ? (saved as Place) : null
}

/** What scrolls around an element. */
function scrollerOf(element: HTMLElement | null): HTMLElement | null {
  for (let at = element?.parentElement ?? null; at; at = at.parentElement) {
    if (/auto|scroll/.test(getComputedStyle(at).overflowY)) return at
  }
  return null
}
