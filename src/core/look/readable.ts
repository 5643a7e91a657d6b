import { clampChroma, converter, formatHex, wcagContrast } from 'culori'

/** The colour of text on a coloured ground. */
export const ON_COLOR = '#f4f8ea'
/** The least contrast of text with its ground (WCAG 2.2, success criterion 1.4.3). */
export const MIN_CONTRAST = 4.5

const toOklch = converter('oklch')

/** A colour on which light text can be read, and whether it is another than the one that was asked for. */
export interface Readable {
  color: string
  isChanged: boolean
}

/**
 * The colour nearest to the one that was asked for on which text reaches 4.5 : 1: of the same hue, and only as much darker
 * as it must be.
 * @param hex `#rrggbb`.
 * @example readable('#ffd54a') // { color: '#8a6e00', isChanged: true }
 */
export function readable(hex: string): Readable {
  if (wcagContrast(hex, ON_COLOR) >= MIN_CONTRAST) return { color: hex, isChanged: false }
  const asked = toOklch(hex)
  if (!asked) throw new RangeError(`${hex} is no colour.`)
  const at = (l: number) => formatHex(clampChroma({ ...asked, l }, 'oklch')) as string
  let [dark, light] = [0, asked.l]
  // The contrast falls as the colour gets lighter: the lightest that is dark enough is between the two.
  for (let step = 0; step < 20; step++) {
    const middle = (dark + light) / 2
    if (wcagContrast(at(middle), ON_COLOR) >= MIN_CONTRAST) dark = middle
    else light = middle
  }
  return { color: at(dark), isChanged: true }
}
