/**
 * Reads the dictionaries and lists of OpenFOAM-type files: ASCII and binary, any label and scalar size, either byte order.
 *
 * Only what results need is understood; everything else is passed over, lists by their length, so that binary data is never
 * taken for text.
 */
import { FormatError } from '../../errors'
import { Growing } from '../../mesh/growing'
import { decodeNumbers, parseNumber } from '../TextScanner'
import { plainNumber, plainValue } from '../plainNumbers'
import type { BinaryType } from '../TextScanner'

const SPACE = 32
const OPEN = 0x28
/** Names that stand for names, one after the other. */
const MOST_MACROS = 20
/** Bytes that hold the header of a file, as a rule. */
export const HEAD = 1 << 14

const latin = new TextDecoder('latin1')

export class FoamReader {
  at = 0
  readonly header: Record<string, string>
  readonly isBinary: boolean
  private readonly isLittleEndian: boolean
  private readonly labelType: BinaryType
  private readonly scalarType: BinaryType

  /**
   * @param header  that of the file, where these bytes are from further behind
   * @param macros  where the entries stand that `$name` stands for, in this file or in one that it includes
   */
  constructor(
    private readonly bytes: Uint8Array,
    readonly name: string,
    header?: Record<string, string>,
    readonly macros = new Map<string, { reader: FoamReader; at: number }>(),
  ) {
    this.header = header ?? this.readHeader()
    const { arch = '' } = this.header
    this.isBinary = this.header['format'] === 'binary'
    this.isLittleEndian = !arch.includes('MSB')
    this.labelType = arch.includes('label=64') ? 'int64' : 'int32'
    this.scalarType = arch.includes('scalar=32') ? 'float32' : 'float64'
  }

  get class(): string {
    return this.header['class'] ?? ''
  }

  private readHeader(): Record<string, string> {
    const start = this.at
    if (this.token() !== 'FoamFile') {
      this.at = start
      return {}
    }
    this.expect('{')
    const entries: Record<string, string> = {}
    for (;;) {
      const key = this.token()
      if (key === '}') return entries
      if (key === '') throw this.damaged('its header does not end')
      let value = ''
      for (let word = this.token(); word !== ';'; word = this.token()) {
        if (word === '') throw this.damaged('its header does not end')
        value += value ? ` ${word}` : word
      }
      entries[key] = value.replace(/^"|"$/g, '')
    }
  }

  /** Next word, quoted text or single sign of `{}()[];`; empty at the end. */
  token(): string {
    this.skipSpace()
    const { bytes } = this
    if (this.at >= bytes.length) return ''
    const start = this.at
    const first = String.fromCharCode(bytes[start]!)
    if ('{}()[];'.includes(first)) {
      this.at++
      return first
    }
    if (first === '"') {
      const end = bytes.indexOf(0x22, start + 1)
      if (end < 0) throw this.damaged('a quoted text does not end')
      this.at = end + 1
      return latin.decode(bytes.subarray(start, end + 1))
    }
    while (this.at < bytes.length && bytes[this.at]! > SPACE && !isSign(bytes[this.at]!)) this.at++
    return latin.decode(bytes.subarray(start, this.at))
  }

  peek(): string {
    const start = this.at
    const token = this.token()
    this.at = start
    return token
  }

  expect(sign: string): void {
    const found = this.token()
    if (found !== sign) throw this.damaged(found === '' ? `it ends where “${sign}” should follow: it is cut off` : `“${found.slice(0, 30)}” stands at byte ${this.at - found.length} instead of “${sign}”`)
  }

  number(): number {
    this.skipSpace()
    const end = plainNumber(this.bytes, this.at)
    if (end >= 0 && (end === this.bytes.length || this.bytes[end]! <= SPACE || isSign(this.bytes[end]!))) {
      this.at = end
      return plainValue()
    }
    const word = this.token()
    const value = parseNumber(word)
    if (value === undefined) throw this.damaged(word === '' ? 'it is cut off' : `“${word.slice(0, 30)}” at byte ${this.at - word.length} is no number`)
    return value
  }

  private isOpen(): boolean {
    this.skipSpace()
    return this.bytes[this.at] === OPEN
  }

  /** The same as `expect` of a single sign, for what comes a million times. */
  private sign(sign: '(' | ')'): void {
    this.skipSpace()
    if (this.bytes[this.at] === sign.charCodeAt(0)) this.at++
    else this.expect(sign)
  }

  private skipSpace(): void {
    const { bytes } = this
    for (;;) {
      while (this.at < bytes.length && bytes[this.at]! <= SPACE) this.at++
      if (bytes[this.at] !== 0x2f) return
      if (bytes[this.at + 1] === 0x2f) {
        const end = bytes.indexOf(10, this.at)
        this.at = end < 0 ? bytes.length : end + 1
      } else if (bytes[this.at + 1] === 0x2a) {
        let end = bytes.indexOf(0x2a, this.at + 2)
        while (end >= 0 && bytes[end + 1] !== 0x2f) end = bytes.indexOf(0x2a, end + 1)
        if (end < 0) throw this.damaged('a comment does not end')
        this.at = end + 2
      } else return
    }
  }

  damaged(reason: string): FormatError {
    return new FormatError('bad-foam', `${this.name}: ${reason}; copy it again or write it anew.`)
  }

  /** Count before a list; checked against what is left. */
  private listCount(): number {
    const n = this.number()
    // in the tightest ASCII form an item takes two bytes, as `0 `; a repeated item is not stored n times
    if (!Number.isInteger(n) || n < 0) throw this.damaged(`${n} is no usable number of items`)
    return n
  }

  /**
   * A reader at what `$name` or `${name}` stands for, this one then standing behind the name; undefined where none follows.
   *
   * @throws FormatError for a name that stands for nothing, or in the end for itself
   */
  macro(): FoamReader | undefined {
    let found = this.named()
    for (let i = 0; found && i < MOST_MACROS; i++) {
      const reader = new FoamReader(found.reader.bytes, found.reader.name, found.reader.header, this.macros)
      reader.at = found.at
      found = reader.named()
      if (!found) return reader
    }
    if (found) throw this.damaged('a name with “$” stands for itself')
    return undefined
  }

  private named(): { reader: FoamReader; at: number } | undefined {
    const before = this.at
    const word = this.token()
    if (!word.startsWith('$')) {
      this.at = before
      return undefined
    }
    let name = word.slice(1)
    if (name === '' && this.peek() === '{') {
      this.expect('{')
      name = this.token()
      this.expect('}')
    }
    const found = this.macros.get(name.replace(/^[:.]+/, ''))
    if (!found) throw this.damaged(`“$${name}” at byte ${this.at - name.length} stands for nothing in it or in what it includes`)
    return found
  }

  /** Notes where an entry stands whose name was read, and passes over it; over a directive with what it names. */
  noteEntry(key: string): void {
    if (isDirective(key)) return this.skipDirective(key)
    this.macros.set(key, { reader: this, at: this.at })
    this.skipEntry()
  }

  /** Passes over `#include "file"`, `#remove "names"` and the like, which have no `;` at their end, and over `$name` as an entry. */
  skipDirective(key: string): void {
    if (key === '#endif' || key === '#else') return
    if (key.startsWith('$')) {
      if (key === '$') this.skipEntry()
      if (this.peek() === ';') this.token()
    } else if (this.peek() === '{') this.skipEntry()
    else this.token()
  }

  /** Names of files that the beginning of this one includes. */
  includes(): string[] {
    const text = latin.decode(this.bytes.subarray(0, HEAD))
    return [...text.matchAll(/^\s*#include(?:IfPresent)?\s+"([^"]+)"/gm)].map((match) => match[1]!)
  }

  /** Bytes from further behind in the same file. */
  continued(bytes: Uint8Array): FoamReader {
    return new FoamReader(bytes, this.name, this.header)
  }

  /** Items of the raw list that begins here, the reader then standing at its first one; undefined, and not moved, where it is none. */
  rawCount(): number | undefined {
    const before = this.at
    if (this.isBinary) {
      const n = this.listCount()
      if (n > 0 && this.token() === '(') return n
    }
    this.at = before
    return undefined
  }

  get labelBytes(): number {
    return this.labelType === 'int64' ? 8 : 4
  }

  get scalarBytes(): number {
    return this.scalarType === 'float64' ? 8 : 4
  }

  /** Raw labels; -1 as the largest number. */
  labelsOf(bytes: Uint8Array): Uint32Array {
    const isAsInMemory = this.isLittleEndian && this.labelType === 'int32'
    return isAsInMemory ? new Uint32Array(new Uint8Array(bytes).buffer) : new Uint32Array(decodeNumbers(bytes, this.labelType, this.isLittleEndian))
  }

  /** Raw scalars. */
  scalarsOf(bytes: Uint8Array): Float32Array | Float64Array {
    if (!this.isLittleEndian) return decodeNumbers(bytes, this.scalarType, false)
    const { buffer } = new Uint8Array(bytes)
    return this.scalarType === 'float32' ? new Float32Array(buffer) : new Float64Array(buffer)
  }

  cutOff(n: number, at: number, end: number): FormatError {
    return this.damaged(`${n} numbers should follow at byte ${at}, but it ends at byte ${end}: it is cut off`)
  }

  private raw(n: number, type: BinaryType): Float32Array | Float64Array {
    const size = n * (type === 'int64' || type === 'float64' ? 8 : 4)
    if (this.at + size > this.bytes.length) throw this.cutOff(n, this.at, this.bytes.length)
    const values = decodeNumbers(this.bytes.subarray(this.at, this.at + size), type, this.isLittleEndian)
    this.at += size
    return values
  }

  /** `N(…)` or `N{one}` of labels; -1 as the largest number. */
  labels(): Uint32Array {
    return this.rawLabels() ?? new Uint32Array(this.list(1, this.labelType))
  }

  /** Labels that stand in the file as in memory; undefined where they do not. */
  private rawLabels(): Uint32Array | undefined {
    if (!this.isLittleEndian || this.labelType !== 'int32') return undefined
    const before = this.at
    const n = this.rawCount()
    if (n === undefined || this.at + 4 * n > this.bytes.length) {
      this.at = before
      return undefined
    }
    const labels = this.labelsOf(this.bytes.subarray(this.at, this.at + 4 * n))
    this.at += 4 * n
    this.expect(')')
    return labels
  }

  /** `N(…)` of scalars, or of tuples of `components` scalars. */
  scalars(components: number): Float32Array | Float64Array {
    return this.list(components, this.scalarType)
  }

  private list(components: number, type: BinaryType): Float32Array | Float64Array {
    const n = this.listCount()
    if (n === 0 && this.peek() !== '(' && this.peek() !== '{') return new Float64Array(0)
    const sign = this.token()
    if (sign === '{') {
      const one = this.tuple(components)
      this.expect('}')
      if (n * components > 2 ** 31) throw this.damaged(`${n} equal items are more than can be`)
      return Float64Array.from({ length: n * components }, (_, i) => one[i % components]!)
    }
    if (sign !== '(') throw this.damaged(`“${sign.slice(0, 30)}” stands where a list of ${n} should begin`)
    if (this.isBinary && n > 0) {
      const values = this.raw(n * components, type)
      this.expect(')')
      return values
    }
    if (2 * n * components > this.bytes.length - this.at + 1) throw this.damaged(`${n} items should follow at byte ${this.at}, but it ends at byte ${this.bytes.length}: it is cut off`)
    const values = new Float64Array(n * components)
    for (let i = 0; i < values.length; i += components) {
      if (components === 1) values[i] = this.isOpen() ? this.tuple(1)[0]! : this.number()
      else {
        this.sign('(')
        for (let c = 0; c < components; c++) values[i + c] = this.number()
        this.sign(')')
      }
    }
    this.expect(')')
    return values
  }

  /** A number, or `(a b c)`. */
  tuple(components: number): number[] {
    if (components === 1 && this.peek() !== '(') return [this.number()]
    this.expect('(')
    const values = Array.from({ length: components }, () => this.number())
    this.expect(')')
    return values
  }

  /** Faces as lists of points: one list per face, or offsets and points apart. */
  faces(): { offsets: Uint32Array; points: Uint32Array } {
    if (this.class === 'faceCompactList') {
      return { offsets: this.labels(), points: this.labels() }
    }
    const n = this.listCount()
    if (2 * n > this.bytes.length) throw this.damaged(`${n} faces should follow, but it ends at byte ${this.bytes.length}: it is cut off`)
    this.expect('(')
    const offsets = new Uint32Array(n + 1)
    const points = new Growing(Uint32Array)
    for (let f = 0; f < n; f++) {
      this.face(points)
      offsets[f + 1] = points.length
    }
    this.expect(')')
    return { offsets, points: points.finish() }
  }

  /** `N(…)` of a face; what is written otherwise is read as any list. */
  private face(points: Growing<Uint32Array>): void {
    const before = this.at
    const n = this.listCount()
    if (this.isBinary || !this.isOpen() || 2 * n > this.bytes.length - this.at) {
      this.at = before
      points.pushAll(this.labels())
      return
    }
    this.at++
    for (let i = 0; i < n; i++) points.push(this.number())
    this.sign(')')
  }

  /** Passes over the rest of an entry: to its `;`, or over its braces. */
  skipEntry(): void {
    let depth = 0
    for (;;) {
      const token = this.token()
      if (token === '') throw this.damaged('it is cut off')
      if (token === 'nonuniform') this.nonuniform()
      else if (token === '{' || token === '(' || token === '[') depth++
      else if (token === '}' || token === ')' || token === ']') {
        if (--depth === 0 && token === '}') return
      } else if (token === ';' && depth === 0) return
    }
  }

  /** What follows `nonuniform`: an optional `List<type>` and the list. */
  nonuniform(): Float32Array | Float64Array {
    const type = /^List<(\w+)>$/.exec(this.peek())?.[1]
    if (type) this.token()
    const components = type ? listTypes[type] : 1
    if (!components) throw this.damaged(`a list of “${type}” is not known`)
    return type === 'label' || type === 'bool' ? this.list(1, this.labelType) : this.scalars(components)
  }
}

/** Components of the items of a list by its type. */
export const scalarTypes: Record<string, number> = { scalar: 1, vector: 3, symmTensor: 6, tensor: 9, sphericalTensor: 1 }
const listTypes: Record<string, number> = { ...scalarTypes, label: 1, bool: 1 }

/** Whether what stands for the name of an entry is none. */
export function isDirective(key: string): boolean {
  return key.startsWith('#') || key.startsWith('$')
}

function isSign(byte: number): boolean {
  return byte === 0x7b || byte === 0x7d || byte === 0x28 || byte === 0x29 || byte === 0x5b || byte === 0x5d || byte === 0x3b
}
