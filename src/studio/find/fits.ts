/** Letters and figures without case and accents, in words. */
function wordsOf(text: string): string[] {
  return text
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .replaceAll('ß', 'ss')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean)
}

/** Whether every word that was typed begins a word of a name, or one by which it is looked for too. */
export function fits(typed: string, name: string, alsoBy = ''): boolean {
  const known = wordsOf(`${name} ${alsoBy}`)
  return wordsOf(typed).every((word) => known.some((one) => one.startsWith(word)))
}
