/** What goes through a surface one way and the other. */
import { elementSize, valueIndex } from '../shapes/Shape'
import type { Shape, ShapeValues } from '../shapes/Shape'
import { elementMeasure } from './integrateShape'
import { Sum } from './sums'

/** Both are sums of absolute values. */
export interface Flow {
  /** Along the normal. */
  out: number
  into: number
  /** Size of what has no finite value and is left out. */
  skipped: number
  nonFinite: number
}

/**
 * Integral over the elements with a positive one, and over those with a negative one.
 *
 * @param through  a scalar
 */
export function flowOf({ kind, pieces }: Shape, through: ShapeValues): Flow {
  const [out, into, skipped] = [new Sum(), new Sum(), new Sum()]
  let nonFinite = 0
  const size = elementSize(kind)
  pieces.forEach((piece, p) => {
    const { values, place } = through.pieces[p]!
    for (let e = 0; e < piece.cells.length; e++) {
      let mean = 0
      for (let i = 0; i < size; i++) mean += values[valueIndex(kind, piece, place, e, i)]! / size
      const area = elementMeasure(kind, piece, e)
      if (!Number.isFinite(mean)) {
        nonFinite++
        skipped.add(area)
      } else if (mean > 0) out.add(mean * area)
      else into.add(-mean * area)
    }
  })
  return { out: out.value, into: into.value, skipped: skipped.value, nonFinite }
}
