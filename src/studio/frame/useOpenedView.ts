import { useEffect } from 'react'
import { useLocation } from 'react-router'

const PRODUCT = 'Young Acorn'
/** So long a view may take until what it is about is there. */
const PATIENCE_MS = 10_000
/** Until then the view before may still be drawn. */
const LEAVING_MS = 400
const CONTROLS = 'input, select, textarea, button, a[href]'

/** What a view is called: as its heading names it for the title, else the heading’s text, or what is written in its field. */
function textOf(heading: HTMLElement): string {
  if (heading.dataset.title) return heading.dataset.title
  const field = heading.querySelector<HTMLInputElement>('input, textarea')
  return (field ? field.value || field.placeholder : (heading.textContent ?? '')).trim()
}

/**
 * Gives each view of the studio a title of its own, by its heading, and leads the focus there when it is opened, or to the
 * part that the address names (`#refunds`). A field that takes the focus by itself keeps it, and what the browser opens
 * first stays where the browser is.
 */
export function useOpenedView(): void {
  const { pathname, hash } = useLocation()
  useEffect(() => nameView(), [])
  useEffect(() => leadTo(pathname, hash), [pathname, hash])
}

/** Keeps the document's title as the heading has it. */
function nameView(): () => void {
  const name = () => {
    const heading = document.querySelector<HTMLElement>('main h1')
    const text = heading ? textOf(heading) : ''
    const title = text === '' ? PRODUCT : `${text} · ${PRODUCT}`
    if (heading && document.title !== title) document.title = title
  }
  const changes = new MutationObserver(name)
  changes.observe(document.body, { childList: true, subtree: true, characterData: true })
  document.addEventListener('input', name)
  name()
  return () => {
    changes.disconnect()
    document.removeEventListener('input', name)
  }
}

/** The view that was opened last. */
let openedPath: string | null = null

function leadTo(pathname: string, hash: string): () => void {
  const isOpened = openedPath !== null && openedPath !== pathname
  openedPath = pathname
  if (!isOpened && hash === '') return () => {}
  const opener = document.activeElement
  const before = document.querySelector<HTMLElement>('main h1')
  const began = Date.now()
  const look = () => {
    const target = hash ? document.getElementById(hash.slice(1)) : document.querySelector<HTMLElement>('main h1')
    // The heading of the view before stands there for a moment still.
    if (!target || (target === before && Date.now() - began < LEAVING_MS)) return
    stop()
    // A menu or dialog that closes gives the focus back first.
    setTimeout(() => {
      const { activeElement } = document
      const isFree = activeElement === null || activeElement === document.body || activeElement === opener
      if (!isFree && !activeElement?.closest('a, button')) return
      if (hash) {
        target.scrollIntoView({ block: 'center' })
        target.querySelector<HTMLElement>(CONTROLS)?.focus({ preventScroll: true })
        return
      }
      target.tabIndex = -1
      target.focus({ preventScroll: true })
    }, 30)
  }
  const changes = new MutationObserver(look)
  const later = setTimeout(() => look(), LEAVING_MS)
  const end = setTimeout(() => changes.disconnect(), PATIENCE_MS)
  const stop = () => {
    changes.disconnect()
    clearTimeout(later)
    clearTimeout(end)
  }
  changes.observe(document.body, { childList: true, subtree: true })
  look()
  return stop
}
