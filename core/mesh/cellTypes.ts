/**
 * The cell types of the core and their faces.
 *
 * Codes are those of the open VTK file formats, so that a reader need not translate. Node order is the usual
 * finite-element one: hexahedron 0-3 below, 4-7 above; wedge 0-2 below, 3-5 above; pyramid 0-3 base, 4 apex.
 * After `normaliseCells` every volume cell has a positive volume in this order and every face below is listed
 * counter-clockwise seen from outside.
 */
export const CellType = {
  vertex: 1,
  line: 3,
  triangle: 5,
  polygon: 7,
  quad: 9,
  tetra: 10,
  hexahedron: 12,
  wedge: 13,
  pyramid: 14,
} as const

export type CellTypeName = keyof typeof CellType

export const cellTypeNames: Record<number, string> = Object.fromEntries(Object.entries(CellType).map(([name, code]) => [code, name]))

/** Dimension of a cell type: 0 points, 1 lines, 2 faces, 3 volumes; -1 for a type the core does not know. */
export function cellDimension(type: number): number {
  switch (type) {
    case CellType.vertex:
      return 0
    case CellType.line:
      return 1
    case CellType.triangle:
    case CellType.polygon:
    case CellType.quad:
      return 2
    case CellType.tetra:
    case CellType.hexahedron:
    case CellType.wedge:
    case CellType.pyramid:
      return 3
    default:
      return -1
  }
}

type Faces = readonly (readonly number[])[]

export const hexahedronFaces: Faces = [
  [0, 3, 2, 1],
  [4, 5, 6, 7],
  [0, 1, 5, 4],
  [1, 2, 6, 5],
  [2, 3, 7, 6],
  [3, 0, 4, 7],
]
const tetraFaces: Faces = [
  [0, 2, 1],
  [0, 1, 3],
  [1, 2, 3],
  [2, 0, 3],
]
const wedgeFaces: Faces = [
  [0, 2, 1],
  [3, 4, 5],
  [0, 1, 4, 3],
  [1, 2, 5, 4],
  [2, 0, 3, 5],
]
const pyramidFaces: Faces = [
  [0, 3, 2, 1],
  [0, 1, 4],
  [1, 2, 4],
  [2, 3, 4],
  [3, 0, 4],
]

/** Outward faces of each volume cell type, as lists of local nodes; undefined for all other codes. */
export const cellFaces: (Faces | undefined)[] = []
cellFaces[CellType.tetra] = tetraFaces
cellFaces[CellType.hexahedron] = hexahedronFaces
cellFaces[CellType.wedge] = wedgeFaces
cellFaces[CellType.pyramid] = pyramidFaces

/** Nodes of a cell type with a fixed number of nodes; 0 for polygons and unknown codes. */
export const cellNodeCount: number[] = []
cellNodeCount[CellType.vertex] = 1
cellNodeCount[CellType.line] = 2
cellNodeCount[CellType.triangle] = 3
cellNodeCount[CellType.quad] = 4
cellNodeCount[CellType.tetra] = 4
cellNodeCount[CellType.hexahedron] = 8
cellNodeCount[CellType.wedge] = 6
cellNodeCount[CellType.pyramid] = 5
