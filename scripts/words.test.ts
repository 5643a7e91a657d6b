import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, it } from 'vitest'

/**
 * Words that screens and messages once had and do not use any more: what is written instead is shorter to understand.
 * Where a word means something else too, it is not here.
 */
const GONE: readonly RegExp[] = [
  /\bdid not (come|arrive)\b/,
  /\b(has|have) come\b/,
  /\b[Gg]iven? (money |it |all |\S+ )?back\b/,
  /\bways? of paying\b/,
  /\bwhat you pay with\b/,
  /\blet go\b/,
  /\bgiven up\b/,
  /\bawaited\b/,
  /\b[Nn]eeds? a look\b/,
  /\b[Ss]tands? in the way\b/,
  /\bReads as\b/,
  /\b[Tt]ake (it |this |that )?back\b/,
  /\btaken back\b/,
  /\bchas(e|ed|ing)\b/,
  /\blive to see\b/,
  /\bcard ends\b/,
  /\b[Ww]ho (has|holds) (it|the|this|“)/,
  /\breally\b/,
  /\bwords of your own\b/,
  /\bAnother picture\b/,
  /\bTake it away\b/,
  /\bSay (from|until) when\b/,
  /\beach for itself\b/,
  /\bLook in again\b/,
  /\bis called that\b/,
  /\bis like that\b/,
  /\bnow or later\b/,
  /\bBoth say the same\b/,
  /\bunder \d+ letters\b/,
  /\bThe least is\b/,
  /\bdoes not learn of\b/,
  /\bwas used or has ended\b/,
  /\ball the same\b/,
]

const FOLDERS = ['src/studio', 'src/shop', 'src/ui', 'src/core', 'src/server']

function files(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) return files(path)
    return /\.tsx?$/.test(entry.name) && !entry.name.includes('.test.') ? [path] : []
  })
}

/** What a source says to people: its texts of several words, without comments, imports and names of classes. */
function textsIn(source: string): string[] {
  const code = source
    .replace(/\/\*[\s\S]*?\*\//g, '')
    .replace(/(^|\s)\/\/.*$/gm, '')
    .replace(/^import .*$/gm, '')
    .replace(/className="[^"]*"/g, '')
    .replace(/\bsql(<[^`]*?>)?`[^`]*`/g, '')
    .replace(/\$\{[^{}`]*\}/g, '…')
  const quoted = [...code.matchAll(/'((?:[^'\\\n]|\\.)*)'|"([^"\n]*)"|`((?:[^`\\]|\\.)*)`/g)]
  const written = [...code.matchAll(/>([^<>{}=;()'`]*[A-Za-z][^<>{}=;()'`]*)[<{]/g)]
  return [...quoted, ...written]
    .map((found) => found.slice(1).find((text) => text !== undefined) ?? '')
    .filter((text) => /[A-Za-z’]{2,}.*\s\S*[A-Za-z’]{2,}/s.test(text))
}

it.each(FOLDERS)('%s keeps to plain words', (folder) => {
  const found = files(folder).flatMap((path) =>
    textsIn(readFileSync(path, 'utf8')).flatMap((text) =>
      GONE.filter((word) => word.test(text)).map((word) => `${path}: ${word} in “${text.trim().slice(0, 90)}”`),
    ),
  )
  expect(found).toEqual([])
})

it('finds what people read, and nothing else', () => {
  const source = [
    "import { a } from './the/way of paying.ts'",
    '// a way of paying in a comment',
    "const a = 'the money did not come'",
    "const b = 'It was given back'",
    '<p className="taken back">Needs a look</p>',
    "case 'given-up':",
  ].join('\n')
  const texts = textsIn(source)
  expect(texts).toEqual(['the money did not come', 'It was given back', 'Needs a look'])
})

it('what buyers read in the shop stands in the catalogue, not in its pages', () => {
  const pages = files('src/shop').filter((path) => path.endsWith('.tsx'))
  expect(pages.length).toBeGreaterThan(10)
  const said = pages.flatMap((path) => {
    const code = readFileSync(path, 'utf8')
      .replace(/\/\*[\s\S]*?\*\//g, '')
      .replace(/^\s*\/\/.*$/gm, '')
    const inMarkup = [...code.matchAll(/>\s*([A-Za-z“][^<>{}=;():]*)\s*[<{]/g)].map(([, text]) => text as string)
    const inAttributes = [...code.matchAll(/(?:label|title|hint|placeholder|alt)="([^"]*[a-z][^"]*)"/g)]
    return [
      ...inMarkup.filter((text) => !/^(interface|const|function|type) /.test(text)),
      ...inAttributes.map(String),
    ].map((text) => `${path}: ${text}`)
  })
  expect(said).toEqual([])
})
