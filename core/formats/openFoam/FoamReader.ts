/**
 * Reads the dictionaries and lists of OpenFOAM-type files: ASCII and binary, any label and scalar size, either byte order.
 *
 * Only what results need is understood; everything else is passed over, lists by their length, so that binary data is never
 * taken for text.
 */
import type { FormatError } from '../../errors'
import type { Growing } from '../../mesh/growing'
import type { FloatArray } from '../../mesh/MeshBlock'
import { decodeNumbers } from '../TextScanner'
import type { BinaryType } from '../TextScanner'
import { FoamTokens } from './FoamTokens'

const CLOSE = 0x29
/** How many names may refer to further names. */
const MOST_MACROS = 20
/** Bytes that hold the header of a file, as a rule. */
export const HEAD = 1 << 14

const latin = new TextDecoder('latin1')

/** The beginning of a list: how many items it has and how they are stored. */
export interface ListHead {
  n: number
  form: 'none' | 'uniform' | 'raw' | 'text'
}

export type ListType = 'label' | 'scalar' | 'bool'

export class FoamReader extends FoamTokens {
  readonly isBinary: boolean
  private readonly isLittleEndian: boolean
  private readonly labelType: BinaryType
  private readonly scalarType: BinaryType

  /** @param macros  positions of the entries that `$name` refers to, in this file or in an included one */
  constructor(
    bytes: Uint8Array,
    name: string,
    header?: Record<string, string>,
    readonly macros = new Map<string, { reader: FoamReader; at: number }>(),
    first = 0,
  ) {
    super(bytes, name, header, first)
    const { arch = '' } = this.header
    this.isBinary = this.header['format'] === 'binary'
    this.isLittleEndian = !arch.includes('MSB')
    this.labelType = arch.includes('label=64') ? 'int64' : 'int32'
    this.scalarType = arch.includes('scalar=32') ? 'float32' : 'float64'
  }

  private listCount(): number {
    const n = this.number()
    if (!Number.isInteger(n) || n < 0) throw this.damaged(`${n} is no usable number of items`)
    return n
  }

  /**
   * A reader at the value of `$name` or `${name}`; this one is then behind the name. undefined if no name follows.
   *
   * @throws FormatError for a name that is undefined or refers to itself
   */
  macro(): FoamReader | undefined {
    let found = this.named()
    for (let i = 0; found && i < MOST_MACROS; i++) {
      const reader = new FoamReader(found.reader.bytes, found.reader.name, found.reader.header, this.macros, found.reader.first)
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
    if (!found) throw this.damaged(`“$${name}” at byte ${this.position - name.length} stands for nothing in it or in what it includes`)
    return found
  }

  /** Records the position of an entry whose name was read, and skips it; a directive with its arguments. */
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
  continued(bytes: Uint8Array, first: number): FoamReader {
    return new FoamReader(bytes, this.name, this.header, this.macros, first)
  }

  /**
   * Goes to the first item of the list that begins here; a list of equal items has only one, an empty list none.
   *
   * @param isOfLists  whether its items are lists, whose counts are text in front of them
   */
  listHead(isOfLists = false): ListHead {
    const n = this.listCount()
    const sign = this.peek()
    if (sign !== '(' && sign !== '{') {
      if (n === 0) return { n, form: 'none' }
      throw this.damaged(sign === '' ? 'it is cut off' : `“${sign.slice(0, 30)}” stands where a list of ${n} should begin`)
    }
    this.token()
    return { n, form: sign === '{' ? 'uniform' : this.isBinary && n > 0 && !isOfLists ? 'raw' : 'text' }
  }

  itemBytes(type: ListType): number {
    if (type === 'bool') return 1
    return (type === 'label' ? this.labelType : this.scalarType).endsWith('64') ? 8 : 4
  }

  /** As many items of a raw list as are complete in these bytes, `most` at most. */
  rawItems(type: ListType, components: number, most: number): Uint32Array | FloatArray {
    const size = components * this.itemBytes(type)
    const n = Math.min(most, Math.floor((this.bytes.length - this.at) / size))
    const bytes = this.bytes.subarray(this.at, (this.at += n * size))
    return type === 'bool' ? Uint32Array.from(bytes) : type === 'label' ? this.labelsOf(bytes) : this.scalarsOf(bytes)
  }

  /**
   * Reads items of a text list until `values` is full or these bytes end.
   *
   * @param isLast  whether nothing follows these bytes
   * @returns how many
   */
  textItems(values: Float64Array, components: number, isLast: boolean): number {
    return this.whole(values.length / components, isLast, (i) => this.textItem(values, i * components, components))
  }

  private textItem(values: Float64Array, at: number, components: number): void {
    const isTuple = this.isOpen()
    if (this.bytes[this.at] === CLOSE) throw this.damaged(`the list that ends at byte ${this.position} has fewer items than it states`)
    if (components === 1 && !isTuple) {
      values[at] = this.number()
      return
    }
    this.sign('(')
    for (let c = 0; c < components; c++) values[at + c] = this.number()
    this.sign(')')
  }

  /** Reads items until there are n; one in which these bytes end is left for later where others follow. @returns how many were read */
  private whole(n: number, isLast: boolean, read: (i: number) => void): number {
    let [i, before] = [0, this.at]
    this.metEnd = false
    try {
      for (; i < n; i++) {
        before = this.at
        read(i)
        if (this.metEnd && !isLast) break
      }
    } catch (error) {
      if (!this.metEnd || isLast) throw error
    }
    if (i < n) this.at = before
    return i
  }

  /** Raw labels; -1 as the largest number. */
  labelsOf(bytes: Uint8Array): Uint32Array {
    const isAsInMemory = this.isLittleEndian && this.labelType === 'int32'
    return isAsInMemory
      ? new Uint32Array(new Uint8Array(bytes).buffer)
      : new Uint32Array(decodeNumbers(bytes, this.labelType, this.isLittleEndian))
  }

  /** Raw scalars. */
  scalarsOf(bytes: Uint8Array): FloatArray {
    if (!this.isLittleEndian) return decodeNumbers(bytes, this.scalarType, false)
    const { buffer } = new Uint8Array(bytes)
    return this.scalarType === 'float32' ? new Float32Array(buffer) : new Float64Array(buffer)
  }

  cutOff(n: number, at: number, end: number): FormatError {
    this.metEnd = true
    return this.damaged(`${n} numbers should follow at byte ${at}, but it ends at byte ${end}: it is cut off`)
  }

  /** `N(…)` or `N{one}` of labels, with or without the type of the list in front; -1 as the largest number. */
  labels(): Uint32Array {
    this.listType()
    return new Uint32Array(this.list(1, 'label'))
  }

  /** The same of ones and zeros. */
  flags(): Uint32Array {
    this.listType()
    return new Uint32Array(this.list(1, 'bool'))
  }

  /** `N(…)` of scalars, or of tuples of `components` scalars. */
  scalars(components: number): FloatArray {
    const values = this.list(components, 'scalar')
    return values instanceof Uint32Array ? Float64Array.from(values) : values
  }

  /** A list that is complete in these bytes. */
  private list(components: number, type: ListType): Uint32Array | FloatArray {
    const { n, form } = this.listHead()
    if (form === 'none') return new Float64Array(0)
    if (form === 'uniform') {
      if (n * components > 2 ** 31) throw this.damaged(`${n} equal items are more than can be`)
      const one = this.uniformItem(components)
      return Float64Array.from({ length: n * components }, (_, i) => one[i % components]!)
    }
    let values: Uint32Array | FloatArray
    if (form === 'raw') {
      values = this.rawItems(type, components, n)
      if (values.length < n * components) throw this.cutOff(n, this.position, this.first + this.bytes.length)
    } else {
      // in the tightest form an item takes two bytes, as `0 `
      if (2 * n * components > this.bytes.length - this.at + 1) throw this.cutOff(n, this.position, this.first + this.bytes.length)
      this.textItems((values = new Float64Array(n * components)), components, true)
    }
    this.expect(')')
    return values
  }

  /** The item of a list of equal ones, and the end of the list. */
  uniformItem(components: number): number[] {
    const one = this.tuple(components)
    this.expect('}')
    return one
  }

  /** A number, or `(a b c)`. */
  tuple(components: number): number[] {
    if (components === 1 && this.peek() !== '(') return [this.number()]
    this.expect('(')
    const values = Array.from({ length: components }, () => this.number())
    this.expect(')')
    return values
  }

  /**
   * Reads faces of a list of lists, each `N(…)` of points, until there are `most` or these bytes end.
   *
   * @param ends  given the end of each in `points`
   * @returns how many
   */
  faces(points: Growing<Uint32Array>, ends: Growing<Uint32Array>, most: number, isLast: boolean): number {
    const n = this.whole(most, isLast, () => {
      this.face(points)
      ends.push(points.length)
    })
    ends.cut(n)
    points.cut(n ? ends.at(n - 1) : 0)
    return n
  }

  /** Anything not written as `N(…)` is read as a general list. */
  private face(points: Growing<Uint32Array>): void {
    const before = this.at
    const n = this.listCount()
    if (this.isBinary || !this.isOpen()) {
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

  /** The optional `List<type>` in front of a list. @throws FormatError when the type is unknown */
  listType(): { type: string; components: number } {
    const type = /^List<(\w+)>$/.exec(this.peek())?.[1] ?? ''
    if (type) this.token()
    const components = type ? listTypes[type] : 1
    if (!components) throw this.damaged(`a list of “${type}” is not known`)
    return { type, components }
  }

  /** What follows `nonuniform`: an optional `List<type>` and the list. */
  nonuniform(): FloatArray {
    const { type, components } = this.listType()
    return type === 'label' || type === 'bool' ? Float64Array.from(this.list(1, type)) : this.scalars(components)
  }
}

/** Components of the items of a list by its type. */
export const scalarTypes: Record<string, number> = { scalar: 1, vector: 3, symmTensor: 6, tensor: 9, sphericalTensor: 1 }
const listTypes: Record<string, number> = { ...scalarTypes, label: 1, bool: 1 }

/** Whether a word cannot be the name of an entry. */
export function isDirective(key: string): boolean {
  return key.startsWith('#') || key.startsWith('$')
}
