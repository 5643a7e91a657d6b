/** Characters that mean something in HTML, and what stands for them in text and attributes. */
const ENTITIES: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' }

function escaped(text: string): string {
  return text.replace(/[&<>"']/g, (sign) => ENTITIES[sign] ?? sign)
}

/** A button that leads to a checkout page, as HTML that can be pasted into any site: a link without script or style sheet. */
export function buyButton({ href, words }: { href: string; words: string }): string {
  const looks = [
    'display:inline-block',
    'padding:14px 22px',
    'border-radius:8px',
    'background:#1a231c',
    'color:#fcfdf9',
    'font:600 16px/1.25 system-ui,sans-serif',
    'text-decoration:none',
  ].join(';')
  return `<a href="${escaped(href)}" style="${looks}">${escaped(words)}</a>`
}
