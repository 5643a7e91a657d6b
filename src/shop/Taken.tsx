import { type ReactNode, useEffect, useLayoutEffect, useRef } from 'react'

/**
 * A page comes whole from the server, and somebody may type and choose in it before the browser has taken it over.
 * What was typed and chosen is kept by the fields, and told to the page once it listens.
 */
export function Taken({ place, children }: { place: HTMLElement; children: ReactNode }) {
  const chosen = useRef<HTMLInputElement[]>([])
  // What the page chooses by itself, from what it remembers, comes after this moment.
  useLayoutEffect(() => {
    const radios = [...place.querySelectorAll<HTMLInputElement>('input[type=radio]')]
    chosen.current = radios.filter(({ checked, defaultChecked }) => checked && !defaultChecked)
  }, [place])
  // Back and forth, the second time past React, which else would find nothing new.
  useEffect(() => {
    for (const input of place.querySelectorAll<HTMLInputElement>('input:not([type=radio])')) {
      const typed = input.value
      if (typed === input.defaultValue) continue
      input.value = input.defaultValue
      Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')?.set?.call(input, typed)
      input.dispatchEvent(new Event('input', { bubbles: true }))
    }
    for (const radio of chosen.current) {
      radio.checked = false
      radio.click()
    }
  }, [place])
  return children
}
