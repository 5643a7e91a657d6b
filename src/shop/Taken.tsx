import { type ReactNode, useEffect } from 'react'

/**
 * A page comes whole from the server, and somebody may type and choose in it before the browser has taken it over.
 * What was typed and chosen is kept by the fields, and told to the page once it listens.
 */
export function Taken({ children }: { children: ReactNode }) {
  useEffect(() => {
    for (const input of document.querySelectorAll<HTMLInputElement>('#app input')) {
      if (input.type === 'radio') {
        if (!input.checked || input.defaultChecked) continue
        input.checked = false
        input.click()
        continue
      }
      const typed = input.value
      if (typed === input.defaultValue) continue
      // Back and forth, the second time past React, which else would find nothing new.
      input.value = input.defaultValue
      Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')?.set?.call(input, typed)
      input.dispatchEvent(new Event('input', { bubbles: true }))
    }
  }, [])
  return children
}
