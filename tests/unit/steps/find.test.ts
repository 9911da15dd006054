/** Nodes and cells by number, in their place and with their own values. */
import { describe, expect, it } from 'vitest'
import { evaluatorFor } from '../../support/evaluation'
import type { Evaluation } from '../../support/evaluation'
import { water } from '../../support/keptBox'
import type { Steps } from '../../support/keptBox'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import type { BoxKind } from '../../support/meshes'

const found = (settings: object): Steps => ({
  found: { kind: 'find', inputs: water, settings: { what: 'nodes', by: 'file', variable: '', numbers: [1], ...settings } },
})

/** Numbers of a solver, in no order. */
const called = (i: number): number => 7 + 3 * ((i * 37) % 100_003)

function evaluated(steps: Steps, kind: BoxKind = 'hexahedron'): { evaluation: Evaluation; mesh: ReturnType<typeof boxMesh> } {
  const mesh = boxMesh({ n: 12, kind })
  const nPoints = mesh.points.length / 3
  const fields = {
    f: { values: atPoints(mesh, (x, y, z) => 1 + 2 * x - y + 3 * z), components: 1 },
    node: { values: Float64Array.from({ length: nPoints }, (_, p) => called(p)), components: 1 },
    cell: { values: Float64Array.from(mesh.types, (_, c) => called(c)), components: 1, place: 'cell' as const },
  }
  return { evaluation: evaluatorFor(testCase(mesh, fields), steps), mesh }
}

describe('nodes', () => {
  it.each(boxKinds)('are each found once, at their place, with the value there (%s)', (kind) => {
    const wanted = [3, 77, 12]
    const steps = found({ by: 'variable', variable: 'node', numbers: [...wanted.map(called), 5] })
    const { evaluation, mesh } = evaluated(steps, kind)
    const shape = evaluation.shape('found')
    const { values } = evaluation.values('f', shape)
    expect(shape.points).toHaveLength(9)
    expect(shape.notes).toEqual(['no node 5 there'])
    const rows = shape.table!.rows.map(([number, part, ...at]) => ({ number, part, at }))
    expect(rows).toEqual(wanted.map((p) => ({ number: called(p), part: 'Water', at: [...mesh.points.subarray(3 * p, 3 * p + 3)] })))
    for (const [i, value] of values.entries()) {
      const [x, y, z] = shape.points.subarray(3 * i) as unknown as [number, number, number]
      expect(value).toBeCloseTo(1 + 2 * x - y + 3 * z, 12)
    }
  })

  it('count from 1 in their file where no variable has their numbers, and what is not there is said', () => {
    const { evaluation, mesh } = evaluated(found({ numbers: [1, 2197, 2198] }))
    expect(evaluation.shape('found').table!.rows.map((row) => row.slice(2))).toEqual([[0, 0, 0], [...mesh.points.subarray(3 * 2196)]])
    expect(evaluation.shape('found').notes).toEqual(['no node 2198 there'])
  })

  it('are not numbered by what stands on cells, or by no single number', () => {
    const by = (variable: string) => () => evaluated(found({ by: 'variable', variable })).evaluation.shape('found')
    expect(by('cell')).toThrow('cell stands on cells, so it does not number nodes')
    expect(by('pos')).toThrow('is no single number')
  })
})

describe('cells', () => {
  it.each(boxKinds)('are found in the middle of their nodes, with their own value (%s)', (kind) => {
    const { evaluation, mesh } = evaluated(found({ what: 'cells', numbers: [61, 4] }), kind)
    const shape = evaluation.shape('found')
    const middle = (cell: number): number[] => {
      const nodes = [...mesh.connectivity.subarray(mesh.offsets[cell]!, mesh.offsets[cell + 1]!)]
      return [0, 1, 2].map((d) => nodes.reduce((sum, p) => sum + mesh.points[3 * p + d]! / nodes.length, 0))
    }
    const at = [60, 3].map(middle)
    shape.table!.rows.forEach((row, i) => row.slice(2).forEach((x, d) => expect(x).toBeCloseTo(at[i]![d]!, 12)))
    expect([...evaluation.values('cell', shape).values].sort()).toEqual([called(3), called(60)].sort())
  })
})
