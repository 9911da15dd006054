/**
 * PLY surfaces and point clouds, ASCII and binary in both byte orders. Properties of vertices and faces beside the
 * coordinates become fields; `nx ny nz`, `red green blue` and the like stay scalars, as the file has them.
 */
import { FormatError } from '../errors'
import { CellType } from '../mesh/cellTypes'
import type { SourceMesh } from '../mesh/normaliseCells'
import type { Format } from './Format'
import { partsByDimension, pointCloud } from './meshParts'
import { SourceCase } from './SourceCase'
import type { SourceField } from './SourceCase'
import { binarySize, decodeNumbers, readWhole, TextScanner } from './TextScanner'
import type { BinaryType } from './TextScanner'

const typeNames: Record<string, BinaryType> = {
  char: 'int8',
  uchar: 'uint8',
  short: 'int16',
  ushort: 'uint16',
  int: 'int32',
  uint: 'uint32',
  float: 'float32',
  double: 'float64',
  int8: 'int8',
  uint8: 'uint8',
  int16: 'int16',
  uint16: 'uint16',
  int32: 'int32',
  uint32: 'uint32',
  float32: 'float32',
  float64: 'float64',
}

interface Property {
  name: string
  type: BinaryType
  /** Type of the count before a list. */
  countType?: BinaryType
}

interface Element {
  name: string
  count: number
  properties: Property[]
}

export const ply: Format = {
  id: 'PLY',
  endings: ['.ply'],
  sniff: (head) => /^ply\r?\n/.test(new TextDecoder('latin1').decode(head.subarray(0, 8))),
  async open(source) {
    const scanner = new TextScanner(await readWhole(source), source.name)
    const { encoding, elements } = readHeader(scanner)
    const read = encoding === 'ascii' ? asciiReader(scanner) : binaryReader(scanner, encoding === 'binary_little_endian')
    const data = new Map(elements.map((element) => [element.name, readElement(element, read, scanner)]))
    return caseOf(source.name, data)
  },
}

function readHeader(scanner: TextScanner): { encoding: string; elements: Element[] } {
  const elements: Element[] = []
  let encoding = ''
  for (;;) {
    const line = scanner.line()
    if (line === undefined) throw scanner.cutOff('end_header')
    const [word, ...rest] = line.trim().split(/\s+/)
    if (word === 'end_header') break
    if (word === 'format') encoding = rest[0] ?? ''
    if (word === 'element') elements.push({ name: rest[0] ?? '', count: elementCount(rest[1], scanner), properties: [] })
    if (word === 'property') elements[elements.length - 1]?.properties.push(readProperty(rest, scanner))
  }
  if (!/^(ascii|binary_little_endian|binary_big_endian)$/.test(encoding))
    throw new FormatError('bad-header', `${scanner.name} is of the unknown kind “${encoding.slice(0, 30)}”; the file is damaged.`)
  return { encoding, elements }
}

function elementCount(text: string | undefined, scanner: TextScanner): number {
  const n = Number(text)
  if (!Number.isInteger(n) || n < 0)
    throw new FormatError('bad-count', `${scanner.name}: “${text}” is no usable count; the file is damaged.`)
  if (n > scanner.bytes.length) throw scanner.cutOff(`${n} elements`)
  return n
}

function readProperty(words: string[], scanner: TextScanner): Property {
  const isList = words[0] === 'list'
  const [countName, typeName, name] = isList ? [words[1], words[2], words[3]] : [undefined, words[0], words[1]]
  const type = typeNames[typeName ?? '']
  const countType = typeNames[countName ?? '']
  if (!type || !name || (isList && !countType))
    throw new FormatError('bad-type', `${scanner.name}: “property ${words.join(' ').slice(0, 60)}” is not known; the file is damaged.`)
  return { name, type, ...(countType && { countType }) }
}

type NumberReader = (type: BinaryType, what: string) => number

function asciiReader(scanner: TextScanner): NumberReader {
  return (_, what) => scanner.number(what)
}

function binaryReader(scanner: TextScanner, isLittleEndian: boolean): NumberReader {
  return (type, what) => decodeNumbers(scanner.binary(binarySize(type), what), type, isLittleEndian)[0]!
}

interface ElementData {
  count: number
  scalars: Map<string, Float64Array>
  lists: Map<string, number[][]>
}

function readElement({ name, count, properties }: Element, read: NumberReader, scanner: TextScanner): ElementData {
  const scalars = new Map(properties.filter((p) => !p.countType).map((p) => [p.name, new Float64Array(count)]))
  const lists = new Map(properties.filter((p) => p.countType).map((p) => [p.name, [] as number[][]]))
  for (let i = 0; i < count; i++) {
    for (const property of properties) {
      const what = `${property.name} of ${name} ${i}`
      if (!property.countType) {
        scalars.get(property.name)![i] = read(property.type, what)
        continue
      }
      const n = read(property.countType, what)
      if (!(Number.isInteger(n) && n >= 0 && n <= scanner.bytes.length - scanner.at))
        throw new FormatError('bad-count', `${scanner.name}: ${what} claims ${n} items; the file is damaged.`)
      lists.get(property.name)!.push(Array.from({ length: n }, () => read(property.type, what)))
    }
  }
  return { count, scalars, lists }
}

function caseOf(name: string, data: Map<string, ElementData>): SourceCase {
  const vertex = data.get('vertex')
  const xyz = ['x', 'y', 'z'].map((axis) => vertex?.scalars.get(axis))
  if (!vertex || !xyz[0] || !xyz[1] || !xyz[2])
    throw new FormatError('no-points', `${name} has no vertices with x, y and z: there is nothing to show.`)
  const points = new Float64Array(3 * vertex.count)
  for (let p = 0; p < vertex.count; p++) for (let d = 0; d < 3; d++) points[3 * p + d] = xyz[d]![p]!
  const face = data.get('face')
  const faces = face?.lists.get('vertex_indices') ?? face?.lists.get('vertex_index') ?? []
  const mesh = faces.length ? meshOfLists(points, faces) : pointCloud(points)
  const parts = partsByDimension(faces.length ? 'surface' : 'points', mesh)
  const names = parts.map((part) => part.name)
  const fields = (element: ElementData | undefined, place: 'point' | 'cell', skip: string[]): SourceField[] =>
    [...(element?.scalars ?? [])]
      .filter(([field]) => !skip.includes(field))
      .map(([field, values]) => ({ name: field, place, components: 1, parts: names, read: async () => values }))
  return new SourceCase({
    format: 'PLY',
    name,
    parts,
    fields: [...fields(vertex, 'point', ['x', 'y', 'z']), ...(faces.length ? fields(face, 'cell', []) : [])],
  })
}

function meshOfLists(points: Float64Array, lists: number[][]): SourceMesh {
  const offsets = new Uint32Array(lists.length + 1)
  lists.forEach((list, i) => (offsets[i + 1] = offsets[i]! + list.length))
  const connectivity = Uint32Array.from(lists.flat(), (node) => (node >= 0 ? node : 0xffffffff))
  const types = Uint8Array.from(lists, (list) =>
    list.length === 3 ? CellType.triangle : list.length === 4 ? CellType.quad : list.length === 2 ? CellType.line : CellType.polygon,
  )
  return { points, types, offsets, connectivity }
}
