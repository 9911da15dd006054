/**
 * A volume made of blocks of regions: whole ones, to which it only refers, and parts of blocks that steps left over.
 *
 * Meshes of cut blocks are made when they are requested. Positions are located in the regions, then in what is left of the cell.
 */
import { groupStartsOf } from './groups'
import type { Box, FieldValues, MeshBlock, PartBlocks } from './MeshBlock'

/**
 * What is left of a block, as a block of its own: whole cells, and tetrahedra of cells that were cut. Cells are in the order of the cells
 * of the case that they come from; those of one group of the case are one group.
 *
 *   cellSources    Uint32Array (nCells), cell of the case's block
 *   weightStarts   Uint32Array (nPoints + 1)
 *   sources        Uint32Array, points of the case's block
 *   weights        Float64Array, summing to 1 for each point
 *   groupCells     Uint32Array (nGroups + 1), where the cells of each group begin
 *   skinTriangles  Uint32Array (3 × n), local points of the triangles that bound it, wound outwards
 *   skinCells      Uint32Array (n), cell of the case's block behind each triangle
 *   skinFrom       Uint8Array (n), a `SkinFrom`
 */
export interface PartialBlock extends MeshBlock {
  cellSources: Uint32Array
  weightStarts: Uint32Array
  sources: Uint32Array
  weights: Float64Array
  groupCells: Uint32Array
  skinTriangles: Uint32Array
  skinCells: Uint32Array
  skinFrom: Uint8Array
}

/** A block of the case as it is, or what is left of one. */
export type DomainMesh = MeshBlock | PartialBlock

export function isPartial(mesh: DomainMesh): mesh is PartialBlock {
  return 'cellSources' in mesh
}

/**
 * Where a triangle of the outside comes from. An open one is on the outside only if the domain does not go on behind it, in this block or
 * in another: if no second triangle has the same corners.
 */
export const SkinFrom = { boundary: 0, cut: 1, open: 2 } as const

export interface DomainBlock {
  part: PartBlocks
  block: number
  is: 'whole' | 'cut'
  box: Box
  /** Undefined when nothing is left of the block. Valid until the end of the `within` of its part. */
  mesh(): DomainMesh | undefined
  /** Cells of the block that steps left out because their condition has no value there. */
  nLost(): number
}

export interface Domain {
  /** Regions that its blocks are of. */
  parts: readonly PartBlocks[]
  blocks: readonly DomainBlock[]
  /** Cells were chosen as wholes, so that its outside may run between blocks. */
  isChosen: boolean
}

export function wholeDomain(parts: readonly PartBlocks[]): Domain {
  const blocks = parts.flatMap((part) =>
    part.boxes.map((box, block): DomainBlock => ({ part, block, is: 'whole', box, mesh: () => part.block(block), nLost: () => 0 })),
  )
  return { parts, blocks, isChosen: false }
}

/** Whether it is all of its regions. */
export function isWhole({ parts, blocks }: Domain): boolean {
  return blocks.length === parts.reduce((n, part) => n + part.nBlocks, 0) && blocks.every(({ is }) => is === 'whole')
}

export function joinDomains(domains: readonly Domain[]): Domain {
  return {
    parts: [...new Map(domains.flatMap(({ parts }) => parts.map((part) => [part.name, part] as const))).values()],
    blocks: domains.flatMap(({ blocks }) => blocks),
    isChosen: domains.some(({ isChosen }) => isChosen),
  }
}

/** Does something with what is left of each block, in order. @param check  called per block; throws to cancel */
export function eachDomainBlock({ blocks }: Domain, check: () => void, work: (mesh: DomainMesh, block: DomainBlock) => void): void {
  for (const block of blocks) {
    check()
    block.part.within(() => {
      const mesh = block.mesh()
      if (mesh) work(mesh, block)
    })
  }
}

/** Cells that steps left out because their condition has no value there. */
export function lostCells({ blocks }: Pick<Domain, 'blocks'>): number {
  return blocks.reduce((sum, block) => sum + block.part.within(() => block.nLost()), 0)
}

/** Says how many these are; empty for none. */
export function lostNotes(nLost: number): string[] {
  if (!nLost) return []
  const cells = nLost === 1 ? '1 cell is' : `${nLost.toLocaleString('en')} cells are`
  return [`${cells} left out: the condition has no value there.`]
}

/** Cells of the case that a block of a domain is made of; pieces of one quadratic cell count as one, and so do those of a cut one. */
export function cellCount(mesh: DomainMesh): number {
  const { cellNumbers } = mesh
  let n = 0
  for (let c = 0; c < cellNumbers.length; c++) if (c === 0 || cellNumbers[c] !== cellNumbers[c - 1]) n++
  return n
}

/** Whether quadratic cells of the case's block were cut, of which linear pieces are left. */
export function hasCutWholes(mesh: DomainMesh, block: MeshBlock): boolean {
  const { wholeOf } = block
  if (!isPartial(mesh) || !wholeOf) return false
  return mesh.cellSources.some((source, c) => wholeOf[source]! >= 0 && (mesh.wholeOf?.[c] ?? -1) < 0)
}

/** Where the cells of each group begin (nGroups + 1). */
export function groupCellsOf(mesh: DomainMesh): Uint32Array {
  return isPartial(mesh) ? mesh.groupCells : groupStartsOf(mesh.types.length)
}

/** Values on a block of the case, in the order of what is left of the block. */
export function valuesOnMesh(mesh: DomainMesh, field: FieldValues): FieldValues {
  if (!isPartial(mesh)) return field
  const { values, components, place } = field
  const { cellSources, weightStarts, sources, weights } = mesh
  const n = place === 'cell' ? cellSources.length : weightStarts.length - 1
  const out = new Float64Array(components * n)
  for (let i = 0; i < n; i++) {
    for (let c = 0; c < components; c++) {
      if (place === 'cell') {
        out[i * components + c] = values[cellSources[i]! * components + c]!
        continue
      }
      let sum = 0
      for (let w = weightStarts[i]!; w < weightStarts[i + 1]!; w++) sum += weights[w]! * values[sources[w]! * components + c]!
      out[i * components + c] = sum
    }
  }
  return { values: out, components, place }
}
