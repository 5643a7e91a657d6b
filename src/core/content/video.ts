/** The largest video that is taken, in bytes, and what is said of one that is larger. */
export const MAX_VIDEO_BYTES = 300 * 1024 * 1024
export const VIDEO_TOO_LARGE = 'This video is over 300 MB. Export it smaller first; 720p is enough for a checkout page.'
/** A video comes in parts of so many bytes; only the last may be shorter. */
export const VIDEO_PART_BYTES = 1024 * 1024

/** What plays in every browser, by the names that programs give to codecs. */
const PLAYS_EVERYWHERE = { video: ['avc', 'vp8', 'vp9'], audio: ['aac', 'mp3', 'opus', 'vorbis'] }
const NAMES: Record<string, string> = {
  hevc: 'H.265 (HEVC)',
  av1: 'AV1',
  prores: 'ProRes',
  ac3: 'AC-3',
  eac3: 'E-AC-3',
}

/** What may not play everywhere in a video, and what to do; null where nothing is. @param codecs null: not known. */
export function codecWarning(codecs: { video: string | null; audio: string | null | undefined }): string | null {
  const { video, audio } = codecs
  if (video === null || !PLAYS_EVERYWHERE.video.includes(video)) {
    return `Its picture is ${named(video)}, which does not play in every browser. Export it as H.264 (MP4) and upload that.`
  }
  if (audio !== undefined && (audio === null || !PLAYS_EVERYWHERE.audio.includes(audio))) {
    return `Its sound is ${named(audio)}, which does not play in every browser. Export it with AAC sound and upload that.`
  }
  return null
}

function named(codec: string | null): string {
  return codec === null ? 'in a codec that we do not know' : (NAMES[codec] ?? codec.toUpperCase())
}
