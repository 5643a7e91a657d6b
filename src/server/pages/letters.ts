import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import { create, type Font } from 'fontkit'

const folder = join(
  dirname(createRequire(import.meta.url).resolve('@fontsource-variable/bricolage-grotesque/package.json')),
  'files',
)
let loaded: Font[] | null = null

/** The headings' letters as they ship, the most common ones first. */
function fonts(): Font[] {
  loaded ??= ['latin', 'latin-ext', 'vietnamese'].map(
    (set) => create(readFileSync(join(folder, `bricolage-grotesque-${set}-wght-normal.woff2`))) as Font,
  )
  return loaded
}

/** Letters of one line as outlines: where they end, and the SVG of each. */
interface Line {
  /** As wide as it is, in pixels. */
  width: number
  svg: string
}

/** A line of text as paths, its baseline at 0, so that it looks the same wherever no font is. What has no letter is left out. */
export function drawLine(text: string, size: number): Line {
  let x = 0
  const drawn: string[] = []
  for (const { font, words } of runsOf(text)) {
    const scale = size / font.unitsPerEm
    const run = font.layout(words)
    for (const [index, glyph] of run.glyphs.entries()) {
      const outline = glyph.path.toSVG()
      if (outline) {
        drawn.push(`<path transform="translate(${x.toFixed(2)} 0) scale(${scale} ${-scale})" d="${outline}"/>`)
      }
      x += (run.positions[index]?.xAdvance ?? 0) * scale
    }
  }
  return { width: x, svg: drawn.join('') }
}

/** Text in runs, each in the first font that has its letters. */
function runsOf(text: string): { font: Font; words: string }[] {
  const runs: { font: Font; words: string }[] = []
  for (const letter of text.normalize('NFC')) {
    const font = fonts().find((one) => one.hasGlyphForCodePoint(letter.codePointAt(0) ?? 0))
    if (!font) continue
    const last = runs.at(-1)
    if (last?.font === font) last.words += letter
    else runs.push({ font, words: letter })
  }
  return runs
}

/** Text broken into at most `most` lines that are no wider than `width`; what does not fit ends in "…". */
export function breakLines(text: string, size: number, width: number, most: number): string[] {
  const lines: string[] = []
  let line = ''
  const fits = (words: string) => drawLine(words, size).width <= width
  for (const word of text.split(/\s+/).filter((one) => one !== '')) {
    const longer = line === '' ? word : `${line} ${word}`
    if (fits(longer)) line = longer
    else {
      if (line !== '') lines.push(line)
      line = word
    }
  }
  if (line !== '') lines.push(line)
  const shown = lines.slice(0, most).map((one) => shortened(one, fits))
  if (lines.length > most && shown.length > 0) shown[most - 1] = shortened(`${shown[most - 1]}…`, fits)
  return shown
}

/** A line that is too long for its place, cut at a letter. */
function shortened(line: string, fits: (words: string) => boolean): string {
  if (fits(line)) return line
  const letters = [...line.replace(/…$/, '')]
  while (letters.length > 1 && !fits(`${letters.join('')}…`)) letters.pop()
  return `${letters.join('').trimEnd()}…`
}
