/** Checksums of stored arrays, to tell whether two files hold the same mesh without decoding it. */
import type { ByteSource } from '../ByteSource'

const PAGE = 1 << 12
/** Bytes of an array that is always read in full. */
const SHORT = 1 << 18
/** Of a long array one page in sixteen, and of a very long one so many in all. */
const SAMPLED = 16
const MAX_SAMPLES = 256

/** Pages from one sample to the next. */
function strideOf(bytes: number): number {
  return Math.max(SAMPLED, Math.ceil(bytes / PAGE / MAX_SAMPLES))
}

/** FNV-1a over 32-bit words of a range of bytes: of all of them, or of a few pages where the range is long. */
export async function hashRange(source: ByteSource, start: number, end: number, isFull: boolean, seed: number): Promise<number> {
  const stride = isFull || end - start < SHORT ? 1 : strideOf(end - start)
  let hash = Math.imul(seed ^ (end - start), 0x01000193)
  // whole arrays are read by larger pieces
  const piece = stride === 1 ? 64 * PAGE : PAGE
  for (let at = start; at < end; at += stride * piece) {
    const bytes = new Uint8Array(await source.read(at, Math.min(at + piece, end)))
    const words = new Uint32Array(bytes.buffer, 0, bytes.length >> 2)
    for (let i = 0; i < words.length; i++) hash = Math.imul(hash ^ words[i]!, 0x01000193)
    for (let i = words.length << 2; i < bytes.length; i++) hash = Math.imul(hash ^ bytes[i]!, 0x01000193)
  }
  return hash
}
