import { wholeDomain } from '../../../core/mesh/Domain'
import { describe, expect, it } from 'vitest'
import { carryByCells } from '../../../core/mesh/carryByCells'
import { CellType, cellNodeCount } from '../../../core/mesh/cellTypes'
import { BlockLocator, searchArrays, PartLocator } from '../../../core/mesh/locate'
import { invertCell, loadCell, shapeFunctions } from '../../../core/mesh/shapeFunctions'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { atPoints, boxKinds, boxMesh } from '../../support/meshes'
import type { Position } from '../../support/meshes'
import { randomOf } from '../../fuzz/inputs'

const random = randomOf(7)
const share = (): number => random(1_000_000) / 1_000_000
const positions: Position[] = Array.from({ length: 300 }, () => [share(), share(), share()])

/** Where the weights of the cell found last put the position. */
function interpolated(part: MemoryPart, locator: PartLocator): number[] {
  const mesh = part.block(locator.block)
  const start = mesh.offsets[locator.cell]!
  const n = mesh.offsets[locator.cell + 1]! - start
  return [0, 1, 2].map((d) => {
    let sum = 0
    for (let i = 0; i < n; i++) sum += locator.weights[i]! * mesh.points[3 * mesh.connectivity[start + i]! + d]!
    return sum
  })
}

describe.each(boxKinds)('in a skewed box of %s cells', (kind) => {
  it.each([1024, 2048, 65536])('every position is found, whatever the block size (%d)', (blockCells) => {
    const part = new MemoryPart('box', 3, boxMesh({ n: 14, kind, skew: 0.3 }), blockCells)
    const locator = new PartLocator(wholeDomain([part]))
    for (const position of positions) {
      expect(locator.find(...position)).toBe(true)
      interpolated(part, locator).forEach((x, d) => expect(x).toBeCloseTo(position[d]!, 9))
      let sum = 0
      for (let i = 0; i < cellNodeCount[part.block(locator.block).types[locator.cell]!]!; i++) sum += locator.weights[i]!
      expect(sum).toBeCloseTo(1, 12)
    }
  })

  it('values are carried to positions in any order, exact where linear, and what is nowhere stays a gap', () => {
    const mesh = boxMesh({ n: 14, kind, skew: 0.3 })
    const part = new MemoryPart('box', 3, mesh, 1024)
    part.setField('f', { values: atPoints(mesh, (x, y, z) => [2 * x - y + 3 * z, x + z]), components: 2, place: 'point' })
    const odd: Position[] = [
      [NaN, 0.5, 0.5],
      [0.5, Infinity, 0.5],
      [-3, 0.5, 0.5],
    ]
    const all = [...odd, ...positions]
    const { values, nLost } = carryByCells(
      wholeDomain([part]),
      all.flat(),
      2,
      (own, k) => own.field('f', k),
      () => undefined,
    )
    expect(nLost).toBe(odd.length)
    expect(Array.from(values.subarray(0, 2 * odd.length))).toEqual(odd.flatMap(() => [NaN, NaN]))
    all.slice(odd.length).forEach(([x, y, z], i) => {
      expect(values[2 * (odd.length + i)]).toBeCloseTo(2 * x - y + 3 * z, 10)
      expect(values[2 * (odd.length + i) + 1]).toBeCloseTo(x + z, 10)
    })
  })

  it('nothing is found outside, however near', () => {
    const locator = new PartLocator(wholeDomain([new MemoryPart('box', 3, boxMesh({ n: 6, kind, skew: 0.3 }), 1024)]))
    for (const [x, y, z] of positions.slice(0, 60)) {
      for (const outside of [-1e-5, 1 + 1e-5, -7, 1e9]) {
        expect(locator.find(outside, y, z)).toBe(false)
        expect(locator.find(x, outside, z)).toBe(false)
        expect(locator.find(x, y, outside)).toBe(false)
      }
    }
    expect(locator.find(NaN, 0.5, 0.5)).toBe(false)
  })

  it('the answer does not depend on where the search began', () => {
    const mesh = new MemoryPart('box', 3, boxMesh({ n: 8, kind, skew: 0.3 }), 65536).block(0)
    const block = new BlockLocator(mesh, searchArrays(mesh))
    const weights = new Float64Array(8)
    for (const [x, y, z] of positions.slice(0, 40)) {
      const alone = block.find(x, y, z, -1, weights)
      expect(alone).toBeGreaterThanOrEqual(0)
      for (const start of [0, mesh.types.length >> 1, mesh.types.length - 1]) {
        const found = block.find(x, y, z, start, weights)
        // on a shared face either cell is right: both give the same place
        expect(found).toBeGreaterThanOrEqual(0)
      }
    }
  })
})

describe('the inverse map', () => {
  const unit: Record<number, number[]> = {
    [CellType.tetra]: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1],
    [CellType.pyramid]: [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0.5, 0.5, 1],
    [CellType.wedge]: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 1, 0, 1, 0, 1, 1],
    [CellType.hexahedron]: [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0, 0, 1, 1, 0, 1, 1, 1, 1, 0, 1, 1],
  }
  const inside: Record<number, Position> = {
    [CellType.tetra]: [0.2, 0.3, 0.1],
    [CellType.pyramid]: [0.3, 0.4, 0.2],
    [CellType.wedge]: [0.3, 0.2, 0.6],
    [CellType.hexahedron]: [0.8, 0.1, 0.35],
  }

  it.each(Object.keys(unit).map(Number))('of type %d is the shape functions’ own', (type) => {
    // bent: every node is moved by an amount of its own
    const points = Float64Array.from(unit[type]!, (x, i) => x + 0.08 * Math.sin(3 * i + type))
    const n = cellNodeCount[type]!
    const connectivity = Uint32Array.from({ length: n }, (_, i) => i)
    const weights = new Float64Array(8)
    const parametric = Float64Array.from(inside[type]!)
    shapeFunctions(type, parametric[0]!, parametric[1]!, parametric[2]!, weights)
    const target = [0, 1, 2].map((d) => connectivity.reduce((sum, i) => sum + weights[i]! * points[3 * i + d]!, 0)) as unknown as Position
    const wanted = weights.slice(0, n)
    loadCell(type, points, connectivity, 0)
    const start = Float64Array.of(0.3, 0.3, 0.4)
    expect(invertCell(type, ...target, start, weights)).toBe(true)
    start.forEach((x, d) => expect(x).toBeCloseTo(inside[type]![d]!, 12))
    wanted.forEach((w, i) => expect(weights[i]).toBeCloseTo(w, 12))
  })

  it('of a flat cell finds nothing', () => {
    const points = Float64Array.from(unit[CellType.hexahedron]!, (x, i) => (i % 3 === 2 ? 0 : x))
    loadCell(CellType.hexahedron, points, Uint32Array.of(0, 1, 2, 3, 4, 5, 6, 7), 0)
    expect(invertCell(CellType.hexahedron, 0.5, 0.5, 0, Float64Array.of(0.4, 0.4, 0.4), new Float64Array(8))).toBe(false)
  })

  it('in haste says the direction of a far position, and finds a near one all the same', () => {
    const points = Float64Array.from(unit[CellType.hexahedron]!)
    const nodes = Uint32Array.of(0, 1, 2, 3, 4, 5, 6, 7)
    loadCell(CellType.hexahedron, points, nodes, 0)
    const parametric = Float64Array.of(0.4, 0.4, 0.4)
    expect(invertCell(CellType.hexahedron, 5, 0.5, 0.5, parametric, new Float64Array(8), true)).toBe(false)
    expect(parametric[0]).toBeGreaterThan(1)
    parametric.fill(0.4)
    expect(invertCell(CellType.hexahedron, 0.99, 0.01, 0.5, parametric, new Float64Array(8), true)).toBe(true)
  })
})
