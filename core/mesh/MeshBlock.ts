/**
 * The mesh of one block: a self-contained piece of one part.
 *
 *   points        Float32Array or Float64Array (3 × nPoints), in the case's length unit
 *   types         Uint8Array (nCells), codes of `cellTypes.ts`
 *   offsets       Uint32Array (nCells + 1), where each cell's nodes begin in connectivity
 *   connectivity  Uint32Array, local point indices
 *   pointNumbers  Uint32Array (nPoints), number of the point in its part: equal numbers are one point
 *   pointSources  Uint32Array (nPoints), number of the point in the source file's part; only where it is another
 *   cellNumbers   Uint32Array (nCells), number of the cell in the source file's part
 *   skin          Uint32Array (2 × nSkinFaces), local cell and local face of each boundary face; volumes only
 *   groups        Float32Array (6 × nGroups), box of each run of GROUP_CELLS cells: x0 x1 y0 y1 z0 z1, rounded outwards
 *   groupNodes    Uint32Array, local indices of the points that the cells of each group use, once each
 *   groupStarts   Uint32Array (nGroups + 1), where those of each group begin
 *
 * Where the cells of a part have corners of their own, as values that jump between cells need them, the points of a block are
 * those of one cell after the other: several have the same number. Besides:
 *
 *   pointCells    Uint32Array (nPoints), number in the source of the cell that the point is a corner of
 *
 * Where splitting added points in the middle of cells, besides:
 *
 *   addedPoints   Uint32Array (nAdded), local point indices, ascending; in pointSources they have the number of a node of their cell
 *   addedTypes    Uint8Array (nAdded), type of the cell, which says how its nodes give the value (`splitCells.ts`)
 *   addedStarts   Uint32Array (nAdded + 1), where the nodes of each one's cell begin in addedNodes
 *   addedNodes    Uint32Array, numbers of points in the source: they need not be in the block
 *
 * Where cells are linear pieces of quadratic ones, besides:
 *
 *   wholeOf       Int32Array (nCells), quadratic cell that the cell is a piece of, -1 for none
 *   wholeLeads    Uint8Array (nCells), 1 for the first piece of its quadratic cell: it represents the whole cell in totals
 *   wholeTypes    Uint8Array (nWhole), codes of `quadraticCells.ts`
 *   wholeOffsets  Uint32Array (nWhole + 1), where each one's nodes begin in wholeNodes
 *   wholeNodes    Uint32Array, local point indices
 */
export type FloatArray = Float32Array | Float64Array

export interface MeshBlock {
  points: FloatArray
  types: Uint8Array
  offsets: Uint32Array
  connectivity: Uint32Array
  pointNumbers: Uint32Array
  pointSources?: Uint32Array
  cellNumbers: Uint32Array
  skin: Uint32Array
  groups: Float32Array
  groupStarts: Uint32Array
  groupNodes: Uint32Array
  pointCells?: Uint32Array
  addedPoints?: Uint32Array
  addedTypes?: Uint8Array
  addedStarts?: Uint32Array
  addedNodes?: Uint32Array
  wholeOf?: Int32Array
  wholeLeads?: Uint8Array
  wholeTypes?: Uint8Array
  wholeOffsets?: Uint32Array
  wholeNodes?: Uint32Array
}

/** A block without its coordinates: what values need to be put in its order. */
export type BlockOrder = Pick<
  MeshBlock,
  'cellNumbers' | 'pointNumbers' | 'pointSources' | 'pointCells' | 'groupStarts' | 'groupNodes' | keyof BlockAdded
>

/** Points that splitting added, all there or none. */
export type BlockAdded = Required<Pick<MeshBlock, 'addedPoints' | 'addedTypes' | 'addedStarts' | 'addedNodes'>>

export function addedOf({ addedPoints, addedTypes, addedStarts, addedNodes }: Partial<BlockAdded>): BlockAdded | undefined {
  return addedPoints && addedTypes && addedStarts && addedNodes ? { addedPoints, addedTypes, addedStarts, addedNodes } : undefined
}

/** The quadratic cells of a block, all there or none. */
export type BlockWholes = Required<Pick<MeshBlock, 'wholeOf' | 'wholeLeads' | 'wholeTypes' | 'wholeOffsets' | 'wholeNodes'>>

export function wholesOf(mesh: MeshBlock): BlockWholes | undefined {
  const { wholeOf, wholeLeads, wholeTypes, wholeOffsets, wholeNodes } = mesh
  return wholeOf && wholeLeads && wholeTypes && wholeOffsets && wholeNodes
    ? { wholeOf, wholeLeads, wholeTypes, wholeOffsets, wholeNodes }
    : undefined
}

/** Cells of one group: the grain of the search index inside a block and of all compensated sums. */
export const GROUP_CELLS = 1024

/** Axis-aligned box: lower corner, then upper corner, in the case's length unit. */
export type Box = [number, number, number, number, number, number]

/** Values of one field on one block. `place` says what an entry belongs to. */
export interface FieldValues {
  values: FloatArray
  components: number
  place: 'point' | 'cell'
}

/** Smallest and largest value of each group of cells, for skipping: (2 × nGroups), min then max; of vectors and tensors their magnitude. */
export type GroupRanges = Float64Array

/** Something that stays valid until it is released. */
export interface Held<T> {
  value: T
  release(): void
}

/** Arrays derived from one block, such as a search structure. */
export type DerivedArrays = Record<string, Float32Array | Float64Array | Uint8Array | Uint32Array | Int32Array>

/**
 * What kernels see of a part: its blocks, one by one, and the values on them. All access is synchronous.
 *
 * Blocks and values may be views on memory that is used again: they are valid until the end of the `within` in which they were asked
 * for, or until they are released if `hold` asked for them.
 */
export interface PartBlocks {
  readonly name: string
  readonly dimension: number
  /** Number of blocks; blocks are numbered from 0 along the space-filling curve. */
  readonly nBlocks: number
  /** Box of each block. */
  readonly boxes: readonly Box[]
  block(k: number): MeshBlock
  /**
   * Values of a field of the source on block k, of stored ones with the extremes of each group of cells (2 × nGroups).
   *
   * @throws DataError when the part has no such field
   */
  field(name: string, k: number): FieldValues & { groups?: GroupRanges }
  /** Arrays made from block k, kept under a name for those who ask later. */
  derived(k: number, name: string, make: () => DerivedArrays): DerivedArrays
  within<T>(work: () => T): T
  hold<T>(load: () => T): Held<T>
}

/** Does something with each block of a part in order. @param check  called per block; throws to cancel */
export function eachBlock(part: PartBlocks, check: () => void, work: (mesh: MeshBlock, k: number) => void): void {
  for (let k = 0; k < part.nBlocks; k++) {
    check()
    part.within(() => work(part.block(k), k))
  }
}
