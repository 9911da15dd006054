import { wholeDomain } from '../../../core/mesh/Domain'
import { describe, expect, it } from 'vitest'
import { CellType, cellNodeCount } from '../../../core/mesh/cellTypes'
import { matchFaces } from '../../../core/mesh/faceMatching'
import { PartLocator } from '../../../core/mesh/locate'
import { curveOrder } from '../../../core/mesh/curveOrder'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { invertCell, loadCell, shapeFunctions } from '../../../core/mesh/shapeFunctions'
import { tetrahedraOf } from '../../../core/mesh/tetrahedra'
import { integrateCells } from '../../../core/measure/integrateCells'
import { mergeTotals } from '../../../core/measure/sums'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { atPoints, boxKinds, boxMesh } from '../../support/meshes'

const linear = (x: number, y: number, z: number): number => 3 + 2 * x - y + 0.5 * z

describe.each(boxKinds)('a skewed box of %s cells', (kind) => {
  const mesh = boxMesh({ n: 4, kind, size: [2, 1, 1.5] })
  const part = new MemoryPart('box', 3, mesh, 1024)
  const values = atPoints(mesh, linear)
  part.setField('f', { values, components: 1, place: 'point' })

  it('has the exact volume and the exact integral of a linear field', () => {
    const totals = mergeTotals(integrateCells(part.block(0), part.field('f', 0)), 1)
    expect(totals.measure).toBeCloseTo(3, 12)
    // over the box, a linear field's mean is its value at the centre
    expect(totals.integral[0]).toBeCloseTo(3 * linear(1, 0.5, 0.75), 11)
  })

  it('finds positions and interpolates linear fields exactly, on faces and nodes too', () => {
    const locator = new PartLocator(wholeDomain([part]))
    for (const [x, y, z] of [
      [0.3, 0.4, 0.5],
      [1.9, 0.1, 1.4],
      [0, 0, 0],
      [2, 1, 1.5],
      [1, 0.5, 0.75],
      [0.5, 0.25, 0.375],
    ] as const) {
      expect(locator.find(x, y, z)).toBe(true)
      const block = part.block(locator.block)
      let sum = 0
      for (let i = block.offsets[locator.cell]!, w = 0; i < block.offsets[locator.cell + 1]!; i++, w++) {
        sum += locator.weights[w]! * part.field('f', 0).values[block.connectivity[i]!]!
      }
      expect(sum).toBeCloseTo(linear(x, y, z), 10)
    }
    expect(locator.find(2.001, 0.5, 0.5)).toBe(false)
    expect(locator.find(NaN, 0, 0)).toBe(false)
  })

  it('has boundary faces that close: the same on every side', () => {
    const nFaces = matchFaces(mesh, mesh.points.length / 3).length / 2
    const perSquare = kind === 'tetra' ? [2, 2] : kind === 'wedge' ? [1, 2] : [1, 1]
    expect(nFaces).toBe(4 * 16 * perSquare[0]! + 2 * 16 * perSquare[1]!)
  })
})

describe('splitting into tetrahedra', () => {
  const unit: Record<number, number[]> = {
    [CellType.hexahedron]: [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0, 0, 1, 1, 0, 1, 1, 1, 1, 0, 1, 1],
    [CellType.wedge]: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 1, 0, 1, 0, 1, 1],
    [CellType.pyramid]: [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0.5, 0.5, 1],
    [CellType.tetra]: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1],
  }
  const volumes = { [CellType.hexahedron]: 1, [CellType.wedge]: 0.5, [CellType.pyramid]: 1 / 3, [CellType.tetra]: 1 / 6 }

  it.each([CellType.hexahedron, CellType.wedge, CellType.pyramid, CellType.tetra])(
    'fills cell type %i for every numbering of its points',
    (type) => {
      const n = cellNodeCount[type]!
      const nodes = Uint32Array.from({ length: n }, (_, i) => i)
      for (let trial = 0; trial < 300; trial++) {
        // numbers by a linear congruence: reproducible and without order
        const numbers = Uint32Array.from({ length: n }, (_, i) => ((trial + 1) * 7919 * (i + 3) + i * 104729) % 100003)
        const tets = tetrahedraOf(type, nodes, 0, numbers)
        let sum = 0
        for (let k = 0; k < tets.length; k += 4) {
          const v = tetVolume(unit[type]!, tets[k]!, tets[k + 1]!, tets[k + 2]!, tets[k + 3]!)
          expect(v).toBeGreaterThan(-1e-15)
          sum += v
        }
        expect(sum).toBeCloseTo(volumes[type], 14)
      }
    },
  )

  it.each([CellType.hexahedron, CellType.wedge, CellType.pyramid, CellType.tetra])('shape functions of type %i are inverted', (type) => {
    const points = Float64Array.from(unit[type]!, (x, i) => x + 0.07 * Math.sin(i * 1.7))
    const nodes = Uint32Array.from({ length: cellNodeCount[type]! }, (_, i) => i)
    const weights = new Float64Array(8)
    const found = new Float64Array(3)
    for (const [r, s, t] of [
      [0.2, 0.3, 0.4],
      [0.1, 0.1, 0.1],
      [0, 0, 0],
      [0.25, 0.5, 0.2],
    ] as const) {
      shapeFunctions(type, r, s, t, weights)
      const n = loadCell(type, points, nodes, 0)
      const x = [0, 1, 2].map((d) => {
        let sum = 0
        for (let i = 0; i < n; i++) sum += weights[i]! * points[3 * i + d]!
        return sum
      })
      found.fill(0.3)
      expect(invertCell(type, x[0]!, x[1]!, x[2]!, found, weights)).toBe(true)
      ;[r, s, t].forEach((p, d) => expect(found[d]).toBeCloseTo(p, 9))
    }
  })

  it('degenerate cells are no crash: a flat hexahedron holds nothing', () => {
    const flat = new Float64Array(24)
    const nodes = Uint32Array.from({ length: 8 }, (_, i) => i)
    loadCell(CellType.hexahedron, flat, nodes, 0)
    expect(invertCell(CellType.hexahedron, 1, 1, 1, new Float64Array(3), new Float64Array(8))).toBe(false)
  })
})

describe('normalising cells', () => {
  const points = Float64Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 0, 0, 1, 1, 0, 1, 0, 1, 1, 1, 1, 1])
  const cells = (types: number[], ...lists: number[][]) => ({
    points,
    types: Uint8Array.from(types),
    offsets: Uint32Array.from(lists.reduce<number[]>((ends, list) => [...ends, ends[ends.length - 1]! + list.length], [0])),
    connectivity: Uint32Array.from(lists.flat()),
  })

  it('turns a voxel into a hexahedron of positive volume', () => {
    const part = new MemoryPart('v', 3, normaliseCells(cells([11], [0, 1, 2, 3, 4, 5, 6, 7]), 'test'))
    const ones = { values: new Float64Array(8).fill(1), components: 1, place: 'point' as const }
    expect(mergeTotals(integrateCells(part.block(0), ones), 1).measure).toBeCloseTo(1, 14)
  })

  it('mirrors wedges of either handedness and counts them', () => {
    const up = normaliseCells(cells([13], [0, 1, 2, 4, 5, 6]), 'test')
    const down = normaliseCells(cells([13], [4, 5, 6, 0, 1, 2]), 'test')
    expect([up.mirrored, down.mirrored]).toEqual([0, 1])
    expect([...down.connectivity]).toEqual([...up.connectivity])
  })

  it('splits polylines and strips, keeping the source cell', () => {
    const mesh = normaliseCells(cells([4, 6], [0, 1, 3], [0, 1, 2, 3]), 'test')
    expect([...mesh.types]).toEqual([3, 3, 5, 5])
    expect([...mesh.cellNumbers]).toEqual([0, 0, 1, 1])
  })

  it.each([
    ['a point number out of range', cells([10], [0, 1, 2, 99]), /refers to point 99/],
    ['an unknown type', cells([99], [0, 1, 2, 3]), /type 99 are not read/],
    ['a quadratic cell with too few nodes', cells([24], [0, 1, 2, 3]), /has 4 nodes instead of 10/],
    ['a wrong node count', cells([12], [0, 1, 2, 3]), /has 4 nodes instead of 8/],
  ])('refuses %s with a sentence', (_, mesh, message) => {
    expect(() => normaliseCells(mesh, 'test.vtu')).toThrow(message)
  })
})

it('orders cells along the curve so that neighbours in order are near in space', () => {
  const mesh = boxMesh({ n: 16, skew: 0 })
  const order = curveOrder(mesh.points, mesh, [0, 0, 0, 1, 1, 1])
  expect([...order].sort((a, b) => a - b)).toEqual([...order.keys()])
  const corner = (c: number): number[] => [0, 1, 2].map((d) => mesh.points[3 * mesh.connectivity[8 * c]! + d]!)
  let length = 0
  for (let i = 1; i < order.length; i++) {
    const [a, b] = [corner(order[i - 1]!), corner(order[i]!)]
    length += Math.hypot(a[0]! - b[0]!, a[1]! - b[1]!, a[2]! - b[2]!)
  }
  // a Hilbert curve on a power of two steps from cell to touching cell
  expect(length).toBeCloseTo((order.length - 1) / 16, 9)
})

/** Signed volume of a tetrahedron of four points. */
function tetVolume(points: Float64Array | number[], a: number, b: number, c: number, d: number): number {
  const ax = points[3 * a]!,
    ay = points[3 * a + 1]!,
    az = points[3 * a + 2]!
  const bx = points[3 * b]! - ax,
    by = points[3 * b + 1]! - ay,
    bz = points[3 * b + 2]! - az
  const cx = points[3 * c]! - ax,
    cy = points[3 * c + 1]! - ay,
    cz = points[3 * c + 2]! - az
  const dx = points[3 * d]! - ax,
    dy = points[3 * d + 1]! - ay,
    dz = points[3 * d + 2]! - az
  return (bx * (cy * dz - cz * dy) + by * (cz * dx - cx * dz) + bz * (cx * dy - cy * dx)) / 6
}
