/** Cells as their file had them, for writing: what was split to be drawn is put together again. */
import type { FloatArray } from '../../mesh/MeshBlock'
import type { NormalMesh, SourceMesh } from '../../mesh/normaliseCells'
import type { WriteField } from './vtkXml'

/**
 * The mesh without added points, its quadratic cells and polyhedra whole, and fields to fit.
 *
 * @param fields      in the order of the points and pieces of `mesh`
 * @param isWritable  whether the format has cells of a type; where it lacks one, the pieces are given
 */
export function wholeCells(
  mesh: NormalMesh,
  fields: readonly WriteField[],
  isWritable: (type: number) => boolean = () => true,
): { mesh: SourceMesh; fields: readonly WriteField[] } {
  const { whole, centres, points } = mesh
  if (!whole?.types.every(isWritable)) return { mesh, fields }
  const nPoints = points.length / 3 - (centres?.length ?? 0)
  const firstPiece = new Int32Array(whole.types.length).fill(-1)
  for (let piece = whole.of.length - 1; piece >= 0; piece--) firstPiece[whole.of[piece]!] = piece
  const { types, offsets, connectivity, polyhedra } = whole
  return {
    mesh: { points: points.subarray(0, 3 * nPoints), types, offsets, connectivity, ...(polyhedra && { polyhedra }) },
    fields: fields.map((field) => ({
      ...field,
      values: field.place === 'point' ? field.values.subarray(0, nPoints * field.components) : valuesOfCells(field, firstPiece),
    })),
  }
}

/** A cell without pieces, such as a polyhedron without faces, has no value. */
function valuesOfCells({ values, components }: WriteField, firstPiece: Int32Array): FloatArray {
  const out =
    values instanceof Float32Array ? new Float32Array(firstPiece.length * components) : new Float64Array(firstPiece.length * components)
  firstPiece.forEach((piece, c) => {
    for (let d = 0; d < components; d++) out[c * components + d] = piece < 0 ? NaN : values[piece * components + d]!
  })
  return out
}
