import { useMutation } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import type { PageFacts } from '../../core/checkoutPages/facts.ts'
import type { PartOf } from '../../core/checkoutPages/parts.ts'
import { MAX_VIDEO_BYTES, VIDEO_TOO_LARGE } from '../../core/content/video.ts'
import { Button } from '../../ui/Button.tsx'
import { pictureAddress } from '../../ui/pictures.ts'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { api, IN_PLACE, queryClient } from '../api.ts'
import { PreviewSection } from '../frame/Places.tsx'
import { PictureInput, UploadNote } from '../sell/PictureUpload.tsx'
import { usePictureUpload } from '../sell/usePictureUpload.ts'
import { usePageBench } from './bench.tsx'
import { type Progress, uploadVideo } from './uploadVideo.ts'

interface VideoChoicesProps {
  part: PartOf<'video'>
  facts: PageFacts | null
}

/** The video of a part: uploaded in parts, its still, its captions. */
export function VideoChoices({ part, facts }: VideoChoicesProps) {
  const video = part.videoId ? facts?.videos[part.videoId] : undefined
  return (
    <>
      <PreviewSection label="Video">
        {video && (
          <p className="mb-2 text-[13.5px] [overflow-wrap:anywhere]">
            {video.name} · {Math.floor(video.length / 60)}:{String(video.length % 60).padStart(2, '0')}
          </p>
        )}
        {video?.warning && <p className="mb-2 rounded-field bg-late-soft px-2.5 py-2 text-[13px]">{video.warning}</p>}
        <Upload part={part} has={video !== undefined} />
      </PreviewSection>
      {video && part.videoId && <Still part={part} videoId={part.videoId} />}
      {video && part.videoId && <Captions videoId={part.videoId} has={video.hasCaptions} />}
    </>
  )
}

function Upload({ part, has }: { part: PartOf<'video'>; has: boolean }) {
  const { change } = usePageBench()
  const input = useRef<HTMLInputElement>(null)
  const stopping = useRef<AbortController | null>(null)
  const [progress, setProgress] = useState<Progress | null>(null)
  const [why, setWhy] = useState<string | null>(null)
  // Whoever leaves the page leaves the upload; choosing the same file again goes on with it.
  useEffect(() => () => stopping.current?.abort(), [])
  const choose = async (file: File | undefined) => {
    if (!file) return
    setWhy(null)
    if (file.size > MAX_VIDEO_BYTES) return setWhy(VIDEO_TOO_LARGE)
    stopping.current = new AbortController()
    try {
      const video = await uploadVideo(file, setProgress, stopping.current.signal)
      change(part.id, (now) => (now.kind === 'video' ? { ...now, videoId: video.id, stillId: null } : now))
    } catch (error) {
      if (error instanceof ApiError) setWhy(error.at('/file') ?? error.at('/length') ?? error.message)
      else if (!(error instanceof DOMException)) throw error
    } finally {
      setProgress(null)
    }
  }
  return (
    <>
      <input
        ref={input}
        type="file"
        accept="video/mp4,video/webm,.mp4,.webm"
        aria-label="Video file"
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          void choose(event.target.files?.[0])
          event.target.value = ''
        }}
      />
      {progress ? (
        <div>
          <progress
            aria-label="Uploading the video"
            max={progress.parts}
            value={progress.sent}
            className="w-full accent-leaf"
          />
          <p role="status" className="text-[13px] text-ink-2">
            {progress.isWaiting
              ? 'No connection at the moment. It goes on by itself.'
              : progress.sent === progress.parts
                ? 'Looking into it…'
                : `${progress.sent} of ${progress.parts} MB`}
          </p>
          <Button kind="link" onClick={() => stopping.current?.abort()}>
            Stop
          </Button>
        </div>
      ) : (
        <p className="flex gap-4">
          <Button onClick={() => input.current?.click()}>{has ? 'Replace' : 'Choose a video'}</Button>
          {has && (
            <Button
              kind="link"
              onClick={() =>
                change(part.id, (now) => (now.kind === 'video' ? { ...now, videoId: null, stillId: null } : now))
              }
            >
              Remove
            </Button>
          )}
        </p>
      )}
      <UploadNote problem={why} hint="MP4 or WebM, up to 300 MB. Nothing plays by itself." />
    </>
  )
}

/** What is seen before it plays: a moment of the video, or a picture. */
function Still({ part, videoId }: { part: PartOf<'video'>; videoId: string }) {
  const { set } = usePageBench()
  const player = useRef<HTMLVideoElement>(null)
  const put = (id: string) => set(part.id, 'stillId', id)
  const upload = usePictureUpload(put)
  const take = () => {
    const video = player.current
    if (!video) return
    const canvas = document.createElement('canvas')
    canvas.width = video.videoWidth
    canvas.height = video.videoHeight
    canvas.getContext('2d')?.drawImage(video, 0, 0)
    canvas.toBlob((blob) => blob && upload.choose(new File([blob], 'still.png', { type: 'image/png' })), 'image/png')
  }
  return (
    <PreviewSection label="What is seen before it plays">
      <video
        ref={player}
        src={`/videos/${videoId}`}
        controls
        muted
        preload="metadata"
        className="w-full rounded-field bg-ink"
      />
      <p className="mt-1.5 flex flex-wrap gap-x-4 gap-y-1 text-[13px]">
        <Button kind="link" disabled={upload.isPending} onClick={take}>
          {upload.isPending ? 'Keeping it…' : 'Use this moment'}
        </Button>
        <Button kind="link" disabled={upload.isPending} onClick={() => upload.input.current?.click()}>
          Upload a picture
        </Button>
      </p>
      <PictureInput upload={upload} label="Still picture" />
      <UploadNote problem={upload.error} />
      {part.stillId && (
        <figure className="mt-2 w-[120px]">
          <img src={pictureAddress(part.stillId, 320)} alt="" className="w-full rounded-[4px]" />
          <figcaption className="text-[11.5px] text-ink-3">Chosen</figcaption>
        </figure>
      )}
    </PreviewSection>
  )
}

function Captions({ videoId, has }: { videoId: string; has: boolean }) {
  const input = useRef<HTMLInputElement>(null)
  const { mutate, error, isPending } = useMutation({
    mutationFn: (captions: string | null) =>
      unwrap(api.media.videos[':id'].captions.$put({ param: { id: videoId }, json: { captions } })),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: ['page'] }),
    meta: { ...IN_PLACE, invalidates: [] },
  })
  const choose = async (file: File | undefined) => {
    if (file) mutate(await file.text())
  }
  return (
    <PreviewSection label="Captions">
      <p className="mb-1 text-[13.5px]">
        {has ? 'It has captions.' : 'None yet. Many people watch without sound, and some cannot hear it.'}
      </p>
      <input
        ref={input}
        type="file"
        accept=".vtt,text/vtt"
        aria-label="Captions file"
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          void choose(event.target.files?.[0])
          event.target.value = ''
        }}
      />
      <p className="flex gap-4 text-[13px]">
        <Button kind="link" disabled={isPending} onClick={() => input.current?.click()}>
          {has ? 'Replace' : 'Choose a WebVTT file'}
        </Button>
        {has && (
          <Button kind="link" disabled={isPending} onClick={() => mutate(null)}>
            Remove
          </Button>
        )}
      </p>
      <UploadNote problem={error && (error.at('/captions') ?? error.message)} />
    </PreviewSection>
  )
}
