import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { VIDEO_PART_BYTES } from '../../core/content/video.ts'
import { type Progress, uploadVideo } from './uploadVideo.ts'

/** A server that keeps parts of uploads, and what it was asked. */
function makeServer() {
  const uploads = new Map<string, { length: number; parts: Map<number, number> }>()
  const asked: string[] = []
  /** What becomes of requests instead of an answer, each once. */
  const failures: { at: string; how: (init: RequestInit) => Promise<Response> }[] = []
  const fail = (at: string, ...hows: ((init: RequestInit) => Promise<Response>)[]) =>
    void failures.push(...hows.map((how) => ({ at, how })))
  const partsOf = (length: number) => Math.ceil(length / VIDEO_PART_BYTES)
  const stateOf = (id: string) => {
    const upload = uploads.get(id)
    if (!upload) return Response.json({ title: 'There is no such upload.', code: 'missing' }, { status: 404 })
    return Response.json({ id, received: upload.parts.size, parts: partsOf(upload.length) })
  }
  const answer = async (url: string, init: RequestInit): Promise<Response> => {
    const method = init.method ?? 'GET'
    asked.push(`${method} ${url}`)
    const failing = failures.findIndex(({ at }) => `${method} ${url}`.endsWith(at))
    const [failure] = failing < 0 ? [] : failures.splice(failing, 1)
    if (failure) return failure.how(init)
    const [, , , , id = '', what, n] = url.split('/')
    if (method === 'POST' && id === '') {
      const made = `upload-${uploads.size + 1}`
      uploads.set(made, { length: JSON.parse(String(init.body)).length, parts: new Map() })
      return stateOf(made)
    }
    if (what === 'parts') uploads.get(id)?.parts.set(Number(n), (init.body as Blob).size)
    if (what === 'finish') return Response.json({ id: `video of ${id}` })
    return stateOf(id)
  }
  return { uploads, asked, fail, answer }
}

const file = (size: number) => new File([new Uint8Array(size)], 'comb.webm', { lastModified: 1 })
const offline = () => Promise.reject(new TypeError('Failed to fetch'))
const status = (code: number) => () =>
  Promise.resolve(Response.json({ title: 'Refused.', code: 'refused' }, { status: code }))

let server = makeServer()
let reports: Progress[] = []
const upload = (of: File, stop = new AbortController().signal) =>
  uploadVideo(of, (progress) => reports.push(progress), stop)
/** Lets what waits go on at once. */
async function settled<T>(waiting: Promise<T>): Promise<T> {
  waiting.catch(() => {})
  await vi.runAllTimersAsync()
  return waiting
}

beforeEach(() => {
  server = makeServer()
  reports = []
  const storage = new Map<string, string>()
  vi.stubGlobal('localStorage', {
    getItem: (key: string) => storage.get(key) ?? null,
    setItem: (key: string, value: string) => void storage.set(key, value),
  })
  vi.stubGlobal('fetch', (url: string, init: RequestInit = {}) => server.answer(url, init))
  vi.useFakeTimers()
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

describe('a video on its way', () => {
  it('is sent in parts of 1 MiB, the last one smaller, and says how far it is', async () => {
    const video = await settled(upload(file(2 * VIDEO_PART_BYTES + 5)))
    expect(video).toEqual({ id: 'video of upload-1' })
    expect([...(server.uploads.get('upload-1')?.parts ?? [])]).toEqual([
      [0, VIDEO_PART_BYTES],
      [1, VIDEO_PART_BYTES],
      [2, 5],
    ])
    expect(reports.map(({ sent, parts }) => [sent, parts])).toEqual([
      [0, 3],
      [1, 3],
      [2, 3],
      [3, 3],
    ])
  })

  it('waits while there is no connection, or no server, and sends the same part again', async () => {
    server.fail('parts/0', offline, offline, status(503))
    await settled(upload(file(3 * VIDEO_PART_BYTES)))
    expect(server.asked.filter((one) => one.endsWith('/parts/0'))).toHaveLength(4)
    expect(server.asked.filter((one) => one.endsWith('/parts/1'))).toHaveLength(1)
    expect(reports.filter(({ isWaiting }) => isWaiting)).toHaveLength(3)
  })

  it('that is stuck is sent again after a while', async () => {
    server.fail(
      'parts/0',
      ({ signal }) =>
        new Promise((_, reject) => {
          signal?.addEventListener('abort', () => reject(new DOMException('', 'TimeoutError')))
        }),
    )
    vi.useRealTimers()
    const timeout = vi.spyOn(AbortSignal, 'timeout').mockImplementation(() => {
      const controller = new AbortController()
      setTimeout(() => controller.abort(), 20)
      return controller.signal
    })
    await upload(file(VIDEO_PART_BYTES))
    expect(timeout).toHaveBeenCalledWith(120_000)
    expect(server.asked.filter((one) => one.endsWith('/parts/0'))).toHaveLength(2)
    timeout.mockRestore()
  })

  it('goes on where it was when the page was left and the same file is chosen again', async () => {
    const stopping = new AbortController()
    const video = file(3 * VIDEO_PART_BYTES)
    const first = uploadVideo(video, ({ sent }) => void (sent === 2 && stopping.abort()), stopping.signal)
    await expect(settled(first)).rejects.toMatchObject({ name: 'AbortError' })
    server.asked.length = 0
    await settled(upload(file(3 * VIDEO_PART_BYTES)))
    expect(server.asked).toEqual([
      'GET /api/media/videos/upload-1',
      'PUT /api/media/videos/upload-1/parts/2',
      'POST /api/media/videos/upload-1/finish',
    ])
    // Another file is another upload, and one that was finished is not gone on with.
    await settled(upload(file(VIDEO_PART_BYTES)))
    await settled(upload(file(3 * VIDEO_PART_BYTES)))
    expect([...server.uploads.keys()]).toEqual(['upload-1', 'upload-2', 'upload-3'])
  })

  it('is not begun anew because the server is away for a moment', async () => {
    const stopping = new AbortController()
    const first = uploadVideo(
      file(2 * VIDEO_PART_BYTES),
      ({ sent }) => void (sent === 1 && stopping.abort()),
      stopping.signal,
    )
    await expect(settled(first)).rejects.toThrow()
    server.fail('GET /api/media/videos/upload-1', offline, status(502))
    await settled(upload(file(2 * VIDEO_PART_BYTES)))
    expect(server.uploads.size).toBe(1)
  })

  it('of which the server knows nothing any more is begun anew', async () => {
    const stopping = new AbortController()
    const stop = ({ sent }: Progress) => void (sent === 1 && stopping.abort())
    await expect(settled(uploadVideo(file(2 * VIDEO_PART_BYTES), stop, stopping.signal))).rejects.toThrow()
    server.uploads.clear()
    await settled(upload(file(2 * VIDEO_PART_BYTES)))
    expect(server.uploads.size).toBe(1)
    expect(server.asked.filter((one) => one === 'POST /api/media/videos')).toHaveLength(2)
  })

  it('that is refused says why at once, and is not gone on with', async () => {
    server.fail('POST /api/media/videos', status(422))
    await expect(settled(upload(file(5)))).rejects.toMatchObject({ problem: { status: 422, title: 'Refused.' } })
    expect(server.asked).toHaveLength(1)
    server.fail('/finish', status(422))
    await expect(settled(upload(file(5)))).rejects.toMatchObject({ problem: { status: 422 } })
    server.asked.length = 0
    await settled(upload(file(5)))
    expect(server.asked[0]).toBe('POST /api/media/videos')
  })
})
