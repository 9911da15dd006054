/** Lines and points that are drawn by hand: they lie in no part of the case, so they have no values of their own. */
import type { Vector } from '../mesh/vectors'
import { NO_CELL } from './Shape'
import type { Piece } from './Shape'

export function drawnLine(places: readonly Vector[], isClosed = false): Piece {
  const n = places.length
  const segments = Array.from({ length: isClosed ? n : n - 1 }, (_, i) => [i, (i + 1) % n]).flat()
  return { ...drawn(places, segments, segments.length / 2), ...(!isClosed && { paths: Uint32Array.of(0, n) }) }
}

export function drawnPoints(places: readonly Vector[]): Piece {
  return drawn(
    places,
    places.map((_, i) => i),
    places.length,
  )
}

/** @param triangles  three places each */
export function looseSurface(places: readonly Vector[], triangles: readonly number[]): Piece {
  return drawn(places, triangles, triangles.length / 3)
}

/** @param paths  first point of each line, and the end of the last (n + 1) */
export function looseLines(points: Float64Array, paths: Uint32Array): Piece {
  const elements: number[] = []
  for (let k = 0; k + 1 < paths.length; k++) for (let p = paths[k]! + 1; p < paths[k + 1]!; p++) elements.push(p - 1, p)
  return { ...loose(points, Uint32Array.from(elements), elements.length / 2), paths }
}

/** The same points and elements without a case. @param factor  to another length unit */
export function looseCopy({ points, elements, cells, paths, columns }: Piece, factor: number): Piece {
  const own = loose(
    points.map((x) => factor * x),
    elements,
    cells.length,
  )
  return { ...own, ...(paths && { paths }), ...(columns && { columns }) }
}

function drawn(places: readonly Vector[], elements: readonly number[], nElements: number): Piece {
  return loose(Float64Array.from(places.flat()), Uint32Array.from(elements), nElements)
}

/** In no cell, and with no weights over points of a case. */
function loose(points: Float64Array, elements: Uint32Array, nElements: number): Piece {
  return {
    points,
    elements,
    cells: new Uint32Array(nElements).fill(NO_CELL),
    weightStarts: new Uint32Array(points.length / 3 + 1),
    sources: new Uint32Array(0),
    weights: new Float64Array(0),
    ranges: [],
  }
}
