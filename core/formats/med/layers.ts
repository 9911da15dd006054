/** The cells of one dimension of a mesh in a MED file, and the parts they make. */
import type { FloatArray } from '../../mesh/MeshBlock'
import { sourceTypeNames } from '../../mesh/normaliseCells'
import type { SourceMesh } from '../../mesh/normaliseCells'
import { selectCells } from '../../mesh/selectCells'
import type { SelectedMesh } from '../../mesh/selectCells'
import type { CornerLists, FormatWindows } from '../Format'
import type { SourcePart } from '../SourceCase'

/** Type of the core's list and number of nodes, by the file's name of the geometry. */
export const geometries: Record<string, readonly [number, number]> = {
  PO1: [1, 1],
  SE2: [3, 2],
  SE3: [21, 3],
  TR3: [5, 3],
  TR6: [22, 6],
  TR7: [34, 7],
  QU4: [9, 4],
  QU8: [23, 8],
  QU9: [28, 9],
  TE4: [10, 4],
  T10: [24, 10],
  PY5: [14, 5],
  P13: [27, 13],
  PE6: [13, 6],
  P15: [26, 15],
  HE8: [12, 8],
  H20: [25, 20],
  H27: [29, 27],
}
/** Points of a mesh, read when asked for. */
export interface PointsOf {
  n: number
  all(): FloatArray
  window(from: number, to: number): FloatArray
}

export interface CellBlock {
  geometry: string
  nCells: number
  families: ArrayLike<number> | undefined
  /** Number of its first cell among those of its dimension. */
  first: number
}

/** The cells of one dimension of a mesh. */
export interface Layer {
  name: string
  dimension: number
  nPoints: number
  nCells: number
  blocks: CellBlock[]
  /** Read when first asked for, then kept: parts share it. */
  mesh(): SourceMesh
  windows(): FormatWindows
}

/** What values at corners belong to. */
export function cornersOf(layer: Layer): CornerLists {
  const { offsets, connectivity } = layer.mesh()
  return { offsets, nodes: connectivity }
}

/** Cells of a layer as a part, all of them when none are listed. Its contents are known without reading its cells. */
export function partOf(layer: Layer, name: string, listed?: Uint32Array): SourcePart {
  const cellTypes: Record<string, number> = {}
  for (const { geometry, first, nCells } of layer.blocks) {
    const n = listed ? listed.reduce((sum, c) => sum + Number(c >= first && c < first + nCells), 0) : nCells
    if (n) cellTypes[sourceTypeNames[geometries[geometry]![0]]!] = n
  }
  const mesh = async (): Promise<SelectedMesh> => {
    const whole = layer.mesh()
    const selected = selectCells(whole, listed ?? Uint32Array.from(whole.types.keys()))
    return { ...selected, nPoints: selected.points.length / 3 }
  }
  return {
    name,
    dimension: layer.dimension,
    points: listed ? 0 : layer.nPoints,
    cells: listed?.length ?? layer.nCells,
    cellTypes,
    mesh,
    ...(!listed && { windows: async () => layer.windows() }),
  }
}
