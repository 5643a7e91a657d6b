import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readCaptions } from './captions.ts'

const why = (text: string) => {
  const read = readCaptions(text)
  return read.ok ? null : [read.line, read.why]
}
const vtt = (text: string) => {
  const read = readCaptions(text)
  return read.ok ? read.vtt : null
}

describe('captions', () => {
  it('are written anew: times and words, without names, notes, styles, settings and markup', () => {
    const file = [
      '\uFEFFWEBVTT - of a film',
      '',
      'STYLE',
      '::cue { background: url(https://elsewhere.example) }',
      '',
      'NOTE nothing',
      '',
      'first',
      '00:01.500 --> 00:03.000 align:start line:0',
      '<v Ada>Fold it</v> & press',
      'twice &lt;here&gt;',
      '',
      '01:00:00.000 --> 01:00:02.250',
      'An hour later.',
    ].join('\r\n')
    expect(vtt(file)).toBe(
      'WEBVTT\n\n00:00:01.500 --> 00:00:03.000\nFold it &amp; press\ntwice &lt;here&gt;\n\n01:00:00.000 --> 01:00:02.250\nAn hour later.\n',
    )
  })

  it('that cannot be read are refused with the line', () => {
    expect(why('1\n00:00.000 --> 00:01.000\nx')).toEqual([1, 'The first line of a WebVTT file is “WEBVTT”.'])
    expect(why('WEBVTT\n\n00:00 --> 00:01\nx')).toEqual([3, 'Here should be two times, like 00:01.000 --> 00:04.000.'])
    expect(why('WEBVTT\n\nname\n00:02.000 --> 00:01.000\nx')?.[0]).toBe(4)
    expect(why('WEBVTT\n\n00:02.000 --> 00:03.000\nx\n\n00:01.000 --> 00:03.000\ny')?.[0]).toBe(6)
    expect(why('WEBVTT\n')).toEqual([1, 'There are no captions in this file.'])
    expect(why(`WEBVTT\n\n00:00.000 --> 00:01.000\n${'x'.repeat(600_000)}`)).toEqual([
      1,
      'These captions are too long.',
    ])
  })

  it('whatever is in them, nothing but text comes out, and reading that again changes nothing', () => {
    const lines = fc.array(fc.oneof(fc.string(), fc.constantFrom('<script>', '-->', '&amp;lt;b>', '<<b>>', 'WEBVTT')))
    fc.assert(
      fc.property(lines, (words) => {
        const written = vtt(`WEBVTT\n\n00:00.000 --> 00:01.000\n${words.join(' ')}`)
        if (written === null) return
        expect(written.split('\n').slice(3).join('\n')).not.toMatch(/[<>]/)
        expect(vtt(written)).toBe(written)
      }),
    )
  })
})
