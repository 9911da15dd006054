/** A function at points as one at cells: the mean over the points of a cell or of an element. */
import type { Level } from './condition'

export function cellMeans(level: Level): Level {
  return {
    onMesh(_, block) {
      // cells are chosen by the case's own, whatever was cut off them before
      const whole = block.part.block(block.block)
      return means(level.onMesh(whole, block), whole.connectivity, whole.offsets)
    },
    onPiece(piece, of) {
      const size = piece.elements.length / (piece.cells.length || 1)
      const offsets = Uint32Array.from({ length: piece.cells.length + 1 }, (_, e) => e * size)
      return means(level.onPiece(piece, of), piece.elements, offsets)
    },
    ...(level.sideOf && { sideOf: level.sideOf }),
  }
}

function means(values: Float64Array, nodes: Uint32Array, offsets: Uint32Array): Float64Array {
  const out = new Float64Array(offsets.length - 1)
  for (let c = 0; c < out.length; c++) {
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) out[c]! += values[nodes[i]!]!
    out[c]! /= offsets[c + 1]! - offsets[c]!
  }
  return out
}
