/** What was read of captions: WebVTT written anew, or the first thing that is wrong, with its line, from 1. */
export type ReadCaptions = { ok: true; vtt: string } | { ok: false; line: number; why: string }

/** As long as captions may be, in characters. */
export const MAX_CAPTIONS = 500_000

const TIME = String.raw`(?:(\d{2,}):)?([0-5]\d):([0-5]\d)\.(\d{3})`
const TIMING = new RegExp(String.raw`^${TIME}[ \t]+-->[ \t]+${TIME}(?:[ \t]+.*)?$`)

/**
 * Reads captions (WebVTT) and writes them anew: their cues with times and plain words. Styles, regions, notes, settings and
 * markup are left out, so that nothing of a file gets onto a page but text.
 */
export function readCaptions(text: string): ReadCaptions {
  if (text.length > MAX_CAPTIONS) return { ok: false, line: 1, why: 'These captions are too long.' }
  const lines = text.replace(/^\uFEFF/, '').split(/\r\n|\r|\n/)
  if (!/^WEBVTT(?:[ \t].*)?$/.test(lines[0] ?? '')) {
    return { ok: false, line: 1, why: 'The first line of a WebVTT file is “WEBVTT”.' }
  }
  const cues: string[] = []
  let last = 0
  for (const block of blocksOf(lines.slice(1))) {
    if (/^(NOTE|STYLE|REGION)\b/.test(block.lines[0] ?? '')) continue
    const place = (block.lines[0] ?? '').includes('-->') ? 0 : 1
    const timing = TIMING.exec(block.lines[place] ?? '')
    const line = block.line + place
    if (!timing) {
      return { ok: false, line, why: 'Here should be two times, like 00:01.000 --> 00:04.000.' }
    }
    const [from, to] = [seconds(timing.slice(1, 5)), seconds(timing.slice(5, 9))]
    if (to <= from) return { ok: false, line, why: 'These captions end before they begin.' }
    if (from < last) return { ok: false, line, why: 'These captions begin before the ones above them.' }
    last = from
    const words = block.lines
      .slice(place + 1)
      .map(plain)
      .filter((one) => one !== '')
    if (words.length > 0) cues.push(`${written(from)} --> ${written(to)}\n${words.join('\n')}`)
  }
  if (cues.length === 0) return { ok: false, line: 1, why: 'There are no captions in this file.' }
  return { ok: true, vtt: `WEBVTT\n\n${cues.join('\n\n')}\n` }
}

/** Runs of lines between empty ones, each with the line at which it begins. */
function blocksOf(lines: readonly string[]): { line: number; lines: string[] }[] {
  const blocks: { line: number; lines: string[] }[] = []
  let open: { line: number; lines: string[] } | null = null
  for (const [index, text] of lines.entries()) {
    if (text.trim() === '') open = null
    else if (open) open.lines.push(text)
    else {
      open = { line: index + 2, lines: [text] }
      blocks.push(open)
    }
  }
  return blocks
}

function seconds([hours = '0', minutes, rest, milliseconds]: readonly (string | undefined)[]): number {
  return (Number(hours) * 60 + Number(minutes)) * 60 + Number(rest) + Number(milliseconds) / 1000
}

function written(time: number): string {
  const whole = Math.round(time * 1000)
  const pad = (value: number, digits = 2) => String(value).padStart(digits, '0')
  const [hours, minutes, rest] = [Math.floor(whole / 3_600_000), Math.floor(whole / 60_000) % 60, whole % 60_000]
  return `${pad(hours)}:${pad(minutes)}:${pad(Math.floor(rest / 1000))}.${pad(rest % 1000, 3)}`
}

/** The words of a line, as WebVTT writes plain text: tags go, and what could begin one is written as an entity. */
function plain(line: string): string {
  return line
    .replaceAll(/<[^>]*>?/g, '')
    .replaceAll('&nbsp;', ' ')
    .replaceAll('&lt;', '<')
    .replaceAll('&gt;', '>')
    .replaceAll('&amp;', '&')
    .replaceAll(/[\p{Cc}]/gu, ' ')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .trim()
}
