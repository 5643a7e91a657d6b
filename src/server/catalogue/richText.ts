import sanitizeHtml from 'sanitize-html'

/** Cleans rich text from the editor: headings, lists, links and emphasis stay, everything else goes. */
export function cleanRichText(html: string): string {
  return sanitizeHtml(html, {
    allowedTags: [
      'p',
      'h2',
      'h3',
      'ul',
      'ol',
      'li',
      'strong',
      'em',
      's',
      'u',
      'a',
      'blockquote',
      'br',
      'hr',
      'code',
      'pre',
    ],
    allowedAttributes: { a: ['href', 'rel'] },
    allowedSchemes: ['http', 'https', 'mailto'],
    transformTags: { a: sanitizeHtml.simpleTransform('a', { rel: 'noopener nofollow' }) },
  })
}
