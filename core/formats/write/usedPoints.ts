/** A mesh without the points that no cell uses: where pieces were joined, one of two points at the same place is left over. */
import { gather } from '../../mesh/gather'
import { Growing } from '../../mesh/growing'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { moveFaces } from '../meshParts'
import type { WriteField } from './vtkXml'

/** @param fields  in the order of its points and cells */
export function usedPoints(mesh: SourceMesh, fields: readonly WriteField[]): { mesh: SourceMesh; fields: readonly WriteField[] } {
  const { points, types, connectivity, polyhedra } = mesh
  const isUsed = new Uint8Array(points.length / 3)
  for (let i = 0; i < connectivity.length; i++) isUsed[connectivity[i]!] = 1
  if (polyhedra) moveFaces(types, polyhedra, (p) => ((isUsed[p] = 1), p))
  const used = new Growing(Uint32Array)
  const numbers = new Uint32Array(isUsed.length)
  for (let p = 0; p < isUsed.length; p++) {
    numbers[p] = used.length
    if (isUsed[p]) used.push(p)
  }
  if (used.length === isUsed.length) return { mesh, fields }
  const sources = used.finish()
  return {
    mesh: {
      ...mesh,
      points: gather(points, sources, 3),
      connectivity: connectivity.map((p) => numbers[p]!),
      ...(polyhedra && { polyhedra: moveFaces(types, polyhedra, (p) => numbers[p]!) }),
    },
    fields: fields.map((field) =>
      field.place === 'point' ? { ...field, values: gather(field.values, sources, field.components) } : field,
    ),
  }
}
