/**
 * The older VTK files, `.vtk`, versions 2 to 5.1, ASCII and (big-endian) binary, all kinds of data set.
 *
 * The file has no index: it is read whole. Names are percent-coded. Look-up tables and metadata are passed over.
 */
import { FormatError } from '../errors'
import type { FloatArray } from '../mesh/MeshBlock'
import type { SourceMesh } from '../mesh/normaliseCells'
import type { Format, OpenCase } from './Format'
import { joinCells, partsByDimension } from './meshParts'
import { SourceCase, timeMoment } from './SourceCase'
import type { SourceField, SourceNumber } from './SourceCase'
import { rectilinearPoints, structuredCells, uniformPoints } from './structured'
import type { Counts } from './structured'
import { binarySize, decodeNumbers, readWhole, TextScanner } from './TextScanner'
import type { BinaryType } from './TextScanner'

const MAGIC = '# vtk DataFile Version'

const binaryTypes: Record<string, BinaryType> = {
  bit: 'uint8',
  char: 'int8',
  signed_char: 'int8',
  unsigned_char: 'uint8',
  short: 'int16',
  unsigned_short: 'uint16',
  int: 'int32',
  unsigned_int: 'uint32',
  long: 'int64',
  unsigned_long: 'uint64',
  vtkidtype: 'int32',
  vtktypeint64: 'int64',
  vtktypeuint64: 'uint64',
  vtktypeint32: 'int32',
  float: 'float32',
  double: 'float64',
}

const tupleSizes: Record<string, number> = { VECTORS: 3, NORMALS: 3, TENSORS: 9, TENSORS6: 6, GLOBAL_IDS: 1, PEDIGREE_IDS: 1 }

export const vtkLegacy: Format = {
  id: 'VTK legacy',
  endings: ['.vtk'],
  sniff: (head) => new TextDecoder('latin1').decode(head.subarray(0, MAGIC.length)) === MAGIC,
  open: async (source) => new LegacyFile(new TextScanner(await readWhole(source), source.name)).read(),
}

interface StoredField {
  name: string
  place: 'point' | 'cell'
  components: number
  numberType: string
  values: FloatArray
}

/** What the sections of the file say, until all is known. */
class LegacyFile {
  private isBinary = false
  private points: FloatArray | undefined
  private counts: Counts | undefined
  private origin = [0, 0, 0]
  private spacing = [1, 1, 1]
  private readonly coordinates: FloatArray[] = []
  private readonly groups: Omit<SourceMesh, 'points'>[] = []
  private lists: { offsets: Uint32Array; connectivity: Uint32Array } | undefined
  private readonly fields: StoredField[] = []
  private place: 'point' | 'cell' | undefined
  private tuples = 0
  private time: number | undefined
  private readonly numbers: SourceNumber[] = []

  constructor(private readonly scanner: TextScanner) {}

  read(): OpenCase {
    const { scanner } = this
    scanner.line()
    scanner.line()
    const encoding = scanner.word().toUpperCase()
    if (encoding !== 'ASCII' && encoding !== 'BINARY')
      throw new FormatError('bad-header', `${scanner.name} should be ASCII or BINARY, not “${encoding.slice(0, 20)}”; the file is damaged.`)
    this.isBinary = encoding === 'BINARY'
    while (!scanner.isAtEnd) this.section(scanner.word())
    return this.build()
  }

  private section(word: string): void {
    const { scanner } = this
    const keyword = word.toUpperCase()
    switch (keyword) {
      case 'DATASET':
        scanner.word()
        return
      case 'DIMENSIONS':
        this.counts = Array.from(scanner.numbers(3, 'dimensions')) as unknown as Counts
        return
      case 'ORIGIN':
        this.origin = Array.from(scanner.numbers(3, 'the origin'))
        return
      case 'SPACING':
      case 'ASPECT_RATIO':
        this.spacing = Array.from(scanner.numbers(3, 'the spacing'))
        return
      case 'POINTS': {
        const n = scanner.count('points')
        this.points = this.array(scanner.word(), 3 * n, 'points')
        return
      }
      case 'X_COORDINATES':
      case 'Y_COORDINATES':
      case 'Z_COORDINATES': {
        const n = scanner.count('coordinates')
        this.coordinates.push(this.array(scanner.word(), n, 'coordinates'))
        return
      }
      case 'CELLS':
        this.lists = this.cellLists()
        return
      case 'CELL_TYPES': {
        const n = scanner.count('cell types')
        const types = Uint8Array.from(this.array('int', n, 'cell types'))
        if (!this.lists || this.lists.offsets.length !== n + 1)
          throw new FormatError(
            'inconsistent',
            `${scanner.name} has ${n} cell types for ${(this.lists?.offsets.length ?? 1) - 1} cells; the file is inconsistent.`,
          )
        this.groups.push({ types, ...this.lists })
        return
      }
      case 'VERTICES':
      case 'LINES':
      case 'POLYGONS':
      case 'TRIANGLE_STRIPS':
        this.polyGroup(keyword)
        return
      case 'POINT_DATA':
      case 'CELL_DATA':
        this.place = keyword === 'POINT_DATA' ? 'point' : 'cell'
        this.tuples = scanner.count('values', 0)
        return
      case 'METADATA':
        scanner.line()
        while (scanner.at < scanner.bytes.length && scanner.line()?.trim() !== '');
        return
      default:
        this.attribute(keyword, word)
    }
  }

  private attribute(keyword: string, word: string): void {
    const { scanner } = this
    if (keyword === 'FIELD') return this.fieldArrays()
    if (keyword === 'LOOKUP_TABLE') {
      scanner.word()
      const n = scanner.count('colours')
      if (this.isBinary) this.array('unsigned_char', 4 * n, 'colours')
      else scanner.numbers(4 * n, 'colours')
      return
    }
    if (keyword === 'SCALARS') return this.scalars()
    if (keyword === 'COLOR_SCALARS') {
      const name = this.name()
      const n = scanner.count('components')
      return this.keep(
        name,
        n,
        'unsigned_char',
        this.isBinary ? this.array('unsigned_char', n * this.tuples, name) : scanner.numbers(n * this.tuples, name),
      )
    }
    if (keyword === 'TEXTURE_COORDINATES') {
      const name = this.name()
      const n = scanner.count('components')
      return this.keepArray(name, n, scanner.word())
    }
    const components = tupleSizes[keyword]
    if (!components)
      throw new FormatError(
        'unknown-section',
        `${scanner.name}: “${word.slice(0, 30)}” at byte ${scanner.at - word.length} begins no known section; the file is damaged.`,
      )
    const name = this.name()
    this.keepArray(name, components, scanner.word())
  }

  private scalars(): void {
    const { scanner } = this
    const name = this.name()
    const type = scanner.word()
    // the number of components may be left out
    const components = Number(scanner.line()?.trim() || 1)
    const at = scanner.at
    if (scanner.word().toUpperCase() === 'LOOKUP_TABLE') scanner.word()
    else scanner.at = at
    this.keepArray(name, components, type)
  }

  private fieldArrays(): void {
    const { scanner } = this
    scanner.word()
    for (let n = scanner.count('arrays'); n > 0; n--) {
      let name = this.name()
      // metadata may be between two arrays
      if (name === 'METADATA') {
        this.section('METADATA')
        name = this.name()
      }
      const components = scanner.count('components', 0)
      const tuples = scanner.count('tuples', 0)
      const type = scanner.word()
      if (type === 'variant')
        throw new FormatError(
          'unsupported',
          `${scanner.name}: the array “${name}” holds values of several kinds, which are not read; write it without.`,
        )
      if (type === 'string') {
        this.skipTexts(components * tuples, name)
        continue
      }
      const values = this.array(type, components * tuples, name)
      if (this.place && tuples === this.tuples) this.keep(name, components, type, values)
      else if (/^time(value)?$/i.test(name) && Number.isFinite(values[0])) this.time = values[0]
      else if (values.length === 1 && Number.isFinite(values[0])) this.numbers.push({ name, values: [values[0]!] })
    }
  }

  /** Texts are one per line, in binary files behind a length whose two upper bits tell how many bytes it takes. */
  private skipTexts(n: number, name: string): void {
    const { scanner } = this
    scanner.line()
    for (let i = 0; i < n; i++) {
      if (scanner.at >= scanner.bytes.length) throw scanner.cutOff(`${n} texts of ${name}`)
      if (!this.isBinary) {
        scanner.line()
        continue
      }
      const head = scanner.bytes[scanner.at]!
      const size = [8, 4, 2, 1][head >> 6]!
      let length = head & 63
      for (let k = 1; k < size; k++) length = 256 * length + (scanner.bytes[scanner.at + k] ?? 0)
      if (scanner.at + size + length > scanner.bytes.length) throw scanner.cutOff(`${n} texts of ${name}`)
      scanner.at += size + length
    }
  }

  private name(): string {
    const word = this.scanner.word()
    try {
      return decodeURIComponent(word)
    } catch {
      return word
    }
  }

  private keepArray(name: string, components: number, type: string): void {
    if (!(Number.isInteger(components) && components > 0 && components < 1000))
      throw new FormatError('bad-count', `${this.scanner.name}: “${name}” cannot have ${components} components; the file is damaged.`)
    this.keep(name, components, type, this.array(type, components * this.tuples, name))
  }

  private keep(name: string, components: number, type: string, values: FloatArray): void {
    if (!this.place)
      throw new FormatError(
        'inconsistent',
        `${this.scanner.name}: the field “${name}” is neither on points nor on cells; the file is inconsistent.`,
      )
    this.fields.push({ name, place: this.place, components, numberType: binaryTypes[type.toLowerCase()] ?? type, values })
  }

  private array(type: string, n: number, what: string): FloatArray {
    const { scanner } = this
    const known = binaryTypes[type.toLowerCase()]
    if (!known)
      throw new FormatError('bad-type', `${scanner.name}: ${what} are of the unknown type “${type.slice(0, 20)}”; the file is damaged.`)
    if (!this.isBinary) {
      // a number and the space behind it take two bytes at least
      if (2 * n - 1 > scanner.bytes.length - scanner.at) throw scanner.cutOff(`${n} numbers of ${what}`)
      const values = scanner.numbers(n, what)
      return known === 'float32' ? Float32Array.from(values) : values
    }
    scanner.line()
    const size = type.toLowerCase() === 'bit' ? Math.ceil(n / 8) : n * binarySize(known)
    const bytes = scanner.binary(size, what)
    if (type.toLowerCase() === 'bit') return Float64Array.from({ length: n }, (_, i) => (bytes[i >> 3]! >> (7 - (i & 7))) & 1)
    return decodeNumbers(bytes, known, false)
  }

  /** Until version 5 each cell is its number of nodes and the nodes; from then on offsets and connectivity are separate. */
  private cellLists(): { offsets: Uint32Array; connectivity: Uint32Array } {
    const { scanner } = this
    const n = scanner.count('cells', 0)
    const size = scanner.count('numbers of cells', 0)
    const at = scanner.at
    if (scanner.word().toUpperCase() === 'OFFSETS') {
      const offsets = Uint32Array.from(this.array(scanner.word(), n, 'offsets'))
      if (scanner.word().toUpperCase() !== 'CONNECTIVITY') throw scanner.cutOff('CONNECTIVITY')
      const connectivity = Uint32Array.from(this.array(scanner.word(), size, 'connectivity'))
      for (let c = 1; c < n; c++)
        if (offsets[c]! < offsets[c - 1]!)
          throw new FormatError('bad-offsets', `${scanner.name}: the offsets of cells fall; the file is damaged.`)
      return { offsets: n ? offsets : new Uint32Array(1), connectivity }
    }
    scanner.at = at
    const list = this.array('int', size, 'cells')
    const offsets = new Uint32Array(n + 1)
    const connectivity = new Uint32Array(Math.max(size - n, 0))
    for (let c = 0, i = 0; c < n; c++) {
      const nodes = list[i++]!
      if (!(nodes >= 0 && i + nodes <= size))
        throw new FormatError('bad-cell', `${scanner.name}: cell ${c} claims ${nodes} nodes; the file is damaged.`)
      offsets[c + 1] = offsets[c]! + nodes
      for (let k = 0; k < nodes; k++) connectivity[offsets[c]! + k] = list[i++]!
    }
    return { offsets, connectivity }
  }

  private polyGroup(keyword: string): void {
    const lists = this.cellLists()
    const types = new Uint8Array(lists.offsets.length - 1)
    for (let c = 0; c < types.length; c++) {
      const n = lists.offsets[c + 1]! - lists.offsets[c]!
      if (keyword === 'VERTICES') types[c] = n === 1 ? 1 : 2
      else if (keyword === 'LINES') types[c] = n === 2 ? 3 : 4
      else if (keyword === 'TRIANGLE_STRIPS') types[c] = 6
      else types[c] = n === 3 ? 5 : n === 4 ? 9 : 7
    }
    this.groups.push({ types, ...lists })
  }

  private mesh(): SourceMesh {
    const { counts } = this
    if (counts) {
      if (!counts.every((n) => Number.isInteger(n) && n > 0 && n < 2 ** 31))
        throw new FormatError('bad-count', `${this.scanner.name}: dimensions ${counts.join(' × ')} are not usable; the file is damaged.`)
      const n = counts[0] * counts[1] * counts[2]
      const isUniform = !this.points && !this.coordinates.length
      // the points of a uniform grid are not in the file: its values are
      if (n > (isUniform ? this.scanner.bytes.length : (this.points?.length ?? Infinity) / 3)) throw this.scanner.cutOff(`${n} points`)
      const points = this.points ?? (isUniform ? uniformPoints(counts, [0, 0, 0], this.origin, this.spacing) : this.rectilinear(counts))
      return { points, ...structuredCells(counts) }
    }
    if (!this.points) throw new FormatError('no-cells', `${this.scanner.name} holds no points: there is nothing to show.`)
    return {
      points: this.points,
      ...joinCells(
        this.groups,
        this.groups.map(() => 0),
      ),
    }
  }

  private rectilinear(counts: Counts): FloatArray {
    const [x, y, z] = this.coordinates
    if (!x || !y || !z || x.length !== counts[0] || y.length !== counts[1] || z.length !== counts[2])
      throw new FormatError('inconsistent', `${this.scanner.name}: coordinates do not fit the dimensions; the file is inconsistent.`)
    return rectilinearPoints(x, y, z)
  }

  private build(): OpenCase {
    const mesh = this.mesh()
    for (const { name, place, components, values } of this.fields) {
      const n = place === 'point' ? mesh.points.length / 3 : mesh.types.length
      if (values.length !== n * components)
        throw new FormatError(
          'wrong-length',
          `${this.scanner.name}: the field “${name}” has ${values.length / components} values for ${n} ${place}s; the file is ` +
            `inconsistent.`,
        )
    }
    const parts = partsByDimension('region', mesh)
    const names = parts.map((part) => part.name)
    const fields: SourceField[] = this.fields.map(({ values, ...field }) => ({ ...field, parts: names, read: async () => values }))
    return new SourceCase({
      format: 'VTK legacy',
      name: this.scanner.name,
      parts,
      fields,
      numbers: this.numbers,
      ...(this.time !== undefined && { moments: [timeMoment(this.time)] }),
    })
  }
}
