import { expect, it } from 'vitest'
import { codecWarning } from './video.ts'

it.each([
  ['avc', 'aac', null],
  ['vp9', undefined, null],
  ['hevc', 'aac', 'Its picture is H.265 (HEVC), which'],
  ['theora', 'vorbis', 'Its picture is THEORA, which'],
  [null, 'aac', 'Its picture is in a codec that we do not know, which'],
  ['avc', 'ac3', 'Its sound is AC-3, which'],
  ['avc', null, 'Its sound is in a codec that we do not know, which'],
])('a video of %s with %s', (video, audio, begin) => {
  const warning = codecWarning({ video, audio })
  if (begin === null) expect(warning).toBe(null)
  else expect(warning).toContain(begin)
})
