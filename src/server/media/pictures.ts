import { createHash } from 'node:crypto'
import { and, asc, eq, exists, inArray, isNull } from 'drizzle-orm'
import pLimit from 'p-limit'
import sharp, { type Sharp } from 'sharp'
import type { PictureFacts } from '../../core/checkoutPages/facts.ts'
import { MAX_PICTURE_BYTES, PICTURE_TOO_LARGE } from '../../core/content/course.ts'
import { PICTURE_WIDTHS } from '../../core/content/pictureWidths.ts'
import { type Queryable, transaction } from '../db/client.ts'
import { files, pictureSizes, pictures } from '../db/schema/index.ts'
import { readFile, type StoredFile, storeFile } from '../files/store.ts'
import { fieldProblem, notFound } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'

const FORMATS = new Set(['jpeg', 'png', 'webp', 'avif', 'gif', 'heif', 'tiff'])
/** More is not decoded, however few bytes it takes. */
const MAX_PIXELS = 60_000_000
/** The longer side of a kept picture, at most, in pixels. */
const LARGE_SIDE = 1600
const TYPE = 'image/webp'
/** Of so many points in a row the coarse copy is made, and drawn so wide, in pixels: smooth, and not squares. */
const [PREVIEW_POINTS, PREVIEW_WIDTH] = [32, 800]

/** A picture as it is kept: what was uploaded, bounded, and narrower copies of it. */
export interface EncodedPicture {
  width: number
  height: number
  preview: string | null
  /** The widest first. */
  sizes: { width: number; data: Buffer }[]
}

/**
 * Checks an uploaded picture by its content, not its name, and keeps it encoded anew as WebP in several widths: of what
 * else its file holds nothing is left. The same file again is the same picture.
 * @throws Problem 422 at `/file` where it is no picture or too large.
 */
export async function keepPicture(services: Services, file: Uint8Array): Promise<{ id: string }> {
  const { db, now } = services
  const checksum = checksumOf(file)
  const [known] = await db
    .update(pictures)
    // It stays as long as one that was uploaded now.
    .set({ createdAt: now() })
    .where(eq(pictures.checksum, checksum))
    .returning({ id: pictures.id })
  if (known) return known
  const encoded = await encodePicture(file)
  return transaction(db, async (tx) => {
    const { width, height, preview } = encoded
    const [row] = await tx
      .insert(pictures)
      .values({ width, height, preview, checksum, createdAt: now() })
      .returning({ id: pictures.id })
    const id = row?.id as string
    await storeSizes(tx, id, encoded, now())
    return { id }
  })
}

/** By what a picture's file is known again: its SHA-256, in hexadecimal digits. */
export function checksumOf(file: Uint8Array): string {
  return createHash('sha256').update(file).digest('hex')
}

/** Stores the sizes of a picture that has none yet. */
export async function storeSizes(tx: Queryable, pictureId: string, { sizes }: EncodedPicture, at: Date): Promise<void> {
  for (const { width, data } of sizes) {
    const fileId = await storeFile(tx, TYPE, data, at)
    await tx.insert(pictureSizes).values({ pictureId, width, fileId })
  }
}

/** Pictures are decoded one at a time: each may take a few hundred MB meanwhile. */
const decoding = pLimit(1)

interface Encoding {
  /** Keeps a file as it is that holds a bounded WebP picture and nothing else, as an export of ours does. */
  keepsPlain?: boolean
}

/** A picture as it is kept. @throws Problem as {@link keepPicture}. */
export function encodePicture(file: Uint8Array, { keepsPlain = false }: Encoding = {}): Promise<EncodedPicture> {
  return decoding(() => encode(file, keepsPlain))
}

async function encode(file: Uint8Array, keepsPlain: boolean): Promise<EncodedPicture> {
  if (file.byteLength > MAX_PICTURE_BYTES) throw fieldProblem('/file', PICTURE_TOO_LARGE)
  if (isHeic(file)) throw fieldProblem('/file', HEIC)
  await checkSize(file)
  try {
    const image = sharp(file, { limitInputPixels: MAX_PIXELS, failOn: 'error', sequentialRead: true }).rotate()
    const { width = 0, height = 0 } = await image.metadata()
    const { data, info } = await image
      .clone()
      .resize({ width: LARGE_SIDE, height: LARGE_SIDE, fit: 'inside', withoutEnlargement: true })
      .webp({ quality: 82 })
      .toBuffer({ resolveWithObject: true })
    const isBounded = width <= LARGE_SIDE && height <= LARGE_SIDE
    const isKept = keepsPlain && isBounded && isPlainWebp(file)
    const sizes = [{ width: info.width, data: isKept ? Buffer.from(file) : data }]
    for (const narrower of PICTURE_WIDTHS.filter((one) => one < info.width).toReversed()) {
      const copy = image.clone().resize({ width: narrower }).webp({ quality: 78 })
      sizes.push({ width: narrower, data: await copy.toBuffer() })
    }
    return { width: info.width, height: info.height, preview: await previewOf(image), sizes }
  } catch {
    throw fieldProblem('/file', UNREADABLE)
  }
}

const UNREADABLE = 'This file is not a picture that can be read. Use a JPEG, PNG, WebP or AVIF.'

/** Reads a picture's head alone. @throws Problem 422 at `/file` where it is none, or has more pixels than are decoded. */
async function checkSize(file: Uint8Array): Promise<void> {
  const { format, width, height } = await sharp(file, { limitInputPixels: false })
    .metadata()
    .catch(() => {
      throw fieldProblem('/file', UNREADABLE)
    })
  if (!format || !FORMATS.has(format)) throw fieldProblem('/file', UNREADABLE)
  if (width * height > MAX_PIXELS) {
    const most = Math.floor(Math.sqrt(MAX_PIXELS / 100)) * 10
    throw fieldProblem(
      '/file',
      `This picture is ${width} × ${height} pixels; that is too large. Make it smaller, to at most ${most} × ${most}.`,
    )
  }
}

/** Whether a file is a WebP picture and nothing else: no metadata in it, no bytes behind it (the container of RFC 9649). */
export function isPlainWebp(file: Uint8Array): boolean {
  const bytes = Buffer.from(file.buffer, file.byteOffset, file.byteLength)
  const nameAt = (at: number) => bytes.toString('latin1', at, at + 4)
  if (bytes.length < 20 || nameAt(0) !== 'RIFF' || nameAt(8) !== 'WEBP') return false
  if (bytes.readUInt32LE(4) + 8 !== bytes.length) return false
  for (let at = 12; at < bytes.length; ) {
    if (at + 8 > bytes.length || !IMAGE_CHUNKS.has(nameAt(at))) return false
    const length = bytes.readUInt32LE(at + 4)
    at += 8 + length + (length % 2)
    if (at > bytes.length) return false
  }
  return true
}

/** What a picture itself is made of; everything else says something about it. */
const IMAGE_CHUNKS = new Set(['VP8 ', 'VP8L', 'VP8X', 'ALPH'])

/** A coarse copy of a picture, some kB, as a data address. A picture that shows what is behind it has none. */
async function previewOf(image: Sharp): Promise<string | null> {
  if (!(await image.clone().stats()).isOpaque) return null
  const coarse = await image.clone().resize({ width: PREVIEW_POINTS }).png().toBuffer()
  const data = await sharp(coarse).resize({ width: PREVIEW_WIDTH, kernel: 'cubic' }).webp({ quality: 10 }).toBuffer()
  return `data:${TYPE};base64,${data.toString('base64')}`
}

const HEIC =
  'This is an HEIC picture, as some phones take them; browsers do not show it. Open it on the phone or computer, save or export it as JPEG, and choose that.'

/** By the brand in the file's head (ISO/IEC 23008-12). */
function isHeic(file: Uint8Array): boolean {
  const head = Buffer.from(file.subarray(4, 12)).toString('latin1')
  return /^ftyp(heic|heix|hevc|hevx|heim|heis|mif1|msf1)$/.test(head)
}

/** The file of a stored picture that is at least so wide, else its widest. @throws Problem 404. */
export async function pictureFile(db: Queryable, id: string, width: number): Promise<StoredFile> {
  const rows = await db
    .select({ width: pictureSizes.width, file: files })
    .from(pictureSizes)
    .innerJoin(files, eq(files.id, pictureSizes.fileId))
    .where(eq(pictureSizes.pictureId, id))
    .orderBy(asc(pictureSizes.width))
  const found = rows.find((one) => one.width >= width) ?? rows.at(-1)
  if (!found) throw notFound('picture')
  return found.file
}

/** The bytes of a stored picture in its widest size, as it is kept. @throws Problem 404. */
export async function wholePicture(db: Queryable, id: string): Promise<Buffer> {
  const parts: Buffer[] = []
  for await (const part of readFile(db, await pictureFile(db, id, Number.POSITIVE_INFINITY))) parts.push(part)
  return Buffer.concat(parts)
}

/**
 * A part of a stored picture as a picture of its own. @param cut in percent of its sides.
 * @throws Problem 404, 422 where too little would be left.
 */
export async function cutPicture(
  services: Services,
  id: string,
  cut: { x: number; y: number; width: number; height: number },
): Promise<{ id: string }> {
  const whole = await wholePicture(services.db, id)
  const { width = 0, height = 0 } = await sharp(whole).metadata()
  const of = (side: number, percent: number) => Math.round((side * percent) / 100)
  const left = Math.min(of(width, cut.x), width - 1)
  const top = Math.min(of(height, cut.y), height - 1)
  const [w, h] = [Math.min(of(width, cut.width), width - left), Math.min(of(height, cut.height), height - top)]
  if (w < 40 || h < 40) throw fieldProblem('/cut', 'So little of the picture would be left that it could not be seen.')
  const data = await sharp(whole).extract({ left, top, width: w, height: h }).webp({ quality: 90 }).toBuffer()
  return keepPicture(services, data)
}

/** Widths, heights and coarse copies of stored pictures, by id; those that are gone are left out. */
export async function pictureFactsOf(db: Queryable, ids: readonly string[]): Promise<Record<string, PictureFacts>> {
  if (ids.length === 0) return {}
  const rows = await db
    .select({ id: pictures.id, width: pictures.width, height: pictures.height, preview: pictures.preview })
    .from(pictures)
    .where(inArray(pictures.id, [...ids]))
  return Object.fromEntries(rows.map(({ id, ...facts }) => [id, facts]))
}

/** How many pictures of earlier versions are checked at a time. */
const A_TURN = 20

/**
 * Encodes pictures anew that an earlier version kept as they were sent, with whatever else stood in their files. Called once
 * a day, it does some each time. @returns how many there were.
 */
export async function cleanOldPictures({ db, now }: Services): Promise<number> {
  const old = await db
    .select({ id: pictures.id })
    .from(pictures)
    .where(
      and(
        isNull(pictures.checksum),
        exists(db.select().from(pictureSizes).where(eq(pictureSizes.pictureId, pictures.id))),
      ),
    )
    .limit(A_TURN)
  let cleaned = 0
  for (const { id } of old) {
    const whole = await wholePicture(db, id)
    const anew = isPlainWebp(whole) ? null : await encodePicture(whole)
    await transaction(db, async (tx) => {
      await tx
        .update(pictures)
        .set({ checksum: checksumOf(whole) })
        .where(eq(pictures.id, id))
      if (!anew) return
      await tx.delete(pictureSizes).where(eq(pictureSizes.pictureId, id))
      await storeSizes(tx, id, anew, now())
    })
    if (anew) cleaned++
  }
  return cleaned
}
