import { readFileSync } from 'node:fs'
import { VIDEO_PART_BYTES } from '../src/core/content/video.ts'
import { beginVideo, finishVideo, setCaptions, takeVideoPart } from '../src/server/media/videos.ts'
import type { Services } from '../src/server/platform/context.ts'

/** The demo's film, with its captions: the school's file only names it. */
export async function takeDemoVideo(services: Services): Promise<void> {
  const read = (name: string) => readFileSync(new URL(`./media/${name}`, import.meta.url))
  const data = read('comb.webm')
  const { id, parts } = await beginVideo(services, data.length)
  for (let n = 0; n < parts; n++) {
    await takeVideoPart(services, id, n, data.subarray(n * VIDEO_PART_BYTES, (n + 1) * VIDEO_PART_BYTES))
  }
  const video = await finishVideo(services, id, 'comb.webm')
  await setCaptions(services, video.id, read('comb.vtt').toString('utf8'))
}
