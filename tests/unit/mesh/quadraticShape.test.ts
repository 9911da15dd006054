import { wholeDomain } from '../../../core/mesh/Domain'
import { describe, expect, it } from 'vitest'
import { integrateCells } from '../../../core/measure/integrateCells'
import { ones, totalsOfParts } from '../../../core/measure/totals'
import { mergeTotals } from '../../../core/measure/sums'
import { PartLocator } from '../../../core/mesh/locate'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import type { NormalMesh } from '../../../core/mesh/normaliseCells'
import { quadraticNodeCount, QuadraticType } from '../../../core/mesh/quadraticCells'
import {
  hasQuadraticShape,
  invertQuadratic,
  nodePositions,
  quadraticDerivatives,
  quadraticFunctions,
  quadraticShares,
} from '../../../core/mesh/quadraticShape'
import { MemoryPart } from '../../../core/store/MemoryPart'

type P = readonly [number, number, number]

const types = Object.entries(QuadraticType).filter(([, type]) => hasQuadraticShape(type)) as [string, number][]
const volumes: Record<string, number> = { tetra10: 1 / 6, hexahedron20: 1, hexahedron27: 1, wedge15: 0.5, wedge18: 0.5, pyramid13: 1 / 3 }
const sizes: Record<string, number> = { ...volumes, line3: 1, triangle6: 0.5, quad8: 1, quad9: 1 }
const volumeTypes = types.filter(([name]) => name in volumes)
/** Inside every cell. */
const INSIDE: Record<string, P> = { line3: [0.3, 0, 0], triangle6: [0.2, 0.3, 0], quad8: [0.2, 0.7, 0], quad9: [0.2, 0.7, 0] }
const inside = (name: string): P => INSIDE[name] ?? [0.2, 0.3, 0.35]

const quadratic = ([x, y, z]: P): number => 1 + x - 2 * y + 3 * z + x * x - x * y + 2 * y * z + 0.5 * z * z
/** A curved map of the parametric cell: midside nodes leave their straight lines. */
const bend = ([r, s, t]: P): P => [2 * r + 0.2 * s * s, 1.5 * s + 0.15 * t * r, t + 0.1 * r * r - 0.05 * s]
const skew = ([x, y, z]: P): P => [2 * x + 0.3 * y + 1, 0.1 * x + 1.5 * y - 0.2 * z, 0.4 * y + z]

function cell(type: number, map: (p: P) => P): { points: Float64Array; nodes: Uint32Array } {
  const points = Float64Array.from(nodePositions(type).flatMap(map))
  return { points, nodes: Uint32Array.from({ length: points.length / 3 }, (_, i) => i) }
}

function single(type: number, map: (p: P) => P): NormalMesh {
  const { points, nodes } = cell(type, map)
  return normaliseCells({ points, types: Uint8Array.of(type), offsets: Uint32Array.of(0, nodes.length), connectivity: nodes }, 'test')
}

function positionsOf({ points }: NormalMesh): P[] {
  return Array.from({ length: points.length / 3 }, (_, p): P => [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!])
}

describe.each(types)('shape functions of %s', (name, type) => {
  it('are one at their node, zero at the others, and have exact slopes', () => {
    const n = quadraticNodeCount[type]!
    const weights = new Float64Array(n)
    nodePositions(type).forEach((at, node) => {
      quadraticFunctions(type, ...at, weights)
      weights.forEach((w, i) => expect(w).toBeCloseTo(Number(i === node), 12))
    })
    const [r, s, t] = inside(name)
    const slopes = new Float64Array(3 * n)
    quadraticDerivatives(type, r, s, t, slopes)
    const low = new Float64Array(n)
    for (let d = 0; d < 3; d++) {
      const step = [0, 1, 2].map((k) => (k === d ? 1e-6 : 0))
      quadraticFunctions(type, r + step[0]!, s + step[1]!, t + step[2]!, weights)
      quadraticFunctions(type, r - step[0]!, s - step[1]!, t - step[2]!, low)
      for (let i = 0; i < n; i++) expect(slopes[3 * i + d]).toBeCloseTo((weights[i]! - low[i]!) / 2e-6, 7)
    }
  })

  it('reproduce quadratic fields', () => {
    const weights = new Float64Array(quadraticNodeCount[type]!)
    quadraticFunctions(type, ...inside(name), weights)
    const at = nodePositions(type).map(quadratic)
    expect(at.reduce((sum, value, i) => sum + weights[i]! * value, 0)).toBeCloseTo(quadratic(inside(name)), 12)
  })

  it('give the size of the cell', () => {
    const { points, nodes } = cell(type, (p) => p)
    const shares = new Float64Array(27)
    expect(quadraticShares(type, points, nodes, 0, shares)).toBeCloseTo(sizes[name]!, 13)
    expect(shares.reduce((sum, x) => sum + x, 0)).toBeCloseTo(sizes[name]!, 13)
  })
})

/** Mean of f over the reference cell by a fine midpoint rule in collapsed coordinates. */
function fineIntegral(name: string, f: (p: P) => number, n = 60): number {
  let sum = 0
  for (let i = 0; i < n; i++)
    for (let j = 0; j < n; j++)
      for (let k = 0; k < n; k++) {
        const [a, b, c] = [i, j, k].map((m) => (m + 0.5) / n) as [number, number, number]
        if (name.startsWith('tetra')) sum += f([a * (1 - b) * (1 - c), b * (1 - c), c]) * (1 - b) * (1 - c) ** 2
        else if (name.startsWith('wedge')) sum += f([a * (1 - b), b, c]) * (1 - b)
        else if (name.startsWith('pyramid')) sum += f([a * (1 - c), b * (1 - c), c]) * (1 - c) ** 2
        else sum += f([a, b, c])
      }
  return sum / n ** 3
}

/** Determinant of the slopes of `bend`. */
function growthOfBend([r, s, t]: P): number {
  const rows: [P, P, P] = [
    [2, 0.4 * s, 0],
    [0.15 * t, 1.5, 0.15 * r],
    [0.2 * r, -0.05, 1],
  ]
  const [[a, b, c], [d, e, f], [g, h, i]] = rows
  return a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g)
}

describe.each(volumeTypes)('%s as a part', (name, type) => {
  const totals = (mesh: NormalMesh, f: (p: P) => number) => {
    const part = new MemoryPart('p', 3, mesh)
    part.setField('f', { values: Float64Array.from(positionsOf(mesh), f), components: 1, place: 'point' })
    return mergeTotals(integrateCells(part.block(0), part.field('f', 0)), 1)
  }

  it('integrates quadratic fields on straight sides exactly', () => {
    const mesh = single(type, skew)
    const { measure, integral } = totals(mesh, quadratic)
    const determinant = 2 * (1.5 + 0.08) - 0.3 * 0.1
    expect(measure).toBeCloseTo(volumes[name]! * determinant, 12)
    // the midpoint rule is of second order: two meshes, one step to the limit
    const [coarse, fine] = [30, 60].map((n) => fineIntegral(name, (p) => quadratic(skew(p)), n) * determinant) as [number, number]
    expect(integral[0]).toBeCloseTo(fine + (fine - coarse) / 3, 6)
  })

  it('has the volume of its curved sides', () => {
    const [coarse, fine] = [30, 60].map((n) => fineIntegral(name, growthOfBend, n)) as [number, number]
    const { measure } = totals(single(type, bend), () => 1)
    expect(measure).toBeCloseTo(fine + (fine - coarse) / 3, 6)
  })

  it('is probed by its shape functions, where its pieces bulge too', () => {
    const mesh = single(type, bend)
    const part = new MemoryPart('p', 3, mesh)
    const values = Float64Array.from(positionsOf(mesh), ([x, y, z]) => 2 * x - y + 4 * z)
    part.setField('f', { values, components: 1, place: 'point' })
    for (const at of [inside(name), [0.01, 0.02, 0.01], [0.45, 0.25, 0.001], [0.001, 0.4, 0.3]] as P[]) {
      const [x, y, z] = bend(at)
      const spot = new PartLocator(wholeDomain([part])).findExactly(x, y, z)!
      const value = Array.from(spot.nodes).reduce((sum, node, i) => sum + spot.weights[i]! * Number(part.field('f', 0).values[node]), 0)
      expect(value).toBeCloseTo(2 * x - y + 4 * z, 9)
    }
    expect(new PartLocator(wholeDomain([part])).findExactly(5, 5, 5)).toBeUndefined()
  })

  it('finds parametric positions in a mirrored or crushed cell or says there are none', () => {
    const { points, nodes } = cell(type, ([x, y, z]) => skew([x, y, -z]))
    const weights = new Float64Array(27)
    const [x, y, z] = skew([0.2, 0.3, -0.35])
    expect(invertQuadratic(type, points, nodes, 0, x, y, z, weights)).toBeLessThanOrEqual(0)
    expect(invertQuadratic(type, points, nodes, 0, 100, 0, 0, weights)).toBeGreaterThan(0.5)
    const flat = cell(type, ([p, q]) => [p, q, 0])
    expect(invertQuadratic(type, flat.points, flat.nodes, 0, 0.2, 0.2, 0, weights)).toBe(Infinity)
  })
})

describe('quadratic faces and lines as parts', () => {
  const unit = ([x, y]: P): P => [x, y, 0]
  it.each([
    ['triangle6', 2, 1 / 12],
    ['quad8', 2, 1 / 3],
    ['quad9', 2, 1 / 3],
    ['line3', 1, 1 / 3],
  ] as const)('%s integrates x² exactly', (name, dimension, exact) => {
    const mesh = single(QuadraticType[name], unit)
    const part = new MemoryPart('p', dimension, mesh)
    part.setField('f', { values: Float64Array.from(positionsOf(mesh), ([x]) => x * x), components: 1, place: 'point' })
    part.setField('c', { values: Float64Array.of(3), components: 1, place: 'cell' })
    const totalsOf = (field: string) =>
      totalsOfParts(
        [part],
        (_, k) => part.field(field, k),
        () => undefined,
      )
    expect(totalsOf('f').integral[0]).toBeCloseTo(exact, 13)
    expect(totalsOf('f').max).toBe(1)
    expect(totalsOf('c').integral[0]).toBeCloseTo(3 * sizes[name]!, 13)
  })

  it('an arc of three nodes has the length of its parabola', () => {
    const mesh = single(QuadraticType.line3, ([r]) => [r, r * (1 - r), 0])
    const part = new MemoryPart('p', 1, mesh)
    // ∫ √(1 + (1 - 2r)²) dr, to what three Gauss points give of a root
    expect(totalsOfParts([part], ones, () => undefined).measure).toBeCloseTo((Math.SQRT2 + Math.asinh(1)) / 2, 2)
  })

  it('totals do not depend on where blocks end', () => {
    // 300 hexahedra of 14 pieces: blocks of 1,024 cells end inside of one
    const n = 300
    const one = nodePositions(QuadraticType.hexahedron20)
    const points = Float64Array.from(Array.from({ length: n }, (_, c) => one.flatMap(([r, s, t]) => bend([r + c, s, t]))).flat())
    const mesh = normaliseCells(
      {
        points,
        types: new Uint8Array(n).fill(25),
        offsets: Uint32Array.from({ length: n + 1 }, (_, c) => 20 * c),
        connectivity: Uint32Array.from({ length: 20 * n }, (_, i) => i),
      },
      'test',
    )
    const values = Float64Array.from(positionsOf(mesh), quadratic)
    const [small, large] = [1024, 65536].map((size) => {
      const part = new MemoryPart('p', 3, mesh, size)
      part.setField('f', { values, components: 1, place: 'point' })
      return mergeTotals(Array.from({ length: part.nBlocks }, (_, k) => integrateCells(part.block(k), part.field('f', k))).flat(), 1)
    })
    expect(small!.measure).toBe(large!.measure)
    expect(small!.integral).toEqual(large!.integral)
    expect(new MemoryPart('p', 3, mesh, 1024).nBlocks).toBeGreaterThan(4)
  })
})
