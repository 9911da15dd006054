/** Steps that keep a part of a box with known fields, and what closes a surface. */
import type { Plan } from '../../core/evaluate/plan'
import { sizeOfShape } from '../../core/measure/integrateShape'
import { triangleNormal } from '../../core/shapes/normals'
import type { Shape } from '../../core/shapes/Shape'
import { evaluatorFor, pieceOf } from './evaluation'
import type { Evaluation, WholeShape } from './evaluation'
import { atPoints, boxMesh, testCase } from './meshes'
import type { BoxKind } from './meshes'

export type Steps = Plan['steps']
export const water = { of: [{ part: 'Water' }] }
export const on = (step: string) => ({ of: [{ step }] })
export const clipped = (settings: object, inputs: Steps[string]['inputs'] = water): Steps[string] => ({
  kind: 'clip',
  inputs,
  settings: {
    ...{ form: 'plane', side: 'inside', cells: 'cut', origin: [0.5, 0.5, 0.5], normal: [1, 0, 0] },
    ...{ low: [0.2, 0.3, 0.1], high: [0.7, 0.8, 0.9], radius: 0.4, ...settings },
  },
})
export const kept = (condition: string, inputs: Steps[string]['inputs'] = water, cells = 'cut'): Steps[string] => ({
  kind: 'keep',
  inputs,
  settings: { condition, cells },
})
export const measured = (step: string, variable?: string): Steps[string] => ({
  kind: 'measure',
  inputs: on(step),
  settings: variable === undefined ? { quantity: 'size', variable: '' } : { quantity: 'integral', variable },
})

export interface Case {
  kind?: BoxKind
  n?: number
  skew?: number
  blockCells?: number
}

export function evaluated(
  steps: Steps,
  { kind = 'hexahedron', n = 6, skew = 0.2, blockCells = 1024 }: Case = {},
  formulas = {},
): Evaluation {
  const mesh = boxMesh({ n, kind, skew })
  const cells = Float64Array.from(mesh.types, (_, c) => c)
  const fields = {
    f: { values: atPoints(mesh, (x, y, z) => 1 + 2 * x - y + 3 * z), components: 1 },
    U: { values: atPoints(mesh, () => [1, 0, 0]), components: 3 },
    q: { values: atPoints(mesh, (x, y, z) => x * x + y * y + z * z), components: 1, unit: '1' },
    number: { values: cells, components: 1, place: 'cell' as const, unit: '1' },
  }
  return evaluatorFor(testCase(mesh, fields, blockCells), steps, formulas)
}

/** Enclosed volume by the divergence theorem, and the sum of the areas as vectors, which is zero for a closed surface. */
export function enclosed({ points, elements, cells }: WholeShape): { volume: number; open: number } {
  const sum = [0, 0, 0]
  let volume = 0
  for (let e = 0; e < cells.length; e++) {
    const normal = triangleNormal(points, elements, e)
    for (let d = 0; d < 3; d++) {
      sum[d]! += normal[d]!
      for (let i = 0; i < 3; i++) volume += (normal[d]! * points[3 * elements[3 * e + i]! + d]!) / 18
    }
  }
  return { volume, open: Math.hypot(...sum) }
}

/** Edges that are not used once in each direction. */
export function looseEdges({ points, elements }: WholeShape): number {
  const counts = new Map<string, number>()
  const text = (p: number): string => `${points[3 * p]! + 0} ${points[3 * p + 1]! + 0} ${points[3 * p + 2]! + 0}`
  for (let e = 0; e < elements.length; e += 3) {
    for (let i = 0; i < 3; i++) {
      const [a, b] = [text(elements[e + i]!), text(elements[e + ((i + 1) % 3)]!)]
      // a cut that all but meets a point leaves triangles without area
      if (a === b) continue
      const [key, by] = a < b ? [`${a}|${b}`, 1] : [`${b}|${a}`, -1]
      counts.set(key, (counts.get(key) ?? 0) + by)
    }
  }
  return [...counts.values()].filter((n) => n !== 0).length
}

export const areaOf = (shape: WholeShape): number => sizeOfShape({ kind: shape.kind, pieces: [pieceOf(shape)] } as Shape).measure
