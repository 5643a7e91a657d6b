/** Signs that newsletters write around their placeholders: they are left as they are, or nothing would be filled in. */
const PLACEHOLDER_SIGNS = /%(?:7B|7D|5B|5D|7C|2A)/g

/**
 * Builds a link that fills in the checkout; empty fields are left out.
 * @example linkTo('https://school.example/buy/paper', { code: 'SPRING', name: '{name}' })
 * // 'https://school.example/buy/paper?code=SPRING&name={name}'
 */
export function linkTo(page: string, filled: Readonly<Record<string, string>>): string {
  const pairs = Object.entries(filled).flatMap(([field, value]) => {
    const text = value.trim()
    return text === '' ? [] : [`${field}=${encodeURIComponent(text).replace(PLACEHOLDER_SIGNS, decodeURIComponent)}`]
  })
  return pairs.length === 0 ? page : `${page}?${pairs.join('&')}`
}
