/**
 * Binary arrays of a file, as bytes: raw or base64.
 *
 * Writers encode base64 in pieces, each padded on its own: a header, then the data. A stream takes pieces one after the other; what
 * follows a piece can be read by ranges.
 */
import { FormatError } from '../../errors'
import { sharedKernels } from '../../kernels/Kernels'
import type { ByteSource } from '../ByteSource'

export interface ByteStream {
  /** The next n bytes; ends a piece, padding included. */
  take(n: number): Promise<Uint8Array>
  /** Whether the first n bytes are a piece of their own; writers differ on the header of uncompressed base64. */
  endsPiece(n: number): Promise<boolean>
  /** All that was not taken, by ranges. The size is an upper bound: what comes behind an array in base64 may be no array. */
  rest(): Promise<ByteSource>
  /** The same from here on: taking from it leaves this one where it is. */
  copy(): ByteStream
}

/** Bytes [at, end) of a file. */
class Stretch {
  constructor(
    protected readonly source: ByteSource,
    protected at: number,
    protected readonly end: number,
    protected readonly where: string,
  ) {}
}

export class RawStream extends Stretch implements ByteStream {
  async take(n: number): Promise<Uint8Array> {
    if (!(n >= 0 && this.at + n <= this.end)) throw cutOff(this.where, n, this.end - this.at)
    const bytes = await this.source.read(this.at, this.at + n)
    this.at += n
    return bytes
  }

  async endsPiece(): Promise<boolean> {
    return true
  }

  async rest(): Promise<ByteSource> {
    const { source, at, end } = this
    return { name: source.name, size: end - at, read: (from, to) => source.read(at + from, at + to) }
  }

  copy(): RawStream {
    return new RawStream(this.source, this.at, this.end, this.where)
  }
}

export class Base64Stream extends Stretch implements ByteStream {
  async take(n: number): Promise<Uint8Array> {
    await this.skipSpace()
    const length = lettersOf(n)
    if (!(n >= 0 && this.at + length <= this.end)) throw cutOff(this.where, n, bytesOf(this.end - this.at))
    const bytes = await readBase64(this.source, this.at, this.at + length, this.where)
    this.at += length
    if (bytes.length < n) throw damaged(this.where)
    return bytes.subarray(0, n)
  }

  async endsPiece(n: number): Promise<boolean> {
    await this.skipSpace()
    if (n % 3 === 0) return true
    // the first letter of padding: data of one byte behind the header would end in the last one, too
    const pad = this.at + Math.ceil((4 * n) / 3)
    return pad < this.end && (await this.source.read(pad, pad + 1))[0] === 0x3d
  }

  async rest(): Promise<ByteSource> {
    await this.skipSpace()
    const { source, at, end, where } = this
    const read = async (from: number, to: number): Promise<Uint8Array> => {
      const first = Math.floor(from / 3)
      const bytes = await readBase64(source, at + 4 * first, at + lettersOf(to), where)
      if (bytes.length < to - 3 * first) throw damaged(where)
      return bytes.subarray(from - 3 * first, to - 3 * first)
    }
    return { name: source.name, size: bytesOf(end - at), read }
  }

  /** Where in the file the next n bytes end. */
  after(n: number): number {
    return this.at + lettersOf(n)
  }

  copy(): Base64Stream {
    return new Base64Stream(this.source, this.at, this.end, this.where)
  }

  private async skipSpace(): Promise<void> {
    const head = await this.source.read(this.at, Math.min(this.at + 256, this.end))
    let i = 0
    while (i < head.length && head[i]! <= 0x20) i++
    this.at += i
  }
}

export function cutOff(where: string, wanted: number, left: number): FormatError {
  return new FormatError(
    'cut-off',
    `${where} needs ${wanted} bytes where only ${Math.max(left, 0)} are left: the file is cut off or damaged; copy it again.`,
  )
}

function damaged(where: string): FormatError {
  return new FormatError('bad-base64', `${where} is not valid base64; the file is damaged.`)
}

function lettersOf(bytes: number): number {
  return 4 * Math.ceil(bytes / 3)
}

function bytesOf(letters: number): number {
  return 3 * Math.floor(letters / 4)
}

/** Letters decoded at a time: the memory of kernels never shrinks. */
const LETTERS = 1 << 20

async function readBase64(source: ByteSource, start: number, end: number, where: string): Promise<Uint8Array> {
  const text = await source.read(start, end)
  const out = new Uint8Array(bytesOf(text.length))
  let n = 0
  for (let at = 0; at < text.length; at += LETTERS) {
    // padding inside ends the data before its time
    const bytes = n === 3 * (at / 4) ? decodeBase64(text.subarray(at, at + LETTERS), out, n) : -1
    if (bytes < 0) throw damaged(where)
    n += bytes
  }
  return out.subarray(0, n)
}

function decodeBase64(text: Uint8Array, out: Uint8Array, to: number): number {
  const kernels = sharedKernels()
  return kernels.within(() => {
    const letters = kernels.put(text)
    const decoded = kernels.take(Uint8Array, bytesOf(text.length) + 1)
    const n = kernels.run.decodeBase64(letters, text.length - (text.length % 4), decoded)
    if (n > 0) out.set(kernels.view(Uint8Array, decoded, n), to)
    return text.length % 4 ? -1 : n
  })
}
