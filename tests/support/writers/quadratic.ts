/** One quadratic cell, straight-sided and skewed, in the node order of each format. A wrong order shows in its volume. */
import type { Position } from '../meshes'

type Kind = 'hexahedron20' | 'hexahedron27' | 'wedge15' | 'tetra10' | 'pyramid13'

const corners: Record<string, Position[]> = {
  tetra: [
    [0, 0, 0],
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
  hexahedron: [
    [0, 0, 0],
    [1, 0, 0],
    [1, 1, 0],
    [0, 1, 0],
    [0, 0, 1],
    [1, 0, 1],
    [1, 1, 1],
    [0, 1, 1],
  ],
  wedge: [
    [0, 0, 0],
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
    [1, 0, 1],
    [0, 1, 1],
  ],
  pyramid: [
    [0, 0, 0],
    [1, 0, 0],
    [1, 1, 0],
    [0, 1, 0],
    [0.5, 0.5, 1],
  ],
}

const lower = {
  hexahedron: [
    [0, 1],
    [1, 2],
    [2, 3],
    [3, 0],
  ],
  wedge: [
    [0, 1],
    [1, 2],
    [2, 0],
  ],
}
const upright = {
  hexahedron: [
    [0, 4],
    [1, 5],
    [2, 6],
    [3, 7],
  ],
  wedge: [
    [0, 3],
    [1, 4],
    [2, 5],
  ],
}
const upper = {
  hexahedron: [
    [4, 5],
    [5, 6],
    [6, 7],
    [7, 4],
  ],
  wedge: [
    [3, 4],
    [4, 5],
    [5, 3],
  ],
}
const others: Record<string, number[][]> = {
  tetra: [
    [0, 1],
    [1, 2],
    [2, 0],
    [0, 3],
    [1, 3],
    [2, 3],
  ],
  pyramid: [
    [0, 1],
    [1, 2],
    [2, 3],
    [3, 0],
    [0, 4],
    [1, 4],
    [2, 4],
    [3, 4],
  ],
}

/** Where a format puts the edges that stand upright, and the middles of the faces of a cube. */
export interface NodeOrder {
  upright: 'before the upper' | 'after the upper'
  /** As lists of corners. */
  middles?: number[][]
}

export const orders: Record<'frd' | 'exodus' | 'cgns' | 'vtk', NodeOrder> = {
  frd: { upright: 'before the upper' },
  exodus: {
    upright: 'before the upper',
    middles: [
      [0, 1, 2, 3, 4, 5, 6, 7],
      [0, 1, 2, 3],
      [4, 5, 6, 7],
      [0, 3, 4, 7],
      [1, 2, 5, 6],
      [0, 1, 4, 5],
      [2, 3, 6, 7],
    ],
  },
  cgns: {
    upright: 'before the upper',
    middles: [
      [0, 1, 2, 3],
      [0, 1, 4, 5],
      [1, 2, 5, 6],
      [2, 3, 6, 7],
      [0, 3, 4, 7],
      [4, 5, 6, 7],
      [0, 1, 2, 3, 4, 5, 6, 7],
    ],
  },
  vtk: {
    upright: 'after the upper',
    middles: [
      [0, 3, 4, 7],
      [1, 2, 5, 6],
      [0, 1, 4, 5],
      [2, 3, 6, 7],
      [0, 1, 2, 3],
      [4, 5, 6, 7],
      [0, 1, 2, 3, 4, 5, 6, 7],
    ],
  },
}

const skew = ([x, y, z]: Position): Position => [2 * x + 0.25 * z, y + 0.5 * x, z + 0.125 * y]
const DETERMINANT = 2 + 0.25 * 0.5 * 0.125

export const quadraticVolumes: Record<Kind, number> = {
  hexahedron20: DETERMINANT,
  hexahedron27: DETERMINANT,
  wedge15: DETERMINANT / 2,
  tetra10: DETERMINANT / 6,
  pyramid13: DETERMINANT / 3,
}

/** A row of three cubes of 20 nodes each, skewed, that share the nodes between them; each is `along` from the last one. */
export function rowOfCubes(): {
  along: readonly [number, number, number]
  points: Float64Array
  types: Uint8Array
  offsets: Uint32Array
  connectivity: Uint32Array
} {
  const nodes = quadraticCell('hexahedron20', orders.vtk)
  const along = [2, 0.5, 0] as const
  const points: number[] = []
  const places = new Map<string, number>()
  const connectivity = [0, 1, 2].flatMap((k) =>
    nodes.map((node) => {
      const at = node.map((x, d) => x + k * along[d]!)
      const key = at.map((x) => x.toFixed(9)).join()
      if (!places.has(key)) places.set(key, points.push(...at) / 3 - 1)
      return places.get(key)!
    }),
  )
  return {
    along,
    points: Float64Array.from(points),
    types: new Uint8Array(3).fill(25),
    offsets: Uint32Array.of(0, 20, 40, 60),
    connectivity: Uint32Array.from(connectivity),
  }
}

/** Nodes of the cell in the order of a format. */
export function quadraticCell(kind: Kind, order: NodeOrder): Position[] {
  const base = kind.replace(/\d+$/, '') as 'hexahedron' | 'wedge' | 'tetra' | 'pyramid'
  const own = corners[base]!
  const mean = (list: readonly number[]): Position =>
    [0, 1, 2].map((d) => list.reduce((sum, i) => sum + own[i]![d]!, 0) / list.length) as unknown as Position
  const edges =
    base === 'hexahedron' || base === 'wedge'
      ? order.upright === 'before the upper'
        ? [...lower[base], ...upright[base], ...upper[base]]
        : [...lower[base], ...upper[base], ...upright[base]]
      : others[base]!
  return [...own, ...edges.map(mean), ...(kind === 'hexahedron27' ? order.middles!.map(mean) : [])].map(skew)
}
