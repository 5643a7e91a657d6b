import { asc, eq, inArray } from 'drizzle-orm'
import sharp, { type Sharp } from 'sharp'
import type { PictureFacts } from '../../core/checkoutPages/facts.ts'
import { MAX_PICTURE_BYTES, PICTURE_TOO_LARGE } from '../../core/content/course.ts'
import { PICTURE_WIDTHS } from '../../core/content/pictureWidths.ts'
import type { Queryable } from '../db/client.ts'
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
 * Checks an uploaded picture by its content, not its name, and keeps it re-encoded as WebP in several widths, without the
 * metadata that cameras add.
 * @throws Problem 422 at `/file` where it is no picture or too large.
 */
export async function keepPicture(services: Services, file: Uint8Array): Promise<{ id: string }> {
  const encoded = await encodePicture(file)
  return services.db.transaction(async (tx) => {
    const { width, height, preview } = encoded
    const [row] = await tx
      .insert(pictures)
      .values({ width, height, preview, createdAt: services.now() })
      .returning({ id: pictures.id })
    const id = row?.id as string
    await storeSizes(tx, id, encoded, services.now())
    return { id }
  })
}

/** Stores the sizes of a picture that has none yet. */
export async function storeSizes(tx: Queryable, pictureId: string, { sizes }: EncodedPicture, at: Date): Promise<void> {
  for (const { width, data } of sizes) {
    const fileId = await storeFile(tx, TYPE, data, at)
    await tx.insert(pictureSizes).values({ pictureId, width, fileId })
  }
}

/** A picture as it is kept. One that was kept so already stays as it is. @throws Problem as {@link keepPicture}. */
export async function encodePicture(file: Uint8Array): Promise<EncodedPicture> {
  if (file.byteLength > MAX_PICTURE_BYTES) throw fieldProblem('/file', PICTURE_TOO_LARGE)
  if (isHeic(file)) throw fieldProblem('/file', HEIC)
  try {
    const image = sharp(file, { limitInputPixels: MAX_PIXELS, failOn: 'error' }).rotate()
    const { format, width = 0, height = 0, exif, icc } = await image.metadata()
    if (!format || !FORMATS.has(format)) throw new Error(`not a picture format: ${format}`)
    const largest = await image
      .clone()
      .resize({ width: LARGE_SIDE, height: LARGE_SIDE, fit: 'inside', withoutEnlargement: true })
      .webp({ quality: 82 })
      .toBuffer({ resolveWithObject: true })
    const isBounded = width <= LARGE_SIDE && height <= LARGE_SIDE
    const isKept = format === 'webp' && isBounded && !exif && !icc
    const narrower = PICTURE_WIDTHS.filter((one) => one < largest.info.width)
    const copies = await Promise.all(
      narrower.map(async (one) => ({
        width: one,
        data: await image.clone().resize({ width: one }).webp({ quality: 78 }).toBuffer(),
      })),
    )
    const whole = { width: largest.info.width, data: isKept ? Buffer.from(file) : largest.data }
    const { info } = largest
    return {
      width: info.width,
      height: info.height,
      preview: await previewOf(image),
      sizes: [whole, ...copies.reverse()],
    }
  } catch {
    throw fieldProblem('/file', 'This file is not a picture that can be read. Use a JPEG, PNG, WebP or AVIF.')
  }
}

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
