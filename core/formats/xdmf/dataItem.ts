/** Numbers of an XDMF data item: written in the XML, in HDF5, or in a binary file; whole, or a hyperslab of another item. */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { ByteSource, SourceFolder } from '../ByteSource'
import { datasetAt } from '../hdf5/Hdf5'
import type { Hdf5Dataset, Hdf5File } from '../hdf5/Hdf5'
import { binarySize, decodeNumbers, TextScanner } from '../TextScanner'
import type { BinaryType } from '../TextScanner'
import { childrenNamed } from '../xmlTree'
import type { XmlElement } from '../xmlTree'

/** More values than this cannot be one array. */
const MAX_VALUES = 2 ** 31

/** Start, stride and count along an axis. */
type Range = [number, number, number]

export class DataItems {
  private readonly files = new Map<string, Promise<Hdf5File>>()

  constructor(
    private readonly source: ByteSource,
    private readonly folder: SourceFolder,
    private readonly root: XmlElement,
  ) {}

  get name(): string {
    return this.source.name
  }

  /** Follows a reference to another element of the document: an absolute path of names with [number] or [@Name="…"]. */
  async follow(element: XmlElement): Promise<XmlElement> {
    const attribute = element.attributes['Reference']
    if (attribute === undefined) return element
    const path = (attribute === 'XML' ? await this.text(element) : attribute).trim()
    let found: XmlElement | undefined
    path
      .split('/')
      .filter(Boolean)
      .forEach((step, depth) => {
        const [, name, picked] = /^([\w:]+)(?:\[(.+)\])?$/.exec(step) ?? []
        if (!name) found = undefined
        else if (depth === 0) found = this.root.name === name ? this.root : undefined
        else found = pick(childrenNamed(found, name), picked)
      })
    if (!found || found === element) throw this.damaged(`refers to “${path.slice(0, 80)}”, which is not there`)
    return found
  }

  damaged(what: string): FormatError {
    return new FormatError('bad-xdmf', `${this.source.name} ${what}; the file is inconsistent, write it again.`)
  }

  async text(element: XmlElement): Promise<string> {
    const [start, end] = element.content
    return new TextDecoder().decode(await this.source.read(start, end)).trim()
  }

  async shape(element: XmlElement): Promise<number[]> {
    const item = await this.follow(element)
    const text = item.attributes['Dimensions'] ?? ''
    const shape = text.trim().split(/\s+/).map(Number)
    if (!shape.every((n) => Number.isInteger(n) && n >= 0) || shape.reduce((a, b) => a * b, 1) > MAX_VALUES)
      throw this.damaged(`has a data item with the unusable dimensions “${text.slice(0, 40)}”`)
    return shape
  }

  async read(element: XmlElement): Promise<FloatArray> {
    const { item, ranges, shape } = await this.selected(element)
    return this.stored(item, ranges, shape)
  }

  /**
   * Reads values [from, to) of an item, in multiples of `row`, without the others; undefined where it is stored in a way that has
   * no ranges.
   */
  async windowOf(element: XmlElement, row: number): Promise<((from: number, to: number) => Promise<FloatArray>) | undefined> {
    const { item, ranges, shape } = await this.selected(element)
    const format = formatOf(item)
    if (format === 'BINARY' && isWhole(ranges, shape)) return async (from, to) => this.fromBinary(item, shape, [from, to])
    if (format !== 'HDF') return undefined
    const dataset = await this.datasetOf(item, shape)
    if (!isWhole(ranges, shape) && !(isSameShape(dataset.shape, shape) && ranges.every(([, stride]) => stride === 1))) return undefined
    // a whole item may be described by another shape than it is stored in
    const own = isWhole(ranges, shape)
      ? dataset.shape.map((n): [number, number] => [0, n])
      : ranges.map(([start, , count]): [number, number] => [start, start + count])
    const counts = own.map(([start, end]) => end - start)
    const found = counts.findIndex((n) => n > 1)
    const axis = found < 0 ? counts.length - 1 : found
    const inner = counts.slice(axis + 1).reduce((n, count) => n * count, 1)
    if (row % inner) return undefined
    return async (from, to) =>
      dataset.numbers(
        own.map(([start, end], d): [number, number] => (d === axis ? [start + from / inner, start + to / inner] : [start, end])),
      )
  }

  /** Stored size, and start, stride and count of the selection along each axis. */
  private async selected(element: XmlElement): Promise<{ item: XmlElement; ranges: Range[]; shape: number[] }> {
    const item = await this.follow(element)
    if (item.attributes['ItemType'] === 'HyperSlab') return this.hyperslab(item)
    const type = item.attributes['ItemType'] ?? 'Uniform'
    if (type !== 'Uniform') throw this.damaged(`has a data item of the type “${type}”, which is not read`)
    const shape = await this.shape(item)
    return { item, shape, ranges: shape.map((n): Range => [0, 1, n]) }
  }

  /** The selection comes first, then the item it is taken from. */
  private async hyperslab(slab: XmlElement): Promise<{ item: XmlElement; ranges: Range[]; shape: number[] }> {
    const [selection, source] = childrenNamed(slab, 'DataItem')
    if (!selection || !source) throw this.damaged('has a hyperslab without selection or source')
    const list = await this.read(selection)
    const item = await this.follow(source)
    const shape = await this.shape(item)
    const n = shape.length
    if (list.length !== 3 * n) throw this.damaged(`has a hyperslab of ${list.length / 3} axes from an item of ${n}`)
    const ranges = shape.map((size, d): Range => {
      const [start, stride, count] = [list[d]!, list[n + d]!, list[2 * n + d]!]
      if (!(start >= 0 && stride >= 1 && count >= 0 && start + (count - 1) * stride < size))
        throw this.damaged(`has a hyperslab that reaches beyond its source`)
      return [start, stride, count]
    })
    return { item, ranges, shape }
  }

  private async stored(item: XmlElement, ranges: readonly Range[], shape: readonly number[]): Promise<FloatArray> {
    const format = formatOf(item)
    if (format === 'HDF') return this.fromHdf5(item, ranges, shape)
    const all = format === 'XML' ? await this.fromText(item, shape) : format === 'BINARY' ? await this.fromBinary(item, shape) : undefined
    if (!all) throw this.damaged(`has a data item in the format “${format.slice(0, 20)}”, which is not read`)
    return isWhole(ranges, shape) ? all : strided(all, shape, ranges)
  }

  private async fromText(item: XmlElement, shape: readonly number[]): Promise<FloatArray> {
    const [start, end] = item.content
    const scanner = new TextScanner(await this.source.read(start, end), this.source.name)
    const n = shape.reduce((a, b) => a * b, 1)
    if (2 * n - 1 > end - start) throw this.damaged(`has a data item of ${n} numbers in only ${end - start} letters`)
    const values = scanner.numbers(n, 'a data item')
    return typeOf(item) === 'float32' ? Float32Array.from(values) : values
  }

  /** All values, or those [from, to). */
  private async fromBinary(
    item: XmlElement,
    shape: readonly number[],
    [from, to] = [0, shape.reduce((a, b) => a * b, 1)],
  ): Promise<FloatArray> {
    const file = await this.folder.open(this.beside(await this.text(item)))
    const type = typeOf(item)
    const start = Number(item.attributes['Seek'] ?? 0)
    const size = shape.reduce((a, b) => a * b, 1) * binarySize(type)
    if (!(start >= 0 && start + size <= file.size))
      throw new FormatError(
        'cut-off',
        `${file.name} should hold ${size} bytes from byte ${start}, but ends at byte ${file.size}: it is cut off; copy it again.`,
      )
    return decodeNumbers(
      await file.read(start + from * binarySize(type), start + to * binarySize(type)),
      type,
      (item.attributes['Endian'] ?? 'Little') !== 'Big',
    )
  }

  private async fromHdf5(item: XmlElement, ranges: readonly Range[], shape: readonly number[]): Promise<FloatArray> {
    const dataset = await this.datasetOf(item, shape)
    if (isSameShape(dataset.shape, shape) && ranges.every(([, stride]) => stride === 1))
      return dataset.numbers(ranges.map(([start, , count]) => [start, start + count]))
    return isWhole(ranges, shape) ? dataset.numbers() : strided(dataset.numbers(), shape, ranges)
  }

  /** @throws FormatError when it is not there or has another size than the item */
  private async datasetOf(item: XmlElement, shape: readonly number[]): Promise<Hdf5Dataset> {
    const text = await this.text(item)
    const colon = text.lastIndexOf(':')
    if (colon < 1) throw this.damaged(`has a data item that names no HDF5 file and path: “${text.slice(0, 60)}”`)
    const name = this.beside(text.slice(0, colon))
    let opening = this.files.get(name)
    if (!opening) this.files.set(name, (opening = this.folder.openHdf5(name)))
    const dataset = datasetAt((await opening).root, text.slice(colon + 1))
    if (!dataset)
      throw new FormatError(
        'missing-array',
        `${name} has no data at “${text.slice(colon + 1).slice(0, 100)}”, which ${this.source.name} names; copy both files of the ` +
          `same run.`,
      )
    const [own, n] = [dataset.shape, shape].map((sizes) => sizes.reduce((a, b) => a * b, 1))
    if (own !== n) throw this.damaged(`says that ${text} holds ${n} values, but it holds ${own}`)
    return dataset
  }

  private beside(file: string): string {
    return this.source.name.slice(0, this.source.name.lastIndexOf('/') + 1) + file.trim()
  }
}

function formatOf(item: XmlElement): string {
  return (item.attributes['Format'] ?? 'XML').toUpperCase()
}

function isWhole(ranges: readonly Range[], shape: readonly number[]): boolean {
  return ranges.every(([start, stride, count], d) => start === 0 && stride === 1 && count === shape[d])
}

function isSameShape(a: readonly number[], b: readonly number[]): boolean {
  return a.length === b.length && a.every((size, d) => size === b[d])
}

function pick(list: XmlElement[], picked: string | undefined): XmlElement | undefined {
  if (picked === undefined) return list[0]
  const name = /^@Name\s*=\s*["'](.*)["']$/.exec(picked)?.[1]
  return name === undefined ? list[Number(picked) - 1] : list.find((element) => element.attributes['Name'] === name)
}

function typeOf(item: XmlElement): BinaryType {
  const number = (item.attributes['NumberType'] ?? item.attributes['DataType'] ?? 'Float').toLowerCase()
  const precision = item.attributes['Precision'] ?? '4'
  if (number === 'char') return 'int8'
  if (number === 'uchar') return 'uint8'
  if (number === 'int') return precision === '8' ? 'int64' : precision === '2' ? 'int16' : 'int32'
  if (number === 'uint') return precision === '8' ? 'uint64' : precision === '2' ? 'uint16' : 'uint32'
  return precision === '8' ? 'float64' : 'float32'
}

function strided(all: FloatArray, shape: readonly number[], ranges: readonly Range[]): FloatArray {
  const total = ranges.reduce((n, [, , count]) => n * count, 1)
  const out = all instanceof Float32Array ? new Float32Array(total) : new Float64Array(total)
  for (let i = 0; i < total; i++) {
    let rest = i
    let at = 0
    let size = 1
    for (let d = shape.length - 1; d >= 0; d--) {
      const [start, stride, count] = ranges[d]!
      at += (start + (rest % count) * stride) * size
      rest = Math.floor(rest / count)
      size *= shape[d]!
    }
    out[i] = all[at]!
  }
  return out
}
