/** Headings of a text stand below those of the page: the first is of the second level, and none skips one. */
export function orderHeadings(html: string): string {
  let last = 1
  const open: number[] = []
  return html.replaceAll(/<(\/?)h([1-6])\b/gi, (_, end: string, level: string) => {
    if (end !== '') return `</h${open.pop() ?? Number(level)}`
    const shown = Math.max(2, Math.min(Number(level), last + 1))
    last = shown
    open.push(shown)
    return `<h${shown}`
  })
}
