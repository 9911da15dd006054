/** The kernel for volumes and integrals against the plainest way to say the same, for values that are out of the ordinary, too. */
import { describe, expect, it, test } from 'vitest'
import { fieldFigures, fieldSummary } from '../../../core/check/fieldFigures'
import { partFigures, partSize } from '../../../core/check/partFigures'
import { integrateCells, linearShares, linearVolumes, magnitude } from '../../../core/measure/integrateCells'
import { mergeTotals } from '../../../core/measure/sums'
import type { MeshBlock } from '../../../core/mesh/MeshBlock'
import { tetrahedraOf } from '../../../core/mesh/tetrahedra'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { atPoints, boxKinds, boxMesh } from '../../support/meshes'

/** Volume of a cell and the shares of its nodes: a quarter of each tetrahedron at each of its corners. */
function plainShares({ points, types, offsets, connectivity, pointNumbers }: MeshBlock, c: number): { volume: number; shares: number[] } {
  const start = offsets[c]!
  const shares = Array<number>(offsets[c + 1]! - start).fill(0)
  const tets = [...tetrahedraOf(types[c]!, connectivity, start, pointNumbers)]
  for (let t = 0; t < tets.length; t += 4) {
    const [a, b, d, e] = tets.slice(t, t + 4).map((local) => [0, 1, 2].map((k) => points[3 * connectivity[start + local]! + k]!)) as [
      number[],
      number[],
      number[],
      number[],
    ]
    const [u, v, w] = [b, d, e].map((p) => p.map((x, k) => x - a[k]!)) as [number[], number[], number[]]
    const volume =
      (u[0]! * (v[1]! * w[2]! - v[2]! * w[1]!) + u[1]! * (v[2]! * w[0]! - v[0]! * w[2]!) + u[2]! * (v[0]! * w[1]! - v[1]! * w[0]!)) / 6
    for (const local of tets.slice(t, t + 4)) shares[local]! += volume / 4
  }
  return { volume: shares.reduce((sum, x) => sum + x, 0), shares }
}

describe.each(boxKinds)('%s', (kind) => {
  const mesh = boxMesh({ n: 5, kind, size: [2, 1, 1.5] })
  const part = new MemoryPart('box', 3, mesh)

  it('volumes, and the shares of nodes', () => {
    const block = part.block(0)
    const { volumes, shares } = linearShares(block)
    expect(linearVolumes(block)).toEqual(volumes)
    for (let c = 0; c < volumes.length; c += 7) {
      const plain = plainShares(block, c)
      expect(volumes[c]).toBeCloseTo(plain.volume, 14)
      plain.shares.forEach((share, i) => expect(shares[block.offsets[c]! + i]).toBeCloseTo(share, 14))
    }
    expect(volumes.reduce((sum, x) => sum + x, 0)).toBeCloseTo(3, 12)
  })

  it.each([[1], [3], [6], [9]])('integrals of %i components at points and on cells, what is not finite left out', (components) => {
    const waves = atPoints(mesh, (x, y, z) => Array.from({ length: components }, (_, d) => Math.sin(3 * x + d) * (y - z)))
    waves[2 * components] = NaN
    const onCells = Float64Array.from({ length: mesh.types.length * components }, (_, i) => Math.cos(i))
    onCells[5 * components] = -Infinity
    for (const [place, values] of [
      ['point', waves],
      ['cell', onCells],
    ] as const) {
      part.setField('f', { values, components, place })
      const totals = mergeTotals(
        Array.from({ length: part.nBlocks }, (_, k) => integrateCells(part.block(k), part.field('f', k))).flat(),
        components,
      )
      const plain = { measure: 0, left: 0, integral: Array<number>(components).fill(0), min: Infinity, max: -Infinity }
      for (let k = 0; k < part.nBlocks; k++) {
        const block = part.block(k)
        const own = part.field('f', k).values
        for (let c = 0; c < block.types.length; c++) {
          const { volume, shares } = plainShares(block, c)
          const items = place === 'cell' ? [c] : [...block.connectivity.subarray(block.offsets[c], block.offsets[c + 1])]
          const all = items.flatMap((item) => [...own.subarray(item * components, (item + 1) * components)])
          if (!all.every(Number.isFinite)) {
            plain.left++
            continue
          }
          plain.measure += volume
          items.forEach((item, i) => {
            for (let d = 0; d < components; d++)
              plain.integral[d]! += (place === 'cell' ? volume : shares[i]!) * own[item * components + d]!
            plain.min = Math.min(plain.min, magnitude(own, item, components))
            plain.max = Math.max(plain.max, magnitude(own, item, components))
          })
        }
      }
      expect(totals.nonFinite).toBe(plain.left)
      expect(plain.left).toBeGreaterThan(0)
      expect(totals.measure).toBeCloseTo(plain.measure, 12)
      expect(totals.measure + totals.skipped).toBeCloseTo(3, 12)
      plain.integral.forEach((x, d) => expect(totals.integral[d]).toBeCloseTo(x, 12))
      expect([totals.min, totals.max]).toEqual([plain.min, plain.max])
    }
  })
})

test('what info prints is what the data check says', () => {
  const mesh = boxMesh({ n: 4, kind: 'mixed' })
  const part = new MemoryPart('box', 3, mesh)
  part.setField('T', { values: atPoints(mesh, (x, y) => x + y), components: 1, place: 'point' })
  expect(partFigures(part, mesh.points.length / 3)).toMatchObject(partSize(part))
  const { spread, ...summary } = fieldFigures(part, 'T', 1)
  expect(fieldSummary(part, 'T', 1)).toEqual(summary)
  expect(spread.reduce((sum, x) => sum + x, 0)).toBeCloseTo(1, 12)
})
