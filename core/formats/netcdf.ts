/**
 * NetCDF files for readers that only want variables by name: the classic form (CDF-1, 64-bit offsets CDF-2, 64-bit data
 * CDF-5) read here, and the one inside HDF5. Format: "NetCDF Classic and 64-bit Offset File Formats" (Unidata).
 */
import { FormatError } from '../errors'
import type { FloatArray } from '../mesh/MeshBlock'
import type { ByteSource, SourceFolder } from './ByteSource'
import { datasetAt, isHdf5, textRows } from './hdf5/Hdf5'
import type { Hdf5Dataset } from './hdf5/Hdf5'
import { binarySize, decodeNumbers } from './TextScanner'
import type { BinaryType } from './TextScanner'

export interface NetcdfVariable {
  shape: number[]
  numberType: string
  attribute(name: string): string | undefined
  /** All values, or those of one index of the first dimension; of the next one all, or those of [from, to). */
  read(index?: number, range?: readonly [number, number]): Promise<FloatArray>
  /** Rows of characters. */
  texts(): Promise<string[]>
}

export interface Netcdf {
  variable(name: string): NetcdfVariable | undefined
}

export function isNetcdf(head: Uint8Array): boolean {
  return head[0] === 0x43 && head[1] === 0x44 && head[2] === 0x46 && [1, 2, 5].includes(head[3]!)
}

export async function openNetcdf(source: ByteSource, folder: SourceFolder): Promise<Netcdf> {
  const head = await source.read(0, Math.min(8, source.size))
  if (!isHdf5(head)) return openClassic(source)
  const { root } = await folder.openHdf5(source.name)
  return { variable: (name) => wrap(datasetAt(root, name)) }
}

function wrap(dataset: Hdf5Dataset | undefined): NetcdfVariable | undefined {
  if (!dataset) return undefined
  const { shape } = dataset
  return {
    shape,
    numberType: dataset.numberType,
    attribute: (name) => {
      const value = dataset.attribute(name)
      return typeof value === 'string' ? value : Array.isArray(value) ? String(value[0]) : undefined
    },
    read: async (index, range) => {
      const indexed: [number, number][] = index === undefined ? [] : [[index, index + 1]]
      return dataset.numbers(
        shape.map((n, d): [number, number] => indexed[d] ?? (range && d === indexed.length ? [range[0], range[1]] : [0, n])),
      )
    },
    texts: async () => joinCharacters(dataset.texts(), shape),
  }
}

/** Characters come one by one or as whole texts. */
function joinCharacters(texts: string[], shape: number[]): string[] {
  const width = shape[shape.length - 1] ?? 1
  if (shape.length < 2 || texts.length !== shape.reduce((a, b) => a * b, 1)) return texts
  return Array.from({ length: texts.length / width }, (_, i) =>
    texts
      .slice(i * width, (i + 1) * width)
      .join('')
      .trim(),
  )
}

const types: Record<number, BinaryType> = {
  1: 'int8',
  2: 'uint8',
  3: 'int16',
  4: 'int32',
  5: 'float32',
  6: 'float64',
  7: 'uint8',
  8: 'uint16',
  9: 'uint32',
  10: 'int64',
  11: 'uint64',
}
const DIMENSIONS = 10
const VARIABLES = 11
const ATTRIBUTES = 12
/** The header of a result file is far below this. */
const MAX_HEADER = 1 << 26

interface Header {
  dimensions: { name: string; length: number }[]
  variables: Map<
    string,
    { dimensions: number[]; attributes: Map<string, string>; type: BinaryType; begin: number; isRecord: boolean; size: number }
  >
  nRecords: number
  recordSize: number
}

async function openClassic(source: ByteSource): Promise<Netcdf> {
  const header = new HeaderReader(await source.read(0, Math.min(source.size, MAX_HEADER)), source).read()
  return {
    variable(name) {
      const found = header.variables.get(name)
      if (!found) return undefined
      const shape = found.dimensions.map((d, i) => (i === 0 && found.isRecord ? header.nRecords : header.dimensions[d]!.length))
      const bytesOf = async (index?: number, rows?: readonly [number, number]): Promise<Uint8Array> => {
        const isIndexed = found.isRecord || index !== undefined
        const each = found.size / Math.max(found.isRecord || index === undefined ? 1 : (shape[0] ?? 1), 1)
        const row = each / Math.max(shape[isIndexed ? 1 : 0] ?? 1, 1)
        const range = async (start: number): Promise<Uint8Array> => {
          if (start + each > source.size)
            throw new FormatError(
              'cut-off',
              `${source.name}: the values of “${name}” should end at byte ${start + each}, but the file ends at byte ` +
                `${source.size}: it is cut off; copy it again.`,
            )
          return rows ? source.read(start + rows[0] * row, start + rows[1] * row) : source.read(start, start + each)
        }
        if (!found.isRecord) return range(found.begin + (index ?? 0) * each)
        if (index !== undefined) return range(found.begin + index * header.recordSize)
        const all = new Uint8Array(header.nRecords * found.size)
        for (let r = 0; r < header.nRecords; r++) all.set(await range(found.begin + r * header.recordSize), r * found.size)
        return all
      }
      return {
        shape,
        numberType: found.type === 'float32' ? 'Float32' : found.type === 'float64' ? 'Float64' : 'Int',
        attribute: (attribute) => found.attributes.get(attribute),
        read: async (index, range) => decodeNumbers(await bytesOf(index, range), found.type, false),
        texts: async () => textRows(await bytesOf(), shape[shape.length - 1] ?? 1),
      }
    },
  }
}

class HeaderReader {
  private at = 4
  private readonly view: DataView
  private readonly wideCounts: boolean
  private readonly wideOffsets: boolean

  constructor(
    private readonly bytes: Uint8Array,
    private readonly source: ByteSource,
  ) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
    this.wideCounts = bytes[3] === 5
    this.wideOffsets = bytes[3] !== 1
  }

  read(): Header {
    const nRecords = this.count()
    const dimensions = this.list(DIMENSIONS, () => ({ name: this.name(), length: this.count() }))
    this.attributes()
    const variables: Header['variables'] = new Map()
    this.list(VARIABLES, () => {
      const name = this.name()
      const ids = Array.from({ length: this.few('dimensions') }, () => this.count())
      const attributes = this.attributes()
      const type = types[this.int()]
      this.count()
      const begin = this.wideOffsets ? this.long() : this.int()
      if (!type || ids.some((id) => id >= dimensions.length))
        throw this.damaged(`the variable “${name.slice(0, 40)}” is not described well`)
      const isRecord = ids.length > 0 && dimensions[ids[0]!]!.length === 0
      const items = ids.slice(isRecord ? 1 : 0).reduce((n, id) => n * dimensions[id]!.length, 1)
      variables.set(name, { dimensions: ids, attributes, type, begin, isRecord, size: items * binarySize(type) })
    })
    const records = [...variables.values()].filter((v) => v.isRecord)
    // a single record variable is not padded
    const recordSize = records.length === 1 ? records[0]!.size : records.reduce((n, v) => n + 4 * Math.ceil(v.size / 4), 0)
    // a file that is streamed out does not state its number of records
    const left = recordSize ? Math.floor((this.source.size - Math.min(...records.map((v) => v.begin))) / recordSize) : 0
    const isStreamed = nRecords >= 2 ** 32 - 1
    if (!isStreamed && recordSize && nRecords > left)
      throw new FormatError(
        'cut-off',
        `${this.source.name} should hold ${nRecords} records of ${recordSize} bytes, but ends at byte ${this.source.size}: it is ` +
          `cut off; copy it again.`,
      )
    return { dimensions, variables, recordSize, nRecords: isStreamed ? Math.max(0, left) : nRecords }
  }

  private damaged(why: string): FormatError {
    return new FormatError('bad-netcdf', `${this.source.name}: ${why}; the file is damaged or cut off, copy it again.`)
  }

  private int(): number {
    if (this.at + 4 > this.bytes.length) throw this.damaged('its header ends early')
    this.at += 4
    return this.view.getUint32(this.at - 4)
  }

  private long(): number {
    return this.int() * 2 ** 32 + this.int()
  }

  private count(): number {
    return this.wideCounts ? this.long() : this.int()
  }

  /** A number of things that the header itself must hold. */
  private few(what: string): number {
    const n = this.count()
    if (n > this.bytes.length / 4) throw this.damaged(`it claims ${n} ${what}`)
    return n
  }

  private name(): string {
    const n = this.few('letters')
    const text = new TextDecoder().decode(this.bytes.subarray(this.at, this.at + n))
    this.at += 4 * Math.ceil(n / 4)
    return text
  }

  private list<T>(tag: number, item: () => T): T[] {
    const found = this.int()
    const n = this.few('items')
    if (n && found !== tag) throw this.damaged('its header is not in order')
    return Array.from({ length: n }, item)
  }

  private attributes(): Map<string, string> {
    const found = new Map<string, string>()
    this.list(ATTRIBUTES, () => {
      const name = this.name()
      const type = types[this.int()]
      const n = this.few('values')
      if (!type) throw this.damaged(`the attribute “${name.slice(0, 40)}” is of no known type`)
      const size = n * binarySize(type)
      const bytes = this.bytes.subarray(this.at, this.at + size)
      found.set(name, type === 'uint8' ? (textRows(bytes, bytes.length)[0] ?? '') : Array.from(decodeNumbers(bytes, type, false)).join(' '))
      this.at += 4 * Math.ceil(size / 4)
    })
    return found
  }
}
