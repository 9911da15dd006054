/** Points of a reference cell are found in the core's own, whatever frame the file chose. */
import { expect, it } from 'vitest'
import { integrationRule, placedPoints } from '../../../core/formats/med/integrationPoints'
import { cellTypeNames } from '../../../core/mesh/cellTypes'
import { cornerPositions, QuadraticType } from '../../../core/mesh/quadraticCells'
import { nodePositions } from '../../../core/mesh/quadraticShape'

type Position = readonly number[]

/** Another frame: turned over, stretched and moved. */
const frame =
  (dimension: number) =>
  ([x, y, z]: Position): number[] =>
    dimension === 1 ? [3 - 2 * x!] : [2 * y! - 1, 2 * x! - 1 + 0.5 * z!, 3 * z! - 1]
const real = ([x, y, z]: Position): number[] => [2 * x! + 0.25 * z!, y! + 0.5 * x!, z! + 0.125 * y! + 7]
const byAxis = (list: readonly Position[], dimension: number): Float64Array =>
  Float64Array.from(Array.from({ length: dimension }, (_, d) => list.map((at) => at[d]!)).flat())

const linear = Object.entries(cornerPositions).map(
  ([type, corners]) => [cellTypeNames[Number(type)]!, Number(type), corners as readonly Position[]] as const,
)
const quadratic = Object.entries(QuadraticType)
  .filter(([name]) => name !== 'triangle7')
  .map(([name, type]) => [name, type, nodePositions(type) as readonly Position[]] as const)

it.each([...linear, ...quadratic])('of %s cells', (_, type, nodes) => {
  const dimension = nodes.some((at) => at[2]) ? 3 : nodes.some((at) => at[1]) ? 2 : 1
  const inside = [
    [0.2, 0.3, 0.15],
    [0.1, 0.05, 0.4],
    [0.25, 0.25, 0.25],
  ].map((at) => at.map((x, d) => (d < dimension ? x : 0)))
  const rule = integrationRule(
    type,
    nodes.length,
    byAxis(nodes.map(frame(dimension)), dimension),
    byAxis(inside.map(frame(dimension)), dimension),
  )!
  expect(rule.length).toBe(3 * nodes.length)
  const mesh = {
    points: Float64Array.from(nodes.flatMap(real)),
    types: Uint8Array.of(type),
    offsets: Uint32Array.of(0, nodes.length),
    connectivity: Uint32Array.from(nodes.keys()),
  }
  const found = placedPoints(mesh, 0, 1, rule)
  inside.flatMap(real).forEach((x, i) => expect(found[i]).toBeCloseTo(x, 12))
})

it('a reference cell of another shape has none', () => {
  const [, type, nodes] = linear.find(([name]) => name === 'hexahedron')!
  const bent = nodes.map((at, i) => (i === 6 ? [2, 2, 2] : at))
  expect(integrationRule(type, 8, byAxis(bent, 3), Float64Array.of(0, 0, 0))).toBeUndefined()
  expect(integrationRule(type, 8, Float64Array.of(1, 2, 3), Float64Array.of(0, 0, 0))).toBeUndefined()
})
