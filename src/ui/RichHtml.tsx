/** Rich text that the server cleaned when it was saved (`cleanRichText`); nothing else may be passed. */
export function RichHtml({ html, className = '' }: { html: string; className?: string }) {
  // biome-ignore lint/security/noDangerouslySetInnerHtml: cleaned by the server when it was saved
  return <div className={`prose ${className}`} dangerouslySetInnerHTML={{ __html: html }} />
}
