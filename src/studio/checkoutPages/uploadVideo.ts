import { VIDEO_PART_BYTES } from '../../core/content/video.ts'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'

/** How far a video has come: parts sent of all, or that it waits for the connection. */
export interface Progress {
  sent: number
  parts: number
  isWaiting: boolean
}

/** So long it waits before it tries again. */
const AGAIN_MS = 2000
/** A part that is not answered for so long is sent again: the connection is stuck, or slower than 9 kB/s. */
const PART_MS = 120_000
/** Uploads that were begun in this browser, by what names a file. */
const KEPT = 'acorn-video-uploads'

/**
 * Uploads a video part by part. Where the connection is lost it waits and goes on where it was; where the page was left,
 * choosing the same file again goes on with it.
 * @throws ApiError where the server refuses it; DOMException `AbortError` where it was stopped.
 */
export async function uploadVideo(
  file: File,
  tell: (progress: Progress) => void,
  stop: AbortSignal,
): Promise<VideoFacts> {
  const { id, received, parts } = await beginOrGoOn(file, () => tell({ sent: 0, parts: 1, isWaiting: true }), stop)
  for (let n = received; n < parts; n++) {
    tell({ sent: n, parts, isWaiting: false })
    const part = file.slice(n * VIDEO_PART_BYTES, (n + 1) * VIDEO_PART_BYTES)
    await patiently(
      () => {
        const signal = AbortSignal.any([stop, AbortSignal.timeout(PART_MS)])
        return unwrap(fetch(`/api/media/videos/${id}/parts/${n}`, { method: 'PUT', body: part, signal }))
      },
      () => tell({ sent: n, parts, isWaiting: true }),
      stop,
    )
  }
  tell({ sent: parts, parts, isWaiting: false })
  try {
    const video = await patiently(
      () => unwrap(api.media.videos[':id'].finish.$post({ param: { id }, json: { name: file.name.slice(0, 200) } })),
      () => tell({ sent: parts, parts, isWaiting: true }),
      stop,
    )
    forget(file)
    return video
  } catch (error) {
    // What was refused is not gone on with; what was stopped is, when it is chosen again.
    if (error instanceof ApiError) forget(file)
    throw error
  }
}

export type VideoFacts = Awaited<ReturnType<typeof finished>>
const finished = (id: string) => unwrap(api.media.videos[':id'].finish.$post({ param: { id }, json: { name: '' } }))

async function beginOrGoOn(file: File, waits: () => void, stop: AbortSignal) {
  const known = savedUploads()[nameOf(file)]
  if (known) {
    const ask = () => unwrap(api.media.videos[':id'].$get({ param: { id: known } }))
    const upload = await patiently(ask, waits, stop).catch(unlessGone)
    if (upload) return upload
  }
  const begin = () => unwrap(api.media.videos.$post({ json: { length: file.size } }))
  const upload = await patiently(begin, waits, stop)
  keep({ ...savedUploads(), [nameOf(file)]: upload.id })
  return upload
}

/** An upload that the server does not know any more is begun anew. */
function unlessGone(error: unknown): null {
  if (error instanceof ApiError && error.problem.status === 404) return null
  throw error
}

/** Does something until it is answered: without a connection, and where the server is away, it is done again. */
async function patiently<T>(act: () => Promise<T>, waits: () => void, stop: AbortSignal): Promise<T> {
  for (;;) {
    stop.throwIfAborted()
    try {
      return await act()
    } catch (error) {
      stop.throwIfAborted()
      const isAway = error instanceof ApiError && (error.problem.status === 0 || error.problem.status >= 500)
      if (!isAway) throw error
      waits()
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS))
    }
  }
}

/** Names a file: whoever chooses the same one again means the same. */
function nameOf({ name, size, lastModified }: File): string {
  return `${name} ${size} ${lastModified}`
}

function savedUploads(): Record<string, string> {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Record<string, string>
  } catch {
    return {}
  }
}

function keep(uploads: Record<string, string>): void {
  localStorage.setItem(KEPT, JSON.stringify(Object.fromEntries(Object.entries(uploads).slice(-20))))
}

function forget(file: File): void {
  const { [nameOf(file)]: _gone, ...others } = savedUploads()
  keep(others)
}
