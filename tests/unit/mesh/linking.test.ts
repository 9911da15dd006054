import { describe, expect, it } from 'vitest'
import { integratePiece } from '../../../core/measure/integrateShape'
import { elementNormals } from '../../../core/shapes/normals'
import { mergeTotals } from '../../../core/measure/sums'
import { matchFaces, MAX_FACES } from '../../../core/mesh/faceMatching'
import { linkSurface, regionSkin } from '../../../core/mesh/linkSurfaces'
import { skinOf } from '../../../core/mesh/skin'
import { BlockLocator, searchArrays } from '../../../core/mesh/locate'
import { cellFaces } from '../../../core/mesh/cellTypes'
import type { NormalMesh } from '../../../core/mesh/normaliseCells'
import { facesOfBlock, skinOfBlock } from '../../../core/shapes/blockShapes'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { atPoints, boxKinds, boxMesh } from '../../support/meshes'

/** All boundary faces of a mesh as a surface of its own: its points in another order, every third face wound inwards. */
function separateSkin(mesh: NormalMesh): NormalMesh {
  const boundary = matchFaces(mesh, mesh.points.length / 3)
  const index = new Map<number, number>()
  const points: number[] = []
  const types: number[] = []
  const offsets = [0]
  const connectivity: number[] = []
  for (let i = boundary.length - 2; i >= 0; i -= 2) {
    const cell = boundary[i]!
    const nodes = cellFaces[mesh.types[cell]!]![boundary[i + 1]!]!.map((n) => mesh.connectivity[mesh.offsets[cell]! + n]!)
    if ((i / 2) % 3 === 0) nodes.reverse()
    for (const node of nodes) {
      if (!index.has(node)) {
        index.set(node, index.size)
        points.push(mesh.points[3 * node]!, mesh.points[3 * node + 1]!, mesh.points[3 * node + 2]!)
      }
      connectivity.push(index.get(node)!)
    }
    types.push(nodes.length === 3 ? 5 : 9)
    offsets.push(connectivity.length)
  }
  return {
    points: Float64Array.from(points),
    types: Uint8Array.from(types),
    offsets: Uint32Array.from(offsets),
    connectivity: Uint32Array.from(connectivity),
    cellNumbers: Uint32Array.from(types.keys()),
    mirrored: 0,
  }
}

describe.each(boxKinds)('surfaces of a region of %s cells', (kind) => {
  const mesh = boxMesh({ n: 3, kind })
  const curved = (x: number, y: number, z: number): number => x * y + z * z * x - y * z

  it('know the region they bound and turn out of it', () => {
    const skin = separateSkin(mesh)
    expect(linkSurface(skin, 'Wall', [regionSkin('Water', skinOf(mesh))])).toEqual(['Water'])
    const shape = facesOfBlock(new MemoryPart('Wall', 2, skin).block(0), 'Wall', 0)
    const normals = elementNormals(shape)
    for (let e = 0; e < shape.cells.length; e++) {
      let outward = 0
      for (let d = 0; d < 3; d++) outward += normals[3 * e + d]! * (shape.points[3 * shape.elements[3 * e]! + d]! - 0.5)
      expect(outward).toBeGreaterThan(0)
    }
  })

  it('split their faces as the region does: integrals of curved fields are the same', () => {
    const skin = separateSkin(mesh)
    const before = atPoints(skin, curved)
    linkSurface(skin, 'Wall', [regionSkin('Water', skinOf(mesh))])
    const wall = new MemoryPart('Wall', 2, skin)
    wall.setField('f', { values: before, components: 1, place: 'point' })
    const water = new MemoryPart('Water', 3, mesh)
    const integral = (shape: ReturnType<typeof facesOfBlock>, values: Float64Array): number => {
      const list = Float64Array.from(shape.sources, (source) => values[source]!)
      return mergeTotals(integratePiece('surface', shape, { values: list, components: 1, place: 'point' }), 1).integral[0]!
    }
    const own = integral(facesOfBlock(wall.block(0), 'Wall', 0), wall.field('f', 0).values as Float64Array)
    water.setField('f', { values: atPoints(mesh, curved), components: 1, place: 'point' })
    const region = integral(skinOfBlock(water.block(0), 'Water', 0), water.field('f', 0).values as Float64Array)
    expect(own).toBeCloseTo(region, 12)
  })

  it('of another region belong to nobody', () => {
    expect(linkSurface(separateSkin(boxMesh({ n: 3, kind, size: [2, 2, 2] })), 'Wall', [regionSkin('Water', skinOf(mesh))])).toEqual([])
  })

  it('neighbours are mutual and share the face', () => {
    const neighbours = new Int32Array(MAX_FACES * mesh.types.length)
    matchFaces(mesh, mesh.points.length / 3, neighbours)
    const faceOf = (cell: number, face: number): string =>
      cellFaces[mesh.types[cell]!]![face]!.map((n) => mesh.connectivity[mesh.offsets[cell]! + n]!)
        .sort((a, b) => a - b)
        .join()
    for (let c = 0; c < mesh.types.length; c++) {
      for (let f = 0; f < cellFaces[mesh.types[c]!]!.length; f++) {
        const other = neighbours[MAX_FACES * c + f]!
        if (other < 0) continue
        const back = [0, 1, 2, 3, 4, 5].find((g) => neighbours[MAX_FACES * other + g] === c && faceOf(other, g) === faceOf(c, f))
        expect(back).toBeDefined()
      }
    }
  })

  it('every cell is found from its own middle, from any start', () => {
    const block = new MemoryPart('b', 3, mesh).block(0)
    const locator = new BlockLocator(block, searchArrays(block))
    const weights = new Float64Array(8)
    for (let c = 0; c < block.types.length; c += 3) {
      const nodes = [...block.connectivity.subarray(block.offsets[c]!, block.offsets[c + 1]!)]
      const middle = [0, 1, 2].map((d) => nodes.reduce((sum, p) => sum + block.points[3 * p + d]!, 0) / nodes.length)
      for (const start of [-1, 0, block.types.length - 1]) {
        expect(locator.find(middle[0]!, middle[1]!, middle[2]!, start, weights)).toBe(c)
        expect(weights.subarray(0, nodes.length).reduce((a, b) => a + b, 0)).toBeCloseTo(1, 12)
      }
    }
  })
})

it('the region a surface is named after comes first', () => {
  const mesh = boxMesh({ n: 2 })
  const regions = [regionSkin('Water', skinOf(mesh)), regionSkin('Arm', skinOf(mesh))]
  expect(linkSurface(separateSkin(mesh), 'Arm skin', regions)).toEqual(['Arm', 'Water'])
  expect(linkSurface(separateSkin(mesh), 'Side', regions)).toEqual(['Water', 'Arm'])
})
