/** Walks through the bytes of a file that is read whole: words, lines, numbers, binary pieces. Positions are in bytes. */
import { FormatError } from '../errors'
import type { ByteSource } from './ByteSource'
import { plainNumber, plainValue } from './plainNumbers'

/** Files of formats without an index are read whole, up to this size. */
const MAX_WHOLE = 2 ** 32 - 2 ** 16
const NEWLINE = 10

export async function readWhole(source: ByteSource): Promise<Uint8Array> {
  if (source.size > MAX_WHOLE)
    throw new FormatError(
      'too-large',
      `${source.name} has ${source.size} bytes, more than this kind of file is read with; convert it to a .vtu first.`,
    )
  return source.read(0, source.size)
}

const latin = new TextDecoder('latin1')

export class TextScanner {
  at = 0

  constructor(
    readonly bytes: Uint8Array,
    readonly name: string,
  ) {}

  get isAtEnd(): boolean {
    this.skipSpace()
    return this.at >= this.bytes.length
  }

  skipSpace(): void {
    const { bytes } = this
    while (this.at < bytes.length && bytes[this.at]! <= 32) this.at++
  }

  /** The next word; empty at the end. */
  word(): string {
    this.skipSpace()
    const { bytes } = this
    const start = this.at
    while (this.at < bytes.length && bytes[this.at]! > 32) this.at++
    return latin.decode(bytes.subarray(start, this.at))
  }

  /** The rest of the line without its end; undefined at the end of the file. */
  line(): string | undefined {
    if (this.at >= this.bytes.length) return undefined
    const found = this.bytes.indexOf(NEWLINE, this.at)
    const end = found < 0 ? this.bytes.length : found
    const text = latin.decode(this.bytes.subarray(this.at, end))
    this.at = found < 0 ? end : end + 1
    return text.endsWith('\r') ? text.slice(0, -1) : text
  }

  /** The next number, or the word that is none; empty at the end. */
  numberOrWord(): number | string {
    this.skipSpace()
    const end = plainNumber(this.bytes, this.at)
    if (end >= 0 && !(this.bytes[end]! > 32)) {
      this.at = end
      return plainValue()
    }
    const word = this.word()
    return parseNumber(word) ?? word
  }

  /** @throws FormatError when the next word is no number, with its byte */
  number(what: string): number {
    const word = this.numberOrWord()
    if (typeof word === 'number') return word
    if (word === '') throw this.cutOff(what)
    throw new FormatError(
      'bad-number',
      `${this.name}: “${word.slice(0, 30)}” at byte ${this.at - word.length} should be a number of ${what}; the file is damaged.`,
    )
  }

  /** A count that the rest of the file can hold at `bytesEach` bytes an item at least. */
  count(what: string, bytesEach = 1): number {
    const value = this.number(what)
    if (!Number.isInteger(value) || value < 0)
      throw new FormatError('bad-count', `${this.name}: ${value} is no usable number of ${what}; the file is damaged.`)
    if (value * bytesEach > this.bytes.length - this.at + 1) throw this.cutOff(`${value} ${what}`)
    return value
  }

  numbers(n: number, what: string): Float64Array {
    const out = new Float64Array(n)
    for (let i = 0; i < n; i++) out[i] = this.number(what)
    return out
  }

  /** The next `n` bytes as they are. */
  binary(n: number, what: string): Uint8Array {
    if (!(n >= 0 && this.at + n <= this.bytes.length)) throw this.cutOff(what)
    const found = this.bytes.subarray(this.at, this.at + n)
    this.at += n
    return found
  }

  cutOff(what: string): FormatError {
    return new FormatError(
      'cut-off',
      `${this.name} ends at byte ${this.bytes.length} where ${what} should follow: it is cut off; copy it again.`,
    )
  }
}

/** Also the spellings of not-a-number, infinities and Fortran exponents; undefined for other words. */
export function parseNumber(word: string): number | undefined {
  if (word === '') return undefined
  const value = Number(word)
  if (!Number.isNaN(value)) return value
  const lower = word.toLowerCase()
  if (/^[-+]?nan(\(.*\))?$/.test(lower)) return NaN
  const infinite = /^([-+]?)inf(inity)?$/.exec(lower)
  if (infinite) return infinite[1] === '-' ? -Infinity : Infinity
  // 1.5D+03, and 1.5+103 when the exponent takes three digits
  const fortran = /^([-+]?[\d.]+)(?:d|(?=[-+]))([-+]?\d+)$/.exec(lower)
  return fortran ? Number(`${fortran[1]}e${fortran[2]}`) : undefined
}

export type BinaryType = 'int8' | 'uint8' | 'int16' | 'uint16' | 'int32' | 'uint32' | 'int64' | 'uint64' | 'float32' | 'float64'

const sizes: Record<BinaryType, number> = {
  int8: 1,
  uint8: 1,
  int16: 2,
  uint16: 2,
  int32: 4,
  uint32: 4,
  int64: 8,
  uint64: 8,
  float32: 4,
  float64: 8,
}

export function binarySize(type: BinaryType): number {
  return sizes[type]
}

/** Numbers of one type in either byte order; float32 stays single, all else becomes float64. */
export function decodeNumbers(bytes: Uint8Array, type: BinaryType, isLittleEndian: boolean): Float32Array | Float64Array {
  const size = sizes[type]
  const n = Math.floor(bytes.length / size)
  const view = new DataView(bytes.buffer, bytes.byteOffset, n * size)
  const out = type === 'float32' ? new Float32Array(n) : new Float64Array(n)
  const little = isLittleEndian
  switch (type) {
    case 'float32':
      for (let i = 0; i < n; i++) out[i] = view.getFloat32(4 * i, little)
      break
    case 'float64':
      for (let i = 0; i < n; i++) out[i] = view.getFloat64(8 * i, little)
      break
    case 'int32':
      for (let i = 0; i < n; i++) out[i] = view.getInt32(4 * i, little)
      break
    case 'uint32':
      for (let i = 0; i < n; i++) out[i] = view.getUint32(4 * i, little)
      break
    case 'int64':
      for (let i = 0; i < n; i++) out[i] = Number(view.getBigInt64(8 * i, little))
      break
    case 'uint64':
      for (let i = 0; i < n; i++) out[i] = Number(view.getBigUint64(8 * i, little))
      break
    case 'int16':
      for (let i = 0; i < n; i++) out[i] = view.getInt16(2 * i, little)
      break
    case 'uint16':
      for (let i = 0; i < n; i++) out[i] = view.getUint16(2 * i, little)
      break
    case 'int8':
      for (let i = 0; i < n; i++) out[i] = view.getInt8(i)
      break
    case 'uint8':
      for (let i = 0; i < n; i++) out[i] = bytes[i]!
  }
  return out
}
