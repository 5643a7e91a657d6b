import { readFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { COVER_COLORS } from '../core/content/course.ts'
import { COVER_HEX } from '../core/look/coverHex.ts'
import { readable } from '../core/look/readable.ts'

it('every cover colour is the same in the style sheet and outside it, and text on it can be read', () => {
  const theme = readFileSync('src/ui/theme.css', 'utf8')
  for (const color of COVER_COLORS) {
    expect(theme).toContain(`--color-${color}: ${COVER_HEX[color]};`)
    expect(readable(COVER_HEX[color]).isChanged).toBe(false)
  }
})
