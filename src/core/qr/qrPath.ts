import { create } from 'qrcode'

/** A QR code as one SVG path of unit squares, without its quiet zone; `side` is its width in squares. Error correction M. */
export function qrPath(text: string): { path: string; side: number } {
  const { modules } = create(text, { errorCorrectionLevel: 'M' })
  let path = ''
  for (let row = 0; row < modules.size; row++) {
    for (let column = 0; column < modules.size; column++) {
      if (modules.get(row, column)) path += `M${column} ${row}h1v1h-1z`
    }
  }
  return { path, side: modules.size }
}
