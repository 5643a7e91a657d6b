import { and, eq, inArray, isNull, lt } from 'drizzle-orm'
import { CustomSource, Input, MP4, WEBM } from 'mediabunny'
import { type ReadCaptions, readCaptions } from '../../core/content/captions.ts'
import { codecWarning, MAX_VIDEO_BYTES, VIDEO_PART_BYTES, VIDEO_TOO_LARGE } from '../../core/content/video.ts'
import type { Queryable } from '../db/client.ts'
import { awaitedVideos, files, videos } from '../db/schema/index.ts'
import {
  beginFile,
  deleteFile,
  findFile,
  finishFile,
  missingParts,
  partsReceived,
  putPart,
  readBytes,
  type StoredFile,
} from '../files/store.ts'
import { fieldProblem, notFound, Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'

export type Video = typeof videos.$inferSelect

/** What is not known yet of a video that is still being uploaded. */
const NOT_KNOWN = 'application/octet-stream'

/** So many videos may be on their way; of more, those go that were begun over a day ago. */
const MAX_BEGUN = 10
const DAY_MS = 86_400_000

/** Begins to take a video of so many bytes. @throws Problem 422 where it is too large, 409 where too many are begun. */
export async function beginVideo({ db, now }: Services, length: number): Promise<Upload> {
  if (length > MAX_VIDEO_BYTES) throw fieldProblem('/length', VIDEO_TOO_LARGE)
  const begun = and(eq(files.type, NOT_KNOWN), isNull(files.checksum))
  if ((await db.$count(files, begun)) >= MAX_BEGUN) {
    await db.delete(files).where(and(begun, lt(files.createdAt, new Date(now().getTime() - DAY_MS))))
    if ((await db.$count(files, begun)) >= MAX_BEGUN) {
      throw new Problem(409, 'too-many-uploads', `${MAX_BEGUN} videos are being uploaded. Finish one of those first.`)
    }
  }
  return { id: await beginFile(db, NOT_KNOWN, length, now()), received: 0, parts: partsOf(length) }
}

/** How far the upload of a video has come. */
export interface Upload {
  id: string
  /** Parts that have come without a gap: the next one to send. */
  received: number
  parts: number
}

function partsOf(length: number): number {
  return Math.ceil(length / VIDEO_PART_BYTES)
}

/** @throws Problem 404. */
export async function uploadOf({ db }: Services, id: string): Promise<Upload> {
  const { length } = await findFile(db, id)
  return { id, received: await partsReceived(db, id), parts: partsOf(length) }
}

/** Takes one part of a video, in whatever order, and as often as it is sent. @throws Problem as {@link putPart}. */
export function takeVideoPart({ db }: Services, id: string, n: number, data: Buffer): Promise<void> {
  return putPart(db, id, n, data)
}

/**
 * Looks into a video that has come whole. What it is is found in it, whatever it is called; what is none is deleted.
 * Asked again, it answers the same.
 * @throws Problem 404, 409 where parts are missing, 422 at `/file` where it is no video that can be used.
 */
export async function finishVideo({ db, now }: Services, fileId: string, name: string): Promise<Video> {
  const file = await findFile(db, fileId)
  const [known] = await db.select().from(videos).where(eq(videos.fileId, fileId))
  if (known) return known
  if ((await partsReceived(db, fileId)) !== partsOf(file.length)) throw missingParts()
  const found = await lookInto(db, file)
  if (!found) {
    await deleteFile(db, fileId)
    throw fieldProblem('/file', 'This file is not a video that can be read. Use an MP4 or WebM file.')
  }
  const { type, ...facts } = found
  await finishFile(db, fileId, type)
  const [video] = await db
    .insert(videos)
    .values({ fileId, name, ...facts, createdAt: now() })
    .returning()
  await fillAwaited(db, video as Video)
  return video as Video
}

/** Puts a video into the places that wait for its file, named by a school's file. */
async function fillAwaited(db: Queryable, video: Video): Promise<void> {
  const { checksum, type, length } = await findFile(db, video.fileId)
  const awaited = await db
    .delete(awaitedVideos)
    .where(
      and(eq(awaitedVideos.checksum, checksum ?? ''), eq(awaitedVideos.type, type), eq(awaitedVideos.length, length)),
    )
    .returning({ id: awaitedVideos.id })
  for (const { id } of awaited) {
    await db
      .insert(videos)
      .values({ ...video, id })
      .onConflictDoNothing()
  }
}

/** What a file holds as a video; null where it is none. */
async function lookInto(db: Queryable, { id, length }: StoredFile) {
  const input = new Input({
    formats: [MP4, WEBM],
    source: new CustomSource({
      getSize: () => length,
      read: (start, end) => readBytes(db, id, start, end - 1),
      handleUnhandledError: () => {},
    }),
  })
  try {
    const track = await input.getPrimaryVideoTrack()
    if (!track) return null
    const [format, sound, seconds] = await Promise.all([
      input.getFormat(),
      input.getPrimaryAudioTrack(),
      input.computeDuration(),
    ])
    const isTurned = track.rotation % 180 !== 0
    const [width, height] = [await track.getCodedWidth(), await track.getCodedHeight()]
    if (!(seconds > 0) || !(width > 0) || !(height > 0)) return null
    return {
      type: format === WEBM ? 'video/webm' : 'video/mp4',
      length: Math.ceil(seconds),
      width: isTurned ? height : width,
      height: isTurned ? width : height,
      warning: codecWarning({ video: track.codec, audio: sound ? sound.codec : undefined }),
    }
  } catch {
    // Whatever it stumbles over: it is not a video as the format has it.
    return null
  } finally {
    input.dispose()
  }
}

/** Puts captions to a video, or takes them away. @throws Problem 404, 422 at `/captions` with the line that is wrong. */
export async function setCaptions({ db }: Services, id: string, text: string | null): Promise<Video> {
  const read: ReadCaptions | null = text === null ? null : readCaptions(text)
  if (read && !read.ok) throw fieldProblem('/captions', `Line ${read.line}: ${read.why}`)
  const [video] = await db
    .update(videos)
    .set({ captions: read?.vtt ?? null })
    .where(eq(videos.id, id))
    .returning()
  if (!video) throw notFound('video')
  return video
}

/** @throws Problem 404. */
export async function findVideo(db: Queryable, id: string): Promise<{ video: Video; file: StoredFile }> {
  const [row] = await db
    .select({ video: videos, file: files })
    .from(videos)
    .innerJoin(files, eq(files.id, videos.fileId))
    .where(eq(videos.id, id))
  if (!row) throw notFound('video')
  return row
}

/** Videos by id; those that are gone are left out. */
export async function videosOf(db: Queryable, ids: readonly string[]): Promise<Video[]> {
  return ids.length === 0
    ? []
    : db
        .select()
        .from(videos)
        .where(inArray(videos.id, [...ids]))
}
