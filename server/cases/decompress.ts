/** Compressed pieces of files, never larger than stated: a small file must not fill the memory. */
// the type checks of the app and of the server read this file, each with files of its own
// eslint-disable-next-line @typescript-eslint/triple-slash-reference
/// <reference path="./lz4js.d.ts" />
import type { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { promisify } from 'node:util'
import { constants, createGunzip, gunzip, inflate, inflateSync } from 'node:zlib'
import { decompressBlock } from 'lz4js'
import xz from 'xz-decompress'
import type { Compression } from '../../core/formats/ByteSource'

/** No stream of this kind unpacks to more (RFC 1951: 258 bytes from 2 bits). */
const BEST_RATIO = 1032
const MOST_AT_ONCE = 4 * 2 ** 20
/** Handing a piece of this size to the threads of the library takes as long as inflating it here. */
const SMALL_PIECE = 64 * 2 ** 10
const INFLATED_CHUNK = 256 * 2 ** 10
const inflateAsync = promisify(inflate)
const gunzipAsync = promisify(gunzip)

/**
 * @param size  bytes that come out at most
 * @throws Error when the piece is damaged or longer
 */
export async function decompress(method: Compression, bytes: Uint8Array, size: number): Promise<Uint8Array> {
  // out of one piece where the claim can be true: with room to spare its end is found at once
  const chunkSize = Math.max(64, Math.min(size + 64, BEST_RATIO * bytes.length, MOST_AT_ONCE))
  const limit = { maxOutputLength: Math.max(size, 1), chunkSize }
  switch (method) {
    case 'zlib':
      return size <= SMALL_PIECE ? inflateSync(bytes, limit) : inflateAsync(bytes, limit)
    case 'gzip':
      return gunzipAsync(bytes, limit)
    case 'gzip-start':
      return gunzipAsync(bytes, { ...limit, finishFlush: constants.Z_SYNC_FLUSH })
    case 'lz4': {
      const out = new Uint8Array(size)
      const n = decompressBlock(bytes, out, 0, bytes.length, 0)
      if (!(n >= 0 && n <= size)) throw new Error('damaged')
      return out.subarray(0, n)
    }
    case 'xz':
      return readXz(bytes, size)
  }
}

/** Bytes of a gzip stream as they are inflated. @throws Error when it is damaged */
export async function* inflateStream(packed: Readable): AsyncGenerator<Uint8Array> {
  const out = createGunzip({ chunkSize: INFLATED_CHUNK })
  const done = pipeline(packed, out)
  // what fails is thrown by the reading of its end
  done.catch(() => undefined)
  try {
    yield* out
  } finally {
    out.destroy()
    packed.destroy()
  }
}

async function readXz(bytes: Uint8Array, size: number): Promise<Uint8Array> {
  const out = new Uint8Array(size)
  let at = 0
  const source = new ReadableStream<Uint8Array>({
    start(controller) {
      controller.enqueue(new Uint8Array(bytes))
      controller.close()
    },
  })
  const reader = new xz.XzReadableStream(source).getReader() as ReadableStreamDefaultReader<Uint8Array>
  for (;;) {
    const { done, value } = await reader.read()
    if (done) return out.subarray(0, at)
    if (at + value.length > size) {
      await reader.cancel().catch(() => undefined)
      throw new Error('longer than stated')
    }
    out.set(value, at)
    at += value.length
  }
}
