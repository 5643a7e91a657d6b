import { createHash, randomBytes } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { isNull } from 'drizzle-orm'
import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { VIDEO_PART_BYTES } from '../../core/content/video.ts'
import { madeVideo } from '../../testing/madeVideo.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { fileParts, files, pictureSizes, pictures, videos } from '../db/schema/index.ts'
import { rangeOf } from '../files/serve.ts'
import { storeFile } from '../files/store.ts'
import { cleanOldPictures, encodePicture, isPlainWebp, keepPicture } from './pictures.ts'
import { beginVideo, finishVideo, setCaptions, takeVideoPart, uploadOf } from './videos.ts'

const world = ownWorld()

const COMB = readFileSync('demo/media/comb.webm')

/** A picture of noise, which cannot be made small. */
function noise(width: number, height: number) {
  return sharp(randomBytes(width * height * 3), { raw: { width, height, channels: 3 } })
}
const addressOf = (id: string, width: number) => `${world.origin}/pictures/${id}/${width}`

/** Uploads as the studio does; `skip` leaves parts out. */
async function upload(data: Buffer, skip: readonly number[] = []) {
  const { id, parts } = await beginVideo(world.services, data.length)
  for (let n = 0; n < parts; n++) {
    if (!skip.includes(n)) await takeVideoPart(world.services, id, n, partOf(data, n))
  }
  return id
}
const partOf = (data: Buffer, n: number) => data.subarray(n * VIDEO_PART_BYTES, (n + 1) * VIDEO_PART_BYTES)

describe('a stored picture', () => {
  it('is asked for where a form holds none', async () => {
    const form = new FormData()
    form.set('file', 'only words')
    const answer = await fetch(`${world.origin}/api/media/pictures`, {
      method: 'POST',
      headers: { origin: world.origin, cookie: `acorn_studio=${world.creatorToken}` },
      body: form,
    })
    expect(answer.status).toBe(422)
    expect(await answer.json()).toMatchObject({ errors: [{ at: '/file', why: 'Choose a picture.' }] })
  })

  it('is kept in several widths, none wider than it was, and is served in one that is wide enough', async () => {
    const { id } = await keepPicture(world.services, await noise(1000, 500).jpeg().toBuffer())
    const widthOf = async (asked: number) => {
      const answer = await fetch(addressOf(id, asked))
      expect(answer.headers.get('content-type')).toBe('image/webp')
      expect(answer.headers.get('cache-control')).toContain('immutable')
      return (await sharp(Buffer.from(await answer.arrayBuffer())).metadata()).width
    }
    expect(await Promise.all([100, 320, 321, 700, 900, 1600].map(widthOf))).toEqual([320, 320, 480, 800, 1000, 1000])
    expect((await fetch(addressOf(id, 5))).status).toBe(404)
    expect((await fetch(`${world.origin}/pictures/../${id}/320`)).status).toBe(404)
  })

  it('has a coarse copy of a few kB, as wide as a page shows it, unless something would shine through', async () => {
    const { preview } = await encodePicture(await noise(1000, 500).jpeg().toBuffer())
    const data = Buffer.from(preview?.replace('data:image/webp;base64,', '') ?? '', 'base64')
    expect(await sharp(data).metadata()).toMatchObject({ format: 'webp', width: 800, height: 400 })
    expect(data.length).toBeLessThan(10_000)
    const seeThrough = { create: { width: 600, height: 300, channels: 4, background: '#0000' } } as const
    expect((await encodePicture(await sharp(seeThrough).png().toBuffer())).preview).toBeNull()
  })

  it('is not sent again to who has it, by its tag', async () => {
    const { id } = await keepPicture(world.services, await noise(400, 300).png().toBuffer())
    const first = await fetch(addressOf(id, 320))
    const etag = first.headers.get('etag') ?? ''
    expect(etag).toMatch(/^"[0-9a-f]{64}"$/)
    const again = await fetch(addressOf(id, 320), { headers: { 'if-none-match': `"x", W/${etag}` } })
    expect([again.status, await again.text()]).toEqual([304, ''])
    expect((await fetch(addressOf(id, 400), { headers: { 'if-none-match': etag } })).status).toBe(200)
  })

  it('refuses what lies: markup, a picture of a billion pixels, HEIC, and says why', async () => {
    const before = await world.db.$count(pictures)
    const why = async (data: Uint8Array) => {
      const error = await encodePicture(data).catch((thrown) => thrown)
      return error.errors?.[0]?.why
    }
    const svg = '<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'
    expect(await why(Buffer.from(svg))).toContain('not a picture')
    expect(await why(hugePng())).toContain('not a picture')
    // A whole one, of few bytes: it is refused by its size, before any of it is decoded.
    const flat = sharp({
      create: { width: 8000, height: 8000, channels: 3, background: '#285a3c' },
      limitInputPixels: false,
    })
    expect(await why(await flat.png().toBuffer())).toContain('8000 × 8000 pixels; that is too large')
    expect(await why(Buffer.from('\0\0\0\x18ftypheic\0\0\0\0', 'latin1'))).toContain('HEIC')
    expect(await why(Buffer.alloc(12 * 1024 * 1024 + 1))).toContain('12 MB')
    expect(await world.db.$count(pictures)).toBe(before)
  })
})

describe('what an uploaded file holds besides its picture', () => {
  /** A small WebP as a camera might write it: with its place, its words, and bytes behind it. */
  async function talkative(): Promise<Buffer> {
    const picture = await noise(300, 200)
      .withExif({ IFD3: { GPSLatitudeRef: 'N', GPSLatitude: '48/1 12/1 0/1' }, IFD0: { Artist: 'Secret artist' } })
      .withXmp('<x:xmpmeta xmlns:x="adobe:ns:meta/">Secret words</x:xmpmeta>')
      .webp()
      .toBuffer()
    return Buffer.concat([picture, Buffer.from('Secret behind it')])
  }

  it('does not stay, in no width', async () => {
    const file = await talkative()
    expect(file.toString('latin1')).toMatch(/Secret artist[\s\S]*Secret/)
    const { id } = await keepPicture(world.services, file)
    for (const width of [100, 1600]) {
      const stored = Buffer.from(await (await fetch(addressOf(id, width))).arrayBuffer())
      expect(isPlainWebp(stored)).toBe(true)
      expect(stored.toString('latin1')).not.toMatch(/Secret|EXIF|XMP/)
    }
  })

  it('does not stay where the file is small and plain, either: it is encoded anew', async () => {
    const plain = await noise(300, 200).webp({ quality: 60 }).toBuffer()
    expect(isPlainWebp(plain)).toBe(true)
    const { sizes } = await encodePicture(plain)
    expect(Buffer.compare(sizes[0]?.data as Buffer, plain)).not.toBe(0)
    // What was written by us before, as in a school's file, stays byte for byte; with anything more in it, it does not.
    const encoded = async (file: Buffer) => (await encodePicture(file, { keepsPlain: true })).sizes[0]?.data as Buffer
    expect(Buffer.compare(await encoded(plain), plain)).toBe(0)
    expect(isPlainWebp(await encoded(await talkative()))).toBe(true)
    for (const odd of [
      Buffer.concat([plain, Buffer.from('x')]),
      plain.subarray(0, -2),
      Buffer.from('RIFF'),
      await noise(30, 20).keepIccProfile().withIccProfile('p3').webp().toBuffer(),
    ])
      expect(isPlainWebp(odd)).toBe(false)
  })

  it('does not stay in pictures of an earlier version, which kept small ones as they were', async () => {
    const { services, db } = world
    const [old] = await db.insert(pictures).values({ width: 300, height: 200, createdAt: services.now() }).returning()
    const id = old?.id as string
    const fileId = await storeFile(db, 'image/webp', await talkative(), services.now())
    await db.insert(pictureSizes).values({ pictureId: id, width: 300, fileId })
    const stored = async () => Buffer.from(await (await fetch(addressOf(id, 320))).arrayBuffer())
    expect((await stored()).toString('latin1')).toContain('Secret')
    expect(await cleanOldPictures(services)).toBe(1)
    expect(isPlainWebp(await stored())).toBe(true)
    expect(await cleanOldPictures(services)).toBe(0)
  })

  it('the same file again is the same picture', async () => {
    const file = await noise(200, 100).png().toBuffer()
    const one = await keepPicture(world.services, file)
    expect(await keepPicture(world.services, file)).toEqual(one)
    expect(await keepPicture(world.services, await noise(200, 100).png().toBuffer())).not.toEqual(one)
  })
})

it('twenty pictures at once are taken one after the other, and nobody else waits for them', {
  timeout: 600_000,
}, async () => {
  const files = await Promise.all(Array.from({ length: 20 }, () => noise(400, 300).png().toBuffer()))
  const cookie = `acorn_studio=${world.creatorToken}; acorn_mode=practice`
  let isOver = false
  const upload = (data: Buffer) => {
    const body = new FormData()
    body.set('file', new File([new Uint8Array(data)], 'noise.png'))
    const headers = { origin: world.origin, cookie }
    return fetch(`${world.origin}/api/media/pictures`, { method: 'POST', headers, body })
  }
  const uploading = Promise.all(files.map(upload)).finally(() => {
    isOver = true
  })
  let served = 0
  while (!isOver) {
    expect((await world.call('GET', '/')).status).toBe(200)
    served++
  }
  expect(served).toBeGreaterThan(1)
  const ids = new Set<string>()
  for (const [n, first] of (await uploading).entries()) {
    // Where the machine is slow, some are told to come again; what they sent is made all the same, and found.
    expect([201, 503]).toContain(first.status)
    let answer = first
    while (answer.status === 503) answer = await upload(files[n] as Buffer)
    ids.add(((await answer.json()) as { id: string }).id)
  }
  expect(ids.size).toBe(20)
})

it('videos that were begun are limited in number; those of yesterday make room', async () => {
  await world.db.delete(files).where(isNull(files.checksum))
  for (let n = 0; n < 10; n++) await beginVideo(world.services, 5_000_000)
  await expect(beginVideo(world.services, 5_000_000)).rejects.toMatchObject({ code: 'too-many-uploads' })
  world.clock.offsetMs += 86_400_000 + 1000
  await beginVideo(world.services, 5_000_000)
  expect(await world.db.$count(files, isNull(files.checksum))).toBe(1)
})

/** The head of a PNG that says it is 40 000 pixels wide and high. */
function hugePng(): Buffer {
  const head = Buffer.alloc(33)
  head.set([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0, 0, 0, 13, 0x49, 0x48, 0x44, 0x52])
  head.writeUInt32BE(40_000, 16)
  head.writeUInt32BE(40_000, 20)
  head.set([8, 2, 0, 0, 0], 24)
  return head
}

describe('a file in parts', () => {
  it('is answered whole or in any range, byte for byte, from parts of at most 1 MiB', async () => {
    const data = randomBytes(2 * VIDEO_PART_BYTES + 777)
    const fileId = await storeFile(world.db, 'video/webm', data, world.services.now())
    const [video] = await world.db
      .insert(videos)
      .values({ fileId, name: 'x', length: 1, width: 1, height: 1, createdAt: world.services.now() })
      .returning()
    const parts = await world.db.select().from(fileParts)
    expect(Math.max(...parts.map((part) => part.data.length))).toBe(VIDEO_PART_BYTES)
    const ask = (headers: Record<string, string> = {}, method = 'GET') =>
      fetch(`${world.origin}/videos/${video?.id}`, { headers, method })
    const whole = await ask()
    expect([whole.status, whole.headers.get('content-length')]).toEqual([200, String(data.length)])
    expect(Buffer.compare(Buffer.from(await whole.arrayBuffer()), data)).toBe(0)
    for (const [range, from, to] of [
      ['bytes=0-0', 0, 0],
      ['bytes=1048570-1048590', 1_048_570, 1_048_590],
      ['bytes=-10', data.length - 10, data.length - 1],
      [`bytes=${data.length - 5}-`, data.length - 5, data.length - 1],
      ['bytes=5-99999999', 5, data.length - 1],
    ] as const) {
      const answer = await ask({ range })
      expect([range, answer.status, answer.headers.get('content-range')]).toEqual([
        range,
        206,
        `bytes ${from}-${to}/${data.length}`,
      ])
      expect(Buffer.compare(Buffer.from(await answer.arrayBuffer()), data.subarray(from, to + 1))).toBe(0)
    }
    expect((await ask({ range: `bytes=${data.length}-` })).status).toBe(416)
    expect((await ask({ range: 'bytes=0-1, 5-6' })).status).toBe(200)
    expect((await ask({ range: 'bytes=0-1', 'if-range': '"another"' })).status).toBe(200)
    const head = await ask({}, 'HEAD')
    expect([head.status, head.headers.get('content-length'), await head.text()]).toEqual([200, String(data.length), ''])
  })

  it('understands what a range may be, and nothing else', () => {
    expect(rangeOf('bytes=2-1', 10)).toBeNull()
    expect(rangeOf('bytes=-', 10)).toBeNull()
    expect(rangeOf('lines=0-1', 10)).toBeNull()
    expect(rangeOf('bytes=-0', 10)).toBe('outside')
    expect(rangeOf('bytes=-99', 10)).toEqual({ from: 0, to: 9 })
  })
})

describe('an uploaded video', () => {
  it('is looked into by what is in it, and is the same when it is asked again', async () => {
    const id = await upload(COMB)
    const video = await finishVideo(world.services, id, 'a script.js')
    expect(video).toMatchObject({ width: 640, height: 360, length: 8, warning: null, captions: null })
    expect(await finishVideo(world.services, id, 'again')).toEqual(video)
    const answer = await fetch(`${world.origin}/videos/${video.id}`)
    expect(answer.headers.get('content-type')).toBe('video/webm')
    const sum = createHash('sha256').update(COMB).digest('hex')
    expect(answer.headers.get('etag')).toBe(`"${sum}"`)
  })

  it('goes on where it was left, takes a part again, and is not whole before all have come', async () => {
    const data = Buffer.concat([COMB, Buffer.alloc(3 * VIDEO_PART_BYTES)])
    const id = await upload(data, [1])
    expect(await uploadOf(world.services, id)).toMatchObject({ received: 1, parts: 4 })
    await expect(finishVideo(world.services, id, 'x')).rejects.toMatchObject({ status: 409, code: 'parts-missing' })
    await expect(takeVideoPart(world.services, id, 1, Buffer.from('short'))).rejects.toMatchObject({ status: 422 })
    await expect(takeVideoPart(world.services, id, 4, Buffer.from('x'))).rejects.toMatchObject({ status: 422 })
    await takeVideoPart(world.services, id, 0, partOf(data, 0))
    await takeVideoPart(world.services, id, 1, partOf(data, 1))
    expect(await uploadOf(world.services, id)).toMatchObject({ received: 4 })
    expect(await finishVideo(world.services, id, 'x')).toMatchObject({ length: 8 })
    // A whole file is not changed any more.
    await expect(takeVideoPart(world.services, id, 0, partOf(data, 0))).rejects.toMatchObject({ status: 409 })
  })

  it('that is none is refused and deleted, whatever it is called', async () => {
    for (const lie of [
      Buffer.from('#!/bin/sh\nrm -rf /\n'),
      randomBytes(5000),
      COMB.subarray(0, 40),
      Buffer.from('\0\0\0\x18ftypisom\0\0\0\0isom', 'latin1'),
    ]) {
      const id = await upload(lie)
      const error = await finishVideo(world.services, id, 'holiday.mp4').catch((thrown) => thrown)
      expect(error.errors).toEqual([
        { at: '/file', why: 'This file is not a video that can be read. Use an MP4 or WebM file.' },
      ])
      expect((await world.db.select().from(files)).map((file) => file.id)).not.toContain(id)
    }
    await expect(beginVideo(world.services, 301 * 1024 * 1024)).rejects.toMatchObject({ status: 422 })
  })

  it('names a codec that does not play everywhere, and what to do', async () => {
    const warningOf = async (data: Buffer) => (await finishVideo(world.services, await upload(data), 'x')).warning
    expect(await warningOf(await madeVideo('avc', 'aac'))).toBeNull()
    expect(await warningOf(await madeVideo('hevc'))).toBe(
      'Its picture is H.265 (HEVC), which does not play in every browser. Export it as H.264 (MP4) and upload that.',
    )
    expect(await warningOf(await madeVideo('avc', 'flac'))).toContain('Its sound is FLAC')
  })

  it('takes captions that can be read, as plain text, and says the line that cannot', async () => {
    const { id } = await finishVideo(world.services, await upload(COMB), 'x')
    const address = `${world.origin}/videos/${id}/captions`
    expect((await fetch(address)).status).toBe(404)
    await setCaptions(world.services, id, 'WEBVTT\n\n00:00.000 --> 00:02.000\n<b onclick="x">Colour</b> <script>floats')
    const answer = await fetch(address)
    expect(answer.headers.get('content-type')).toContain('text/vtt')
    expect(await answer.text()).toBe('WEBVTT\n\n00:00:00.000 --> 00:00:02.000\nColour floats\n')
    await expect(setCaptions(world.services, id, 'WEBVTT\n\n00:05.000 --> 00:02.000\nx')).rejects.toMatchObject({
      errors: [{ at: '/captions', why: 'Line 3: These captions end before they begin.' }],
    })
    await setCaptions(world.services, id, null)
    expect((await fetch(address)).status).toBe(404)
  })
})
