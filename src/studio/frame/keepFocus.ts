import { useEffect } from 'react'

const FOCUSABLE =
  'a[href], button:not(:disabled), input:not(:disabled), select:not(:disabled), textarea:not(:disabled), [tabindex="0"], [contenteditable="true"]'

/** Where the focus was: the element, what surrounds it, and which of the focusable elements in each it was. */
interface Trail {
  element: HTMLElement
  around: { within: HTMLElement; index: number }[]
}

/**
 * Keeps the keyboard's focus somewhere: where what had it is taken out of the page, it goes to what has taken its place,
 * or else to the bench.
 */
export function useFocusReturn(): void {
  useEffect(() => {
    let trail: Trail | null = null
    const onFocus = ({ target }: FocusEvent) => {
      if (target instanceof HTMLElement && target !== document.body) trail = trailOf(target)
    }
    const onChange = () => {
      if (!trail || trail.element.isConnected) return
      if (document.activeElement && document.activeElement !== document.body) return
      const lost = trail
      trail = null
      // A dialog that closes gives the focus back by itself.
      setTimeout(() => {
        if (document.activeElement && document.activeElement !== document.body) return
        heir(lost)?.focus({ preventScroll: true })
      })
    }
    const changes = new MutationObserver(onChange)
    changes.observe(document.body, { childList: true, subtree: true })
    document.addEventListener('focusin', onFocus)
    return () => {
      changes.disconnect()
      document.removeEventListener('focusin', onFocus)
    }
  }, [])
}

/** Leads to the first field that is wrong, once the server has said what is. */
export function useFirstErrorFocus(error: unknown): void {
  useEffect(() => {
    if (error) document.querySelector<HTMLElement>('[aria-invalid="true"]')?.focus()
  }, [error])
}

function trailOf(element: HTMLElement): Trail {
  const around: Trail['around'] = []
  for (let within = element.parentElement; within && within !== document.body; within = within.parentElement) {
    around.push({ within, index: [...within.querySelectorAll(FOCUSABLE)].indexOf(element) })
  }
  return { element, around }
}

/** What takes the focus over: in the nearest surroundings that are left, the element at the same place, or the one before. */
function heir({ element, around }: Trail): HTMLElement | null {
  const label = element.getAttribute('aria-label') ?? element.textContent
  const href = element.getAttribute('href')
  const same = href
    ? [...document.querySelectorAll<HTMLElement>('a[href]')].find(
        (link) => link.getAttribute('href') === href && (link.getAttribute('aria-label') ?? link.textContent) === label,
      )
    : undefined
  if (same) return same
  const left = around.find(
    ({ within }) => within.isConnected && within.closest('section, dialog, [role="dialog"], form'),
  )
  const places = left ? [...left.within.querySelectorAll<HTMLElement>(FOCUSABLE)] : []
  const place = left ? places[Math.min(left.index, places.length - 1)] : undefined
  return place ?? document.getElementById('bench')
}
