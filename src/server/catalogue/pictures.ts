import { eq, inArray } from 'drizzle-orm'
import sharp from 'sharp'
import { MAX_PICTURE_BYTES, PICTURE_TOO_LARGE } from '../../core/content/course.ts'
import type { Queryable } from '../db/client.ts'
import { pictures } from '../db/schema/index.ts'
import { fieldProblem, notFound } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'

const FORMATS = new Set(['jpeg', 'png', 'webp', 'avif', 'gif', 'heif', 'tiff'])

/**
 * Checks an uploaded picture by its content, not its name, and keeps it re-encoded as WebP in two
 * sizes, without the metadata that cameras add.
 * @throws Problem 422 at `/file` where it is no picture or too large.
 */
export async function keepPicture({ db, now }: Services, file: Uint8Array): Promise<{ id: string }> {
  const [row] = await db
    .insert(pictures)
    .values({ ...(await encodePicture(file)), createdAt: now() })
    .returning({ id: pictures.id })
  return { id: row?.id as string }
}

/** The longer side of a kept picture, at most, in pixels. */
const LARGE_SIDE = 1600

/** A picture as it is kept. One that was kept so already stays as it is. @throws Problem as {@link keepPicture}. */
export async function encodePicture(file: Uint8Array) {
  if (file.byteLength > MAX_PICTURE_BYTES) throw fieldProblem('/file', PICTURE_TOO_LARGE)
  const { large, small, isKept } = await encode(file)
  return {
    large: isKept ? Buffer.from(file) : large.data,
    small,
    width: large.info.width,
    height: large.info.height,
  }
}

async function encode(file: Uint8Array) {
  const sized = (side: number) => ({ width: side, height: side, fit: 'inside', withoutEnlargement: true }) as const
  try {
    const image = sharp(file, { limitInputPixels: 60_000_000, failOn: 'error' }).rotate()
    const { format, width = 0, height = 0, exif, icc } = await image.metadata()
    if (!format || !FORMATS.has(format)) throw new Error(`not a picture format: ${format}`)
    const [large, small] = await Promise.all([
      image.clone().resize(sized(LARGE_SIDE)).webp({ quality: 82 }).toBuffer({ resolveWithObject: true }),
      image.clone().resize(sized(480)).webp({ quality: 78 }).toBuffer(),
    ])
    const isBounded = width <= LARGE_SIDE && height <= LARGE_SIDE
    return { large, small, isKept: format === 'webp' && isBounded && !exif && !icc }
  } catch {
    throw fieldProblem('/file', 'This file is not a picture that can be read. Use a JPEG, PNG, WebP or AVIF.')
  }
}

/** The bytes of a kept picture, as WebP. */
export async function findPicture({ db }: Services, id: string, size: 'large' | 'small'): Promise<Buffer> {
  const [row] = await db.select({ data: pictures[size] }).from(pictures).where(eq(pictures.id, id))
  if (!row) throw notFound('picture')
  return row.data
}

/** Widths and heights of stored pictures, by id; those that are gone are left out. */
export async function sizesOf(
  db: Queryable,
  ids: readonly string[],
): Promise<Record<string, { width: number; height: number }>> {
  if (ids.length === 0) return {}
  const rows = await db
    .select({ id: pictures.id, width: pictures.width, height: pictures.height })
    .from(pictures)
    .where(inArray(pictures.id, [...ids]))
  return Object.fromEntries(rows.map(({ id, width, height }) => [id, { width, height }]))
}
