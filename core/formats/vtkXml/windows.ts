/**
 * Windows of one piece of a grid, for pieces that do not fit into memory: of binary arrays, and of arrays that are not stored
 * but follow from the size of the grid.
 */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import { SourceType } from '../../mesh/splitCells'
import type { FormatWindows } from '../Format'
import { childNamed, childrenNamed } from '../xmlTree'
import type { XmlElement } from '../xmlTree'
import { structuredTable } from '../structured'
import { tableWindows } from '../cellTables'
import { cellCount, extentCounts, gridPoints, isStructured, pieceTypes, pointCount } from './cells'
import type { Piece } from './cells'
import { ArrayWindows } from './arrayWindows'
import { describe } from './dataArray'
import { openPolyhedra } from './polyhedra'

/** The cells of a piece; undefined where they cannot be read in windows. @param hasPolyhedra  whether there are some in all of the file */
export async function pieceWindows(piece: Piece, hasPolyhedra: boolean): Promise<FormatWindows | undefined> {
  if (isStructured(piece)) return structuredWindows(piece)
  return piece.kind === 'UnstructuredGrid' ? unstructuredWindows(piece, hasPolyhedra) : undefined
}

async function structuredWindows(piece: Piece): Promise<FormatWindows | undefined> {
  const { file, element } = piece
  const nPoints = pointCount(piece)
  const made = await gridPoints(piece)
  const listed = childNamed(childNamed(element, 'Points'), 'DataArray')
  const stored = !made && listed ? await ArrayWindows.open(file, listed, 3 * nPoints) : undefined
  if (!made && !stored) return undefined
  const points: FormatWindows['points'] = async (from, to) => made?.(from, to) ?? toFloats(await stored!.read(3 * from, 3 * to))
  return tableWindows(file.source.name, nPoints, points, [structuredTable(extentCounts(piece).counts)])
}

async function unstructuredWindows(piece: Piece, hasPolyhedra: boolean): Promise<FormatWindows | undefined> {
  const { file, element } = piece
  const [nPoints, nCells] = [pointCount(piece), cellCount(piece)]
  const cells = childrenNamed(childNamed(element, 'Cells'), 'DataArray')
  const named = (name: string): XmlElement | undefined => cells.find((a) => a.attributes['Name'] === name)
  const [pointsElement, endsElement, typesElement, nodesElement] = [
    childNamed(childNamed(element, 'Points'), 'DataArray'),
    named('offsets'),
    named('types'),
    named('connectivity'),
  ]
  if (!pointsElement || !endsElement || !typesElement || !nodesElement || nCells === 0) return undefined
  const points = await ArrayWindows.open(file, pointsElement, 3 * nPoints)
  const ends = await ArrayWindows.open(file, endsElement, nCells)
  const types = await ArrayWindows.open(file, typesElement, nCells)
  const nNodes = ends && (await ends.readWhole(nCells - 1, nCells))[0]!
  const nodes = nNodes ? await ArrayWindows.open(file, nodesElement, nNodes) : undefined
  if (!points || !ends || !types || !nodes) return undefined
  const readFaces =
    hasPolyhedra && (named('faces') ?? named('face_connectivity'))
      ? await openPolyhedra(file, childNamed(element, 'Cells'), nCells, true)
      : undefined
  // a piece without polyhedra may lack the arrays of the others
  if (hasPolyhedra && !readFaces && (await pieceTypes(piece)).includes(SourceType.polyhedron)) return undefined
  return {
    name: file.source.name,
    nPoints,
    nCells,
    points: async (from, to) => toFloats(await points.read(3 * from, 3 * to)),
    async cells(from, to) {
      const first = from === 0 ? 0 : (await ends.readWhole(from - 1, from))[0]!
      const last = await ends.readWhole(from, to)
      const { offsets, wrong } = offsetsOf(last, first, nNodes!)
      if (wrong !== undefined)
        throw new FormatError(
          'bad-offsets',
          `${describe(file, endsElement)}: the offset of cell ${from + wrong} is ${last[wrong]}, which does not follow; the file is ` +
            `damaged.`,
        )
      const [kinds, list] = await Promise.all([types.readTypes(from, to), nodes.readWhole(first, last[last.length - 1]!)])
      return { types: kinds, offsets, connectivity: list, ...(readFaces && { polyhedra: await readFaces(from, to, kinds) }) }
    },
  }
}

/** Where cells begin among those of a window, from where they end in the file; or the first one that does not follow. */
function offsetsOf(ends: Uint32Array, first: number, nNodes: number): { offsets: Uint32Array; wrong?: number } {
  const offsets = new Uint32Array(ends.length + 1)
  let before = first
  for (let c = 0; c < ends.length; c++) {
    const end = ends[c]!
    if (!(end >= before && end <= nNodes)) return { offsets, wrong: c }
    offsets[c + 1] = end - first
    before = end
  }
  return { offsets }
}

/** Values of an array as floating-point numbers. */
export function toFloats(values: ArrayLike<number>): FloatArray {
  return values instanceof Float32Array || values instanceof Float64Array ? values : Float64Array.from(values)
}
