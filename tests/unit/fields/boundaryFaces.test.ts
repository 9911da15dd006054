/** Faces of the boundary with values of their own count in gradients and smoothing as cells do. */
import { describe, expect, it } from 'vitest'
import type { BoundarySurface } from '../../../core/fields/boundaryFaces'
import { neighbourGradients } from '../../../core/fields/neighbourGradient'
import { smoothedValues } from '../../../core/fields/smoothing'
import { openFolder } from '../../../core/formats'
import { measureExpression } from '../../../core/measure/reductions'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { skinOf } from '../../../core/mesh/skin'
import { tetrahedraOf } from '../../../core/mesh/tetrahedra'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { readCase } from '../../../core/store/memoryCase'
import { boxKinds, boxMesh } from '../../support/meshes'
import { evaluatorFor } from '../../support/evaluation'
import { MemoryFolder } from '../../support/vtkFiles'
import { foamCase } from '../../support/writers/foam'
import { boxModel } from '../../support/writers/model'

type Position = readonly [number, number, number]
type At = (p: Position) => number

const linear: At = ([x, y, z]) => 3 + 2 * x - y + 4 * z

/** A box with the values of a function at the centroids of cells, and its skin with those of another at the centroids of faces. */
function boxWithSkin(
  kind: (typeof boxKinds)[number],
  n: number,
  inside: At,
  outside: At,
  blockCells?: number,
): { region: MemoryPart; skin: BoundarySurface } {
  const mesh = boxMesh({ n, kind, skew: 0 })
  const at = (p: number): Position => [0, 1, 2].map((d) => mesh.points[3 * p + d]!) as unknown as Position
  const mean = (list: readonly Position[]): Position =>
    [0, 1, 2].map((d) => list.reduce((sum, p) => sum + p[d]! / list.length, 0)) as unknown as Position
  const numbers = Uint32Array.from({ length: mesh.points.length / 3 }, (_, p) => p)
  const centroid = (c: number): Position => {
    const [start, end] = [mesh.offsets[c]!, mesh.offsets[c + 1]!]
    const nodes = Array.from(mesh.connectivity.subarray(start, end), at)
    const tets = tetrahedraOf(mesh.types[c]!, mesh.connectivity, start, numbers)
    const middles = Array.from({ length: tets.length / 4 }, (_, t) => [0, 1, 2, 3].map((i) => nodes[tets[4 * t + i]!]!))
    const volumes = middles.map(([a, b, d, e]) => {
      const [u, v, w] = [b!, d!, e!].map((p) => [p[0] - a![0], p[1] - a![1], p[2] - a![2]]) as [number[], number[], number[]]
      return Math.abs(
        u[0]! * (v[1]! * w[2]! - v[2]! * w[1]!) - u[1]! * (v[0]! * w[2]! - v[2]! * w[0]!) + u[2]! * (v[0]! * w[1]! - v[1]! * w[0]!),
      )
    })
    const all = volumes.reduce((a, b) => a + b)
    return [0, 1, 2].map((d) => middles.reduce((sum, tet, t) => sum + (volumes[t]! / all) * mean(tet)[d]!, 0)) as unknown as Position
  }
  const region = new MemoryPart('Water', 3, mesh, blockCells)
  region.setField('f', { values: Float64Array.from(mesh.types, (_, c) => inside(centroid(c))), components: 1, place: 'cell' })
  const skin = skinOf(mesh)
  const faces = Array.from(skin.cells, (_, f) => Array.from(skin.nodes.subarray(skin.starts[f]!, skin.starts[f + 1]!)))
  const points = skin.points
  const wall = new MemoryPart(
    'Wall',
    2,
    normaliseCells(
      { points, types: Uint8Array.from(faces, (face) => (face.length === 3 ? 5 : 9)), offsets: skin.starts, connectivity: skin.nodes },
      'wall',
    ),
  )
  const middle = (face: number[]): Position => mean(face.map((p) => [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!]))
  wall.setField('f', { values: Float64Array.from(faces, (face) => outside(middle(face))), components: 1, place: 'cell' })
  return { region, skin: { part: wall, valuesOf: (b) => wall.field('f', b) } }
}

describe.each(boxKinds)('around %s cells', (kind) => {
  const n = kind === 'hexahedron' ? 11 : 6
  const { region, skin } = boxWithSkin(kind, n, linear, linear, 1024)

  it('linear fields keep their slopes', () => {
    for (let k = 0; k < region.nBlocks; k++) {
      const slopes = neighbourGradients(region, k, (j) => region.field('f', j), [skin])
      for (let c = 0; c < slopes.length; c += 3) [2, -1, 4].forEach((exact, d) => expect(slopes[c + d]).toBeCloseTo(exact, 8))
    }
  })

  it('linear fields are themselves at points of the sides, too', () => {
    for (let k = 0; k < region.nBlocks; k++) {
      const { points } = region.block(k)
      const values = smoothedValues(region, k, (j) => region.field('f', j), [skin])
      for (let p = 0; p < points.length / 3; p++) {
        const at = [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!] as const
        // at edges of the box no value around is as large
        if (at.filter((w) => w < 1e-9 || w > 1 - 1e-9).length < 2) expect(values[p]).toBeCloseTo(linear(at), 8)
      }
    }
  })
})

it('a wall that is at rest slows what is near it', () => {
  const { region, skin } = boxWithSkin(
    'hexahedron',
    6,
    () => 1,
    () => 0,
  )
  const [slopes, without] = [[skin], []].map((surfaces) => neighbourGradients(region, 0, (j) => region.field('f', j), surfaces)) as [
    Float64Array,
    Float64Array,
  ]
  expect(without.every((slope) => Math.abs(slope) < 1e-12)).toBe(true)
  const { points, connectivity } = region.block(0)
  for (let c = 0; c < slopes.length / 3; c++) {
    const x = [...connectivity.subarray(8 * c, 8 * c + 8)].reduce((sum, p) => sum + points[3 * p]! / 8, 0)
    // along x in cells at both ends; half a cell lies between them and the wall
    if (x < 1 / 6) expect(slopes[3 * c]).toBeGreaterThan(1)
    else if (x > 5 / 6) expect(slopes[3 * c]).toBeLessThan(-1)
    else expect(Math.abs(slopes[3 * c]!)).toBeLessThan(1e-9)
  }
  const values = smoothedValues(region, 0, (j) => region.field('f', j), [skin])
  for (let p = 0; p < values.length; p++) {
    const isAtWall = [0, 1, 2].some((d) => points[3 * p + d]! < 1e-9 || points[3 * p + d]! > 1 - 1e-9)
    if (isAtWall) expect(values[p]).toBeLessThan(0.5)
    else expect(values[p]).toBeCloseTo(1, 9)
  }
})

it('the slope of a parabola at a wall is nearer to the truth', () => {
  const parabola: At = ([x]) => x * (1 - x)
  const { region, skin } = boxWithSkin('hexahedron', 10, parabola, ([x, y, z]) =>
    Math.min(y, z, 1 - y, 1 - z) < 1e-9 ? parabola([x, y, z]) : 0,
  )
  const error = (surfaces: BoundarySurface[]): number => {
    const slopes = neighbourGradients(region, 0, (j) => region.field('f', j), surfaces)
    const { points, connectivity, types } = region.block(0)
    let most = 0
    for (let c = 0; c < types.length; c++) {
      const x = [...connectivity.subarray(8 * c, 8 * c + 8)].reduce((sum, p) => sum + points[3 * p]! / 8, 0)
      most = Math.max(most, Math.abs(slopes[3 * c]! - (1 - 2 * x)))
    }
    return most
  }
  expect(error([])).toBeGreaterThan(0.09)
  expect(error([skin])).toBeLessThan(0.6 * error([]))
})

describe('in formulas', () => {
  const value = async (T: string | undefined, text: string): Promise<number> => {
    const files: Record<string, Uint8Array> = foamCase(boxModel(), { hasFluxes: true })
    if (T)
      files['0.5/T'] = Buffer.from(
        Buffer.from(files['0.5/T']!)
          .toString()
          .replace(/(Walls\s*\{\s*type calculated;\s*value )nonuniform[^;]*;/, `$1${T};`),
      )
    return measureExpression(text, evaluatorFor(await readCase(await openFolder(new MemoryFolder(files), ''), 0), {}).data, ['region'])
      .value
  }

  it('surfaces of the region are looked at, and those inside it are not', async () => {
    expect(await value(undefined, "max(mag(grad(T) - vec(1, 2, -1) * 1 'K/m'))")).toBeLessThan(1e-9)
    expect(await value('uniform 500', 'max(mag(grad(T)))')).toBeGreaterThan(100)
    // what flows through faces is no value at them
    expect(await value(undefined, 'max(mag(grad(phi_net)))')).toBeLessThan(1e-9)
  })
})
