/**
 * Reads one DataArray: ASCII, inline base64, appended base64 or raw; plain, zlib, lz4 or xz; both byte orders; all number types.
 *
 * Layout of binary data: one header word with the byte count, or, compressed, the words
 * [nBlocks, blockSize, lastBlockSize, compressedSize × nBlocks] and then the blocks. Base64 encodes header and data
 * one after the other, each padded on its own. Every length is checked against what is left before it is used.
 */
import { FormatError } from '../../errors'
import { Growing } from '../../mesh/growing'
import type { ByteSource, Compression, SourceFolder } from '../ByteSource'
import type { XmlElement } from '../xmlTree'

export type NumberArray =
  | Float32Array | Float64Array | Int8Array | Uint8Array | Int16Array | Uint16Array | Int32Array | Uint32Array

export interface FileContext {
  source: ByteSource
  folder: SourceFolder
  isLittleEndian: boolean
  /** 4 or 8: size of a header word. */
  headerSize: number
  compressor: string | undefined
  appended: XmlElement | undefined
  /** Offsets of all appended arrays, ascending. */
  appendedStarts: number[]
}

type Constructor = new (buffer: ArrayBuffer, start: number, length: number) => NumberArray
/** 64-bit integers are read apart and come back as float64: exact to 2^53, more than any count in a mesh. */
const numberTypes: Record<string, { size: number; array?: Constructor; isInteger64?: 'signed' | 'unsigned' }> = {
  Float32: { size: 4, array: Float32Array },
  Float64: { size: 8, array: Float64Array },
  Int8: { size: 1, array: Int8Array },
  UInt8: { size: 1, array: Uint8Array },
  Int16: { size: 2, array: Int16Array },
  UInt16: { size: 2, array: Uint16Array },
  Int32: { size: 4, array: Int32Array },
  UInt32: { size: 4, array: Uint32Array },
  Int64: { size: 8, isInteger64: 'signed' },
  UInt64: { size: 8, isInteger64: 'unsigned' },
}

/** No single array may claim more than this many bytes: beyond it typed arrays end. */
const MAX_BYTES = 2 ** 33

/**
 * @param expected  number of values the array must have; undefined when any number will do
 * @throws FormatError naming the file and the array
 */
export async function readDataArray(file: FileContext, element: XmlElement, expected?: number): Promise<NumberArray> {
  const typeName = element.attributes['type'] ?? ''
  const type = numberTypes[typeName]
  const where = describe(file, element)
  if (!type) throw new FormatError('bad-type', `${where} is of type “${typeName}”, which holds no numbers that can be read.`)
  const values = element.attributes['format'] === 'ascii' || !element.attributes['format']
    ? await readAscii(file, element, type.array, where)
    : toNumbers(await readBinary(file, element, where), type, file.isLittleEndian, where)
  if (expected !== undefined && values.length !== expected) {
    throw new FormatError('wrong-length', `${where} has ${values.length} values instead of ${expected}; the file is inconsistent, write it again.`)
  }
  return values
}

/** Where the array is stored, encoded as it is: [start, end). Appended arrays end where the next one begins. */
export function storedRange(file: FileContext, element: XmlElement): [number, number] {
  if (element.attributes['format'] !== 'appended') return element.content
  const start = appendedStart(file, element, describe(file, element))
  const next = file.appendedStarts.find((offset) => file.appended!.content[0] + offset > start)
  return [start, next === undefined ? file.appended!.content[1] : file.appended!.content[0] + next]
}

export function describe(file: FileContext, element: XmlElement): string {
  return `${file.source.name}: array “${element.attributes['Name'] ?? 'without a name'}”`
}

async function readAscii(file: FileContext, element: XmlElement, array: Constructor | undefined, where: string): Promise<NumberArray> {
  const [start, end] = element.content
  const out = new Growing(Float64Array)
  const decoder = new TextDecoder('latin1')
  let rest = ''
  for (let at = start; at < end; at += 1 << 20) {
    const text = rest + decoder.decode(await file.source.read(at, Math.min(at + (1 << 20), end)))
    const cut = at + (1 << 20) >= end ? text.length : text.search(/\S*$/)
    rest = text.slice(cut)
    for (const word of text.slice(0, cut).split(/\s+/)) {
      if (word === '') continue
      const value = asciiNumber(word)
      if (value === undefined) throw new FormatError('bad-number', `${where} holds “${word.slice(0, 30)}”, which is not a number.`)
      out.push(value)
    }
  }
  const values = out.finish()
  if (!array || array === (Float64Array as unknown as Constructor)) return values
  const typed = new array(new ArrayBuffer(values.length * numberSize(array)), 0, values.length)
  typed.set(values as never)
  return typed
}

function numberSize(array: Constructor): number {
  return (array as unknown as { BYTES_PER_ELEMENT: number }).BYTES_PER_ELEMENT
}

function asciiNumber(word: string): number | undefined {
  const value = Number(word)
  if (!Number.isNaN(value)) return value
  const lower = word.toLowerCase()
  if (/^[-+]?nan(\(.*\))?$/.test(lower)) return NaN
  const infinite = /^([-+]?)inf(inity)?$/.exec(lower)
  return infinite ? (infinite[1] === '-' ? -Infinity : Infinity) : undefined
}

async function readBinary(file: FileContext, element: XmlElement, where: string): Promise<Uint8Array> {
  const format = element.attributes['format']
  if (format === 'binary') return decodeStream(file, new Base64Stream(file.source, ...element.content, where), where)
  if (format !== 'appended') throw new FormatError('bad-format', `${where} has the unknown format “${format}”.`)
  const start = appendedStart(file, element, where)
  const encoding = file.appended!.attributes['encoding'] ?? 'base64'
  const end = file.appended!.content[1]
  if (encoding === 'raw') return decodeStream(file, new RawStream(file.source, start, end, where), where)
  if (encoding === 'base64') return decodeStream(file, new Base64Stream(file.source, start, end, where), where)
  throw new FormatError('bad-encoding', `${where}: appended data in the unknown encoding “${encoding}”.`)
}

function appendedStart(file: FileContext, element: XmlElement, where: string): number {
  if (!file.appended) throw new FormatError('cut-off', `${where} is in appended data, but the file has none: it is cut off; copy it again.`)
  const offset = Number(element.attributes['offset'] ?? NaN)
  const start = file.appended.content[0] + offset
  if (!Number.isInteger(offset) || offset < 0 || start >= file.appended.content[1]) {
    throw new FormatError('cut-off', `${where} should begin at byte ${start}, but the file ends at byte ${file.source.size}: it is cut off; copy it again.`)
  }
  return start
}

/** Pieces of decoded bytes: `take` ends a piece, base64 padding included. */
interface ByteStream {
  take(n: number): Promise<Uint8Array>
  /** Whether the first n bytes are a piece of their own; writers differ on the header of uncompressed base64. */
  endsPiece(n: number): Promise<boolean>
}

class RawStream implements ByteStream {
  constructor(
    private readonly source: ByteSource,
    private at: number,
    private readonly end: number,
    private readonly where: string,
  ) {}

  async take(n: number): Promise<Uint8Array> {
    if (!(n >= 0 && this.at + n <= this.end)) throw cutOff(this.where, n, this.end - this.at)
    const bytes = await this.source.read(this.at, this.at + n)
    this.at += n
    return bytes
  }

  async endsPiece(): Promise<boolean> {
    return true
  }
}

class Base64Stream implements ByteStream {
  private at: number
  private readonly end: number

  constructor(
    private readonly source: ByteSource,
    start: number,
    end: number,
    private readonly where: string,
  ) {
    this.at = start
    this.end = end
  }

  async take(n: number): Promise<Uint8Array> {
    await this.skipSpace()
    const length = 4 * Math.ceil(n / 3)
    if (!(n >= 0 && this.at + length <= this.end)) throw cutOff(this.where, n, Math.floor(((this.end - this.at) / 4) * 3))
    const text = await this.source.read(this.at, this.at + length)
    this.at += length
    const bytes = decodeBase64(text)
    if (!bytes || bytes.length < n) throw new FormatError('bad-base64', `${this.where} is not valid base64; the file is damaged.`)
    return bytes.subarray(0, n)
  }

  async endsPiece(n: number): Promise<boolean> {
    await this.skipSpace()
    const last = this.at + 4 * Math.ceil(n / 3)
    return n % 3 === 0 || (last <= this.end && (await this.source.read(last - 1, last))[0] === 0x3d)
  }

  private async skipSpace(): Promise<void> {
    const head = await this.source.read(this.at, Math.min(this.at + 256, this.end))
    let i = 0
    while (i < head.length && head[i]! <= 0x20) i++
    this.at += i
  }
}

function cutOff(where: string, wanted: number, left: number): FormatError {
  return new FormatError('cut-off', `${where} needs ${wanted} bytes where only ${Math.max(left, 0)} are left: the file is cut off or damaged; copy it again.`)
}

const base64Values = new Int8Array(256).fill(-1)
;[...'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/'].forEach((ch, i) => (base64Values[ch.charCodeAt(0)] = i))

/** Decodes whole quads; undefined when a character is not base64. */
function decodeBase64(text: Uint8Array): Uint8Array | undefined {
  const out = new Uint8Array((text.length / 4) * 3)
  let o = 0
  for (let i = 0; i < text.length; i += 4) {
    const a = base64Values[text[i]!]!
    const b = base64Values[text[i + 1]!]!
    const pad3 = text[i + 2] === 0x3d
    const pad4 = text[i + 3] === 0x3d
    const c = pad3 ? 0 : base64Values[text[i + 2]!]!
    const d = pad4 ? 0 : base64Values[text[i + 3]!]!
    if ((a | b | c | d) < 0 || (pad3 && !pad4)) return undefined
    out[o++] = (a << 2) | (b >> 4)
    if (!pad3) out[o++] = ((b << 4) | (c >> 2)) & 255
    if (!pad4) out[o++] = ((c << 6) | d) & 255
  }
  return out.subarray(0, o)
}

async function decodeStream(file: FileContext, stream: ByteStream, where: string): Promise<Uint8Array> {
  const { headerSize } = file
  if (!file.compressor) {
    const size = checkedSize(await peekCount(file, stream), where)
    if (!(await stream.endsPiece(headerSize))) return (await stream.take(headerSize + size)).subarray(headerSize)
    await stream.take(headerSize)
    return stream.take(size)
  }
  const method = compressors[file.compressor]
  if (!method) throw new FormatError('compressor', `${where} is compressed with ${file.compressor}, which is not read; write it uncompressed or with zlib.`)
  return decodeCompressed(file, method, stream, where)
}

const compressors: Record<string, Compression> = { vtkZLibDataCompressor: 'zlib', vtkLZ4DataCompressor: 'lz4', vtkLZMADataCompressor: 'xz' }
/** The best each method can pack: larger claims are false. Xz packs runs without bound, its blocks are bounded instead. */
const BEST_RATIO: Record<Compression, number> = { zlib: 1100, gzip: 1100, 'gzip-start': 1100, lz4: 260, xz: 1e6 }

async function decodeCompressed(file: FileContext, method: Compression, stream: ByteStream, where: string): Promise<Uint8Array> {
  const table = await readBlockTable(file, method, stream, where)
  if (!table) return new Uint8Array(0)
  const { sizes, blockSize, total } = table
  checkedSize(total, where)
  const all = await stream.take(sizes.reduce((a, b) => a + b, 0))
  const out = new Uint8Array(total)
  const starts = [0]
  for (const size of sizes) starts.push(starts[starts.length - 1]! + size)
  for (let first = 0; first < sizes.length; first += INFLATED_TOGETHER) {
    const together = sizes.slice(first, first + INFLATED_TOGETHER).map(async (_, i) => {
      const k = first + i
      const size = Math.min(blockSize, total - k * blockSize)
      out.set(await inflateBlock(file, method, all.subarray(starts[k]!, starts[k + 1]!), size, `${where}: compressed block ${k + 1} of ${sizes.length}`), k * blockSize)
    })
    await Promise.all(together)
  }
  return out
}

/** Compressed blocks in the hands of other threads at a time. */
export const INFLATED_TOGETHER = 32

interface BlockTable {
  /** Compressed bytes of each block. */
  sizes: number[]
  blockSize: number
  total: number
}

/** The header of a compressed array; undefined when it has no blocks. */
async function readBlockTable(file: FileContext, method: Compression, stream: ByteStream, where: string): Promise<BlockTable | undefined> {
  // base64 pads the whole header at its end, so its length must be known before it is taken: peek through the count
  const { headerSize } = file
  const nBlocks = checkedSize(await peekCount(file, stream), where)
  if (nBlocks === 0) return undefined
  if (nBlocks > 1 << 24) throw new FormatError('bad-header', `${where} claims ${nBlocks} compressed blocks; the file is damaged.`)
  const words = readWords(await stream.take((3 + nBlocks) * headerSize), file)
  const [, blockSize, lastSize] = words as [number, number, number]
  const total = lastSize ? (nBlocks - 1) * blockSize + lastSize : nBlocks * blockSize
  const sizes = words.slice(3)
  const packed = sizes.reduce((a, b) => a + b, 0)
  if (total > BEST_RATIO[method] * packed + 64 || !(blockSize > 0 && blockSize <= MAX_BYTES) || lastSize > blockSize) {
    throw new FormatError('bad-header', `${where} claims ${total} bytes from ${packed} compressed ones; the file is damaged.`)
  }
  return { sizes, blockSize, total }
}

async function inflateBlock(file: FileContext, method: Compression, bytes: Uint8Array, size: number, where: string): Promise<Uint8Array> {
  let block: Uint8Array
  try {
    block = await file.folder.decompress(method, bytes, size)
  } catch {
    throw new FormatError('bad-block', `${where} is damaged; copy the file again.`)
  }
  if (block.length !== size) throw new FormatError('bad-block', `${where} has ${block.length} bytes instead of ${size}; the file is damaged.`)
  return block
}

/** Where the values of an array stand in the file, for reading parts of it. */
export interface RawArray {
  /** Byte of the first value, when it is not compressed. */
  start: number
  bytes: number
  /** Bytes of a value. */
  size: number
  toNumbers(bytes: Uint8Array): NumberArray
  blocks?: { size: number; read(k: number): Promise<Uint8Array> }
}

/** undefined when the array is not appended raw. @throws FormatError for what is damaged */
export async function openRaw(file: FileContext, element: XmlElement): Promise<RawArray | undefined> {
  if (element.attributes['format'] !== 'appended' || file.appended?.attributes['encoding'] !== 'raw') return undefined
  const where = describe(file, element)
  const type = numberTypes[element.attributes['type'] ?? '']
  const method = file.compressor ? compressors[file.compressor] : undefined
  if (!type || (file.compressor && !method)) return undefined
  const start = appendedStart(file, element, where)
  const end = file.appended.content[1]
  const stream = new RawStream(file.source, start, end, where)
  const common = { size: type.size, toNumbers: (bytes: Uint8Array) => toNumbers(bytes, type, file.isLittleEndian, where) }
  if (!method) {
    const bytes = await peekCount(file, stream)
    if (!(bytes <= end - start - file.headerSize)) throw cutOff(where, bytes, end - start - file.headerSize)
    return { ...common, start: start + file.headerSize, bytes }
  }
  const table = await readBlockTable(file, method, stream, where)
  if (!table) return { ...common, start, bytes: 0 }
  const { sizes, blockSize, total } = table
  const starts = [start + (3 + sizes.length) * file.headerSize]
  for (const size of sizes) starts.push(starts[starts.length - 1]! + size)
  if (starts[sizes.length]! > end) throw cutOff(where, starts[sizes.length]! - start, end - start)
  const read = async (k: number): Promise<Uint8Array> =>
    inflateBlock(file, method, await file.source.read(starts[k]!, starts[k + 1]!), Math.min(blockSize, total - k * blockSize), `${where}: compressed block ${k + 1} of ${sizes.length}`)
  return { ...common, start, bytes: total, blocks: { size: blockSize, read } }
}

/** The first header word, without moving the stream on. */
async function peekCount(file: FileContext, stream: ByteStream): Promise<number> {
  const copy: ByteStream = Object.assign(Object.create(Object.getPrototypeOf(stream) as object), stream) as ByteStream
  return readWords(await copy.take(file.headerSize), file)[0]!
}

function readWords(bytes: Uint8Array, { headerSize, isLittleEndian }: FileContext): number[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const words: number[] = []
  for (let at = 0; at + headerSize <= bytes.length; at += headerSize) {
    words.push(headerSize === 4 ? view.getUint32(at, isLittleEndian) : Number(view.getBigUint64(at, isLittleEndian)))
  }
  return words
}

function checkedSize(size: number, where: string): number {
  if (size >= 0 && size <= MAX_BYTES) return size
  throw new FormatError('bad-header', `${where} claims ${size} bytes; the file is damaged.`)
}

function toNumbers(bytes: Uint8Array, type: (typeof numberTypes)[string], isLittleEndian: boolean, where: string): NumberArray {
  if (bytes.length % type.size) throw new FormatError('wrong-length', `${where} has ${bytes.length} bytes, which is no whole number of values; the file is damaged.`)
  const n = bytes.length / type.size
  const mustSwap = !isLittleEndian && type.size > 1
  // a part of a larger buffer may not be aligned, and is not its own
  const aligned = bytes.byteLength < bytes.buffer.byteLength || mustSwap ? new Uint8Array(bytes) : (bytes as Uint8Array<ArrayBuffer>)
  if (mustSwap) swapBytes(aligned, type.size)
  if (type.array) return new type.array(aligned.buffer, 0, n)
  const out = new Float64Array(n)
  const low = new Uint32Array(aligned.buffer, 0, 2 * n)
  const high = type.isInteger64 === 'signed' ? new Int32Array(aligned.buffer, 0, 2 * n) : low
  for (let i = 0; i < n; i++) out[i] = high[2 * i + 1]! * 4294967296 + low[2 * i]!
  return out
}

function swapBytes(bytes: Uint8Array, size: number): void {
  for (let at = 0; at < bytes.length; at += size) {
    for (let i = 0, j = size - 1; i < j; i++, j--) {
      const kept = bytes[at + i]!
      bytes[at + i] = bytes[at + j]!
      bytes[at + j] = kept
    }
  }
}
