const BROWSERS = [
  [/Edg\//, 'Edge'],
  [/OPR\//, 'Opera'],
  [/Firefox\//, 'Firefox'],
  [/Chrome\/|Chromium\//, 'Chrome'],
  [/Safari\//, 'Safari'],
] as const
const SYSTEMS = [
  [/iPhone|iPad/, 'iOS'],
  [/Android/, 'Android'],
  [/Windows/, 'Windows'],
  [/Mac OS X|Macintosh/, 'macOS'],
  [/Linux|X11/, 'Linux'],
] as const

/** What a browser calls itself (its User-Agent), in words. */
export function deviceInWords(userAgent: string): string {
  const of = (list: readonly (readonly [RegExp, string])[]) => list.find(([like]) => like.test(userAgent))?.[1]
  const browser = of(BROWSERS) ?? 'A browser'
  const system = of(SYSTEMS)
  return system ? `${browser} on ${system}` : browser
}
