import { createHash } from 'node:crypto'
import { and, asc, eq, gte, isNull, lte } from 'drizzle-orm'
import type { Queryable } from '../db/client.ts'
import { fileParts, files } from '../db/schema/index.ts'
import { notFound, Problem } from '../http/problem.ts'

/** Files are stored in parts of so many bytes; only the last one may be shorter. */
const PART_BYTES = 1024 * 1024

export type StoredFile = typeof files.$inferSelect

/** Stores bytes that are at hand as a whole. @returns the file's id. */
export async function storeFile(db: Queryable, type: string, data: Buffer, at: Date): Promise<string> {
  const checksum = createHash('sha256').update(data).digest('hex')
  const [file] = await db
    .insert(files)
    .values({ type, length: data.length, checksum, createdAt: at })
    .returning({ id: files.id })
  const fileId = file?.id as string
  for (let n = 0; n * PART_BYTES < data.length; n++) {
    const part = data.subarray(n * PART_BYTES, (n + 1) * PART_BYTES)
    await db.insert(fileParts).values({ fileId, n, data: part })
  }
  return fileId
}

/** A file whose parts are still to come. @param length in bytes. */
export async function beginFile(db: Queryable, type: string, length: number, at: Date): Promise<string> {
  const [file] = await db.insert(files).values({ type, length, createdAt: at }).returning({ id: files.id })
  return file?.id as string
}

/** @throws Problem 404. */
export async function findFile(db: Queryable, id: string): Promise<StoredFile> {
  const [file] = await db.select().from(files).where(eq(files.id, id))
  if (!file) throw notFound('file')
  return file
}

/** How many bytes part `n` of a file has; 0 where it has no such part. */
function lengthOfPart({ length }: Pick<StoredFile, 'length'>, n: number): number {
  return Math.max(0, Math.min(PART_BYTES, length - n * PART_BYTES))
}

/**
 * Takes one part of a file that is being uploaded; the same part twice is taken once more, in whatever order they come.
 * @throws Problem 404, 409 of a file that is whole, 422 where the part is not as long as it must be.
 */
export async function putPart(db: Queryable, id: string, n: number, data: Buffer): Promise<void> {
  const file = await findFile(db, id)
  if (file.checksum !== null) throw new Problem(409, 'file-whole', 'This file was uploaded already.')
  if (data.length === 0 || data.length !== lengthOfPart(file, n)) {
    throw new Problem(422, 'wrong-part', 'This part of the file is not as long as it should be. Upload it again.')
  }
  await db
    .insert(fileParts)
    .values({ fileId: id, n, data })
    .onConflictDoUpdate({ target: [fileParts.fileId, fileParts.n], set: { data } })
}

/** How many parts of a file have come without a gap, from the first on. */
export async function partsReceived(db: Queryable, id: string): Promise<number> {
  const rows = await db
    .select({ n: fileParts.n })
    .from(fileParts)
    .where(eq(fileParts.fileId, id))
    .orderBy(asc(fileParts.n))
  const gap = rows.findIndex(({ n }, place) => n !== place)
  return gap < 0 ? rows.length : gap
}

/**
 * Makes a file whole whose parts have all come. @param type what is in it, as it was found.
 * @throws Problem 409 where a part is missing.
 */
export async function finishFile(db: Queryable, id: string, type: string): Promise<void> {
  const file = await findFile(db, id)
  const hash = createHash('sha256')
  let length = 0
  for await (const part of readFile(db, file)) {
    hash.update(part)
    length += part.length
  }
  if (length !== file.length) throw missingParts()
  await db
    .update(files)
    .set({ checksum: hash.digest('hex'), type })
    .where(and(eq(files.id, id), isNull(files.checksum)))
}

export function missingParts(): Problem {
  return new Problem(409, 'parts-missing', 'Some of this file has not come yet. Upload the rest.')
}

/**
 * The bytes of a file from `from` to `to`, both included, a part at a time: however long it is, no more than one part is
 * in memory.
 */
export async function* readFile(
  db: Queryable,
  { id, length }: Pick<StoredFile, 'id' | 'length'>,
  from = 0,
  to = length - 1,
): AsyncGenerator<Buffer> {
  for (let n = Math.floor(from / PART_BYTES); n * PART_BYTES <= to; n++) {
    const [part] = await db
      .select({ data: fileParts.data })
      .from(fileParts)
      .where(and(eq(fileParts.fileId, id), eq(fileParts.n, n)))
    if (!part) return
    const start = n * PART_BYTES
    yield part.data.subarray(Math.max(0, from - start), Math.min(part.data.length, to - start + 1))
  }
}

/** Some bytes of a file in one piece; for little of it. */
export async function readBytes(db: Queryable, id: string, from: number, to: number): Promise<Buffer> {
  const rows = await db
    .select({ n: fileParts.n, data: fileParts.data })
    .from(fileParts)
    .where(
      and(
        eq(fileParts.fileId, id),
        gte(fileParts.n, Math.floor(from / PART_BYTES)),
        lte(fileParts.n, Math.floor(to / PART_BYTES)),
      ),
    )
    .orderBy(asc(fileParts.n))
  const first = (rows[0]?.n ?? 0) * PART_BYTES
  return Buffer.concat(rows.map(({ data }) => data)).subarray(from - first, to - first + 1)
}

export async function deleteFile(db: Queryable, id: string): Promise<void> {
  await db.delete(files).where(eq(files.id, id))
}
