/** Positions that a vector moves so many times over. */
import { DataError } from '../errors'
import { labelOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import type { FloatArray } from '../mesh/MeshBlock'
import type { Moved } from '../shapes/moved'
import { factorBetween } from '../units/units'
import type { FrameData } from './FrameData'

interface Vectors {
  values: FloatArray
  components: number
  place: string
}

/** Points at which the vector has no value stay without a position. @throws DataError when it is no vector at points */
export function movedBy(data: FrameData, expression: Expression, factor: number): Moved {
  const moved = (points: FloatArray, { values, components, place }: Vectors, unit: string | null): Float64Array => {
    if (components !== 3 || place !== 'point')
      throw new DataError(
        'not-vector',
        `“${labelOf(expression)}” is no vector at points, so nothing can be cut where it takes it; choose another, or smooth it.`,
      )
    const by = factor * factorBetween(unit, data.lengthUnit)
    return Float64Array.from({ length: points.length }, (_, i) => points[i]! + by * values[i]!)
  }
  return {
    onMesh(mesh, block) {
      const parts = [block.part.name]
      return moved(mesh.points, data.domainValues(expression, parts, block, mesh), data.quantity(expression, parts).unit)
    },
    onPiece(piece, of) {
      const { pieces, unit } = data.values(expression, { ...of, pieces: [piece] })
      return moved(piece.points, pieces[0]!, unit)
    },
  }
}
