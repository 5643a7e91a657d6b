import { readFile } from 'node:fs/promises'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import PDFDocument from 'pdfkit'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney, formatRate } from '../../core/money/format.ts'
import { receiptEntries } from '../../core/sentence/receipt.ts'
import { RECEIPT } from '../../core/words/en/receipt.ts'
import { say } from '../../core/words/message.ts'
import type { ReceiptData } from './receipt.ts'

const MARGIN = 56
const WIDTH = 595.28 - 2 * MARGIN
const INK = '#1a231c'
const QUIET = '#48534a'
const LINE = '#d6dccb'

/** Each font holds some of the letters; a text is written in runs of the first that has them. */
interface Face {
  name: string
  has: (codePoint: number) => boolean
}

let files: Promise<Buffer[]> | null = null

/** The type of the product, Latin with its extensions. */
function fontFiles(): Promise<Buffer[]> {
  const require = createRequire(import.meta.url)
  const folder = join(dirname(require.resolve('@fontsource/instrument-sans/package.json')), 'files')
  files ??= Promise.all(
    ['latin', 'latin-ext'].map((part) => readFile(join(folder, `instrument-sans-${part}-400-normal.woff`))),
  )
  return files
}

/** A receipt as a PDF of one or more A4 pages. */
export async function receiptPdf(data: ReceiptData): Promise<Buffer> {
  const { school, payments, buyer } = data
  const document = new PDFDocument({
    size: 'A4',
    margin: MARGIN,
    info: { Title: say(RECEIPT.title, { number: data.number }), Author: school.name },
  })
  const faces = registerFaces(document, await fontFiles())
  const money = (amount: number) => formatMoney(amount, { ...school, currency: data.currency })
  const day = (when: string) => formatDay(when, school.language)
  const done = collect(document)
  const write = (text: string, options: Options = {}) => writeRuns(document, faces, text, options)

  write(school.name, { size: 13 })
  document.moveDown(2)
  write(say(RECEIPT.title, { number: data.number }), { size: 24 })
  document.moveDown(0.4)
  write(say(RECEIPT.ordered, { day: day(data.ordered) }), { color: QUIET })
  document.moveDown(1.2)
  write(buyer.name)
  for (const line of buyer.postalAddress.split('\n').filter((part) => part.trim() !== '')) write(line)
  write(buyer.email, { color: QUIET })
  document.moveDown(1.4)
  const row = (cells: [string, string, string], color = INK) => {
    if (document.y > 750) document.addPage()
    const top = document.y
    write(cells[0], { width: 110, color })
    const first = document.y
    document.y = top
    write(cells[1], { x: MARGIN + 118, width: WIDTH - 118 - 110, color })
    const second = document.y
    document.y = top
    write(cells[2], { x: MARGIN + WIDTH - 100, width: 100, align: 'right', color })
    document.y = Math.max(first, second, document.y) + 4
    document
      .moveTo(MARGIN, document.y)
      .lineTo(MARGIN + WIDTH, document.y)
      .lineWidth(0.6)
      .stroke(LINE)
    document.y += 5
  }
  for (const { kind, label, amount } of receiptEntries(data.things, data.amounts, school.language)) {
    row(['', label, money(amount)], kind === 'thing' || kind === 'paid' || kind === 'tax' ? INK : QUIET)
  }
  for (const { code, says } of data.codesLater) write(say(RECEIPT.code, { code, says }), { color: QUIET })
  if (data.laterEach.length > 0) {
    document.moveDown(0.8)
    write(RECEIPT.laterTitle)
    for (const sentence of data.laterEach) write(sentence, { color: QUIET })
  }
  document.moveDown(1.2)
  row([RECEIPT.head.day, RECEIPT.head.what, RECEIPT.head.amount], QUIET)
  for (const { day: on, what, amount, method } of payments)
    row([day(on), method ? say(RECEIPT.by, { what, method }) : what, money(amount)])
  const sum = payments.reduce((all, { amount }) => all + amount, 0)
  row(['', RECEIPT.sum, money(sum)])
  const rates = [...new Set(payments.map(({ taxRate }) => taxRate))].filter((rate) => rate > 0).sort((a, b) => b - a)
  for (const rate of data.amounts.taxMode === 'none' ? [] : rates) {
    const tax = payments.reduce((all, payment) => all + (payment.taxRate === rate ? payment.tax : 0), 0)
    row(['', say(RECEIPT.vatInside, { rate: formatRate(rate, school.language) }), money(tax)], QUIET)
  }
  const years = [...new Set(payments.map(({ day: on }) => on.slice(0, 4)))]
  if (years.length > 1) {
    document.moveDown(1)
    write(RECEIPT.byYear, { color: QUIET })
    document.moveDown(0.3)
    for (const year of years) {
      const ofYear = payments.filter(({ day: on }) => on.startsWith(year))
      row([year, '', money(ofYear.reduce((all, { amount }) => all + amount, 0))])
    }
  }
  document.end()
  return done
}

interface Options {
  size?: number
  color?: string
  x?: number
  width?: number
  align?: 'left' | 'right'
}

function registerFaces(document: PDFKit.PDFDocument, buffers: Buffer[]): Face[] {
  return buffers.map((buffer, index) => {
    const name = `face ${index}`
    document.registerFont(name, buffer)
    document.font(name)
    // What pdfkit opened it with knows which letters it has.
    const opened = (document as unknown as { _font: { font: { hasGlyphForCodePoint: (code: number) => boolean } } })
      ._font
    return { name, has: (codePoint) => opened.font.hasGlyphForCodePoint(codePoint) }
  })
}

/** Writes a text from where the document stands, letter by letter in a font that has it; what none has is a box. */
function writeRuns(
  document: PDFKit.PDFDocument,
  faces: readonly Face[],
  text: string,
  { size = 10.5, color = INK, x = MARGIN, width = WIDTH, align = 'left' }: Options,
): void {
  const runs: { name: string; text: string }[] = []
  for (const letter of text) {
    const face = faces.find(({ has }) => has(letter.codePointAt(0) ?? 0))
    const name = (face ?? faces[0])?.name ?? ''
    const shown = face ? letter : '?'
    const last = runs.at(-1)
    if (last?.name === name) last.text += shown
    else runs.push({ name, text: shown })
  }
  document.fontSize(size).fillColor(color)
  runs.forEach((run, index) => {
    document.font(run.name)
    const options = { width, align, continued: index < runs.length - 1 }
    if (index === 0) document.text(run.text, x, document.y, options)
    else document.text(run.text, options)
  })
  document.x = MARGIN
}

function collect(document: PDFKit.PDFDocument): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    const parts: Buffer[] = []
    document.on('data', (part: Buffer) => parts.push(part))
    document.on('end', () => resolve(Buffer.concat(parts)))
    document.on('error', reject)
  })
}
