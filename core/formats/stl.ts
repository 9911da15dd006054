/** STL surfaces, ASCII and binary. Corners at bitwise the same place become one point; solids of ASCII files become parts. */
import { FormatError } from '../errors'
import { CellType } from '../mesh/cellTypes'
import { Growing } from '../mesh/growing'
import { joinSeams } from '../mesh/joinSeams'
import { compactPoints } from '../mesh/selectCells'
import type { SourceMesh } from '../mesh/normaliseCells'
import type { Format } from './Format'
import { SourceCase, uniqueNames } from './SourceCase'
import { readWhole, TextScanner } from './TextScanner'

const HEADER = 80
const FACET = 50

export const stl: Format = {
  id: 'STL',
  endings: ['.stl'],
  sniff: (head, name) => name.toLowerCase().endsWith('.stl') && head.length > 5,
  async open(source) {
    const bytes = await readWhole(source)
    const solids = isBinary(bytes) ? [readBinary(bytes, source.name)] : readAscii(new TextScanner(bytes, source.name))
    const parts = uniqueNames(solids).map(({ name, corners }) => {
      const mesh = meshOf(corners)
      const cells = mesh.types.length
      return { name, dimension: 2, points: mesh.points.length / 3, cells, cellTypes: { triangle: cells }, mesh: async () => mesh }
    })
    return new SourceCase({ format: 'STL', name: source.name, parts, fields: [] })
  },
}

interface Solid {
  name: string
  /** (9 × n) */
  corners: Float32Array
}

/** Binary files may begin with “solid” as well: their length tells. */
function isBinary(bytes: Uint8Array): boolean {
  if (bytes.length >= HEADER + 4) {
    const n = new DataView(bytes.buffer, bytes.byteOffset).getUint32(HEADER, true)
    if (bytes.length === HEADER + 4 + FACET * n) return true
  }
  const head = new TextDecoder('latin1').decode(bytes.subarray(0, 2048))
  return !(/^\s*solid/.test(head) && /facet|endsolid/.test(head))
}

function readBinary(bytes: Uint8Array, name: string): Solid {
  if (bytes.length < HEADER + 4)
    throw new FormatError('cut-off', `${name} ends at byte ${bytes.length} within its header: it is cut off; copy it again.`)
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const n = view.getUint32(HEADER, true)
  if (HEADER + 4 + FACET * n > bytes.length) {
    throw new FormatError(
      'cut-off',
      `${name} claims ${n} triangles, but ends at byte ${bytes.length} after ${Math.floor((bytes.length - HEADER - 4) / FACET)}: it ` +
        `is cut off; copy it again.`,
    )
  }
  const corners = new Float32Array(9 * n)
  for (let f = 0, o = 0; f < n; f++) for (let i = 0; i < 9; i++) corners[o++] = view.getFloat32(HEADER + 4 + FACET * f + 12 + 4 * i, true)
  return { name: 'surface', corners }
}

function readAscii(scanner: TextScanner): Solid[] {
  const solids: Solid[] = []
  let corners = new Growing(Float32Array)
  let name = ''
  while (!scanner.isAtEnd) {
    const word = scanner.word().toLowerCase()
    if (word === 'solid') {
      name = scanner.line()?.trim() || 'surface'
      corners = new Growing(Float32Array)
    } else if (word === 'vertex') corners.pushAll(scanner.numbers(3, 'a vertex'))
    else if (word === 'normal') scanner.numbers(3, 'a normal')
    else if (word === 'endsolid') {
      scanner.line()
      solids.push({ name, corners: corners.finish() })
    } else if (word === 'endfacet' && corners.length % 9)
      throw new FormatError('bad-cell', `${scanner.name}: the facet before byte ${scanner.at} has not three vertices; the file is damaged.`)
    else if (!/^(facet|outer|loop|endloop|endfacet)$/.test(word))
      throw new FormatError(
        'bad-word',
        `${scanner.name}: “${word.slice(0, 30)}” at byte ${scanner.at - word.length} is no word of this format; the file is damaged.`,
      )
  }
  if (!solids.length) throw scanner.cutOff('endsolid')
  return solids
}

function meshOf(corners: Float32Array): SourceMesh {
  const n = corners.length / 9
  const connectivity = Uint32Array.from({ length: 3 * n }, (_, i) => i)
  // each triangle is a piece of its own: its corners are joined to those of others
  joinSeams(
    corners,
    Array.from({ length: n }, (_, f) => 3 * f),
    connectivity,
  )
  const { points } = compactPoints(corners, connectivity)
  return {
    points,
    types: new Uint8Array(n).fill(CellType.triangle),
    offsets: Uint32Array.from({ length: n + 1 }, (_, f) => 3 * f),
    connectivity,
  }
}
