import { expect, it } from 'vitest'
import { codecWarning, MAX_VIDEO_BYTES, VIDEO_TOO_LARGE } from './video.ts'

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

it('the sentence about a file that is too large names the limit', () => {
  expect(VIDEO_TOO_LARGE).toContain(`over ${MAX_VIDEO_BYTES / 1024 / 1024} MB`)
})
