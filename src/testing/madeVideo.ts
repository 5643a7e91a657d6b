import {
  BufferTarget,
  EncodedAudioPacketSource,
  EncodedPacket,
  EncodedVideoPacketSource,
  Mp4OutputFormat,
  Output,
} from 'mediabunny'

/** A second of MP4 whose packets hold nothing: what is told of it stands in its head. */
export async function madeVideo(video: 'avc' | 'hevc', audio: 'aac' | 'flac' | null = null): Promise<Buffer> {
  const output = new Output({ format: new Mp4OutputFormat(), target: new BufferTarget() })
  const pictures = new EncodedVideoPacketSource(video)
  output.addVideoTrack(pictures)
  const sound = audio && new EncodedAudioPacketSource(audio)
  if (sound) output.addAudioTrack(sound)
  await output.start()
  const codec = video === 'avc' ? 'avc1.42001f' : 'hvc1.1.6.L93.B0'
  const config = { codec, codedWidth: 320, codedHeight: 180, description: HEADS[video] }
  await pictures.add(new EncodedPacket(new Uint8Array(16), 'key', 0, 1), { decoderConfig: config })
  if (sound) {
    const head = { codec: audio === 'aac' ? 'mp4a.40.2' : 'flac', numberOfChannels: 1, sampleRate: 48_000 }
    const description = audio === 'aac' ? new Uint8Array([0x11, 0x88]) : flacHead()
    await sound.add(new EncodedPacket(new Uint8Array(16), 'key', 0, 1), { decoderConfig: { ...head, description } })
  }
  await output.finalize()
  return Buffer.from(output.target.buffer as ArrayBuffer)
}

/** What a decoder would be told (ISO/IEC 14496-15): one parameter set each, empty. */
const HEADS = {
  avc: new Uint8Array([1, 0x42, 0, 0x1f, 0xff, 0xe1, 0, 4, 0x67, 0x42, 0, 0x1f, 1, 0, 4, 0x68, 0xce, 0x3c, 0x80]),
  hevc: new Uint8Array([1, 1, 0x60, 0, 0, 0, 0x90, 0, 0, 0, 0, 0, 93, 0xf0, 0, 0xfc, 0xfd, 0xf8, 0xf8, 0, 0, 0xf, 0]),
}

function flacHead(): Uint8Array {
  const head = new Uint8Array(42)
  head.set([0x66, 0x4c, 0x61, 0x43, 0x80, 0, 0, 34, 0x10, 0, 0x10, 0, 0, 0, 0, 0, 0, 0, 0x0b, 0xb8, 0x00, 0xf0])
  return head
}
