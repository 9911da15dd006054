/**
 * Figures of the mesh of one part: its size, its worst cells, and what a careful engineer would want to know before
 * trusting it. O(cells); memory of one bit per point, and of the edges of a surface or the skin of a region.
 */
import { cellDimension, cellFaces, cellNodeCount, CellType } from '../mesh/cellTypes'
import { linearType } from '../mesh/quadraticCells'
import { MAX_QUADRATIC_NODES, quadraticShares } from '../mesh/quadraticShape'
import { eachBlock, wholesOf } from '../mesh/MeshBlock'
import type { MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { mergeTotals } from '../measure/sums'
import type { GroupTotals } from '../measure/sums'
import { ones, totalsOfBlock } from '../measure/totals'
import { cellSizes, centreOf } from './cellSizes'
import type { Spot } from './cellSizes'

export interface PartSize {
  /** Volume, area, length or number, in powers of the case's length unit. */
  size: number
  /** Area of a region's outer surface; null for other parts. */
  skinArea: number | null
  skinFaces: number
}

export interface PartFigures extends PartSize {
  smallest: { size: number; where: Spot } | null
  /** Cells of negative and of no size. */
  negative: number
  empty: number
  /** Longest over shortest edge of the worst cell. */
  worstAspect: { ratio: number; where: Spot } | null
  /** Edges that belong to only one face; surfaces only. */
  openEdges: number
  /** Points of the skin at the position of another one: the mesh may be cracked there. */
  doublePoints: number
  /** Points that no cell uses. */
  unusedPoints: number
}

/** @param nPoints  number of points of the part in its file */
export function partFigures(part: PartBlocks, nPoints: number, check: () => void = () => undefined): PartFigures {
  const used = new UsedPoints()
  const worst = new WorstCells()
  const size = partSize(part, check, (mesh) => {
    used.add(mesh.pointNumbers)
    worst.look(mesh)
  })
  worst.finish()
  return {
    ...size,
    // points have no size
    smallest: part.dimension ? worst.smallest : null,
    ...{ negative: worst.negative, empty: worst.empty, worstAspect: worst.aspect },
    openEdges: part.dimension === 2 ? openEdges(part, check) : 0,
    doublePoints: part.dimension >= 2 ? doublePoints(part, check) : 0,
    // points that splitting added count as used, too: rather too few are named than wrong ones
    unusedPoints: Math.max(0, nPoints - used.count),
  }
}

/** What of the figures needs no look at single cells. @param look  given every block on the way: to read them again takes long */
export function partSize(
  part: PartBlocks,
  check: () => void = () => undefined,
  look: (mesh: MeshBlock) => void = () => undefined,
): PartSize {
  const isRegion = part.dimension === 3
  const own: GroupTotals[] = []
  const outer: GroupTotals[] = []
  let skinFaces = 0
  eachBlock(part, check, (mesh, k) => {
    look(mesh)
    own.push(...totalsOfBlock(part, k, ones(part, k), false))
    if (!isRegion) return
    outer.push(...totalsOfBlock(part, k, ones(part, k), true))
    skinFaces += mesh.skin.length / 2
  })
  return { size: mergeTotals(own, 1).measure, skinArea: isRegion ? mergeTotals(outer, 1).measure : null, skinFaces }
}

/** Looks at the cells of the file: pieces that follow one another, in the next block too, are put together again. */
class WorstCells {
  smallest: PartFigures['smallest'] = null
  negative = 0
  empty = 0
  aspect: PartFigures['worstAspect'] = null
  private cell: SeenCell | undefined

  look(mesh: MeshBlock): void {
    const { points, types, offsets, connectivity, cellNumbers } = mesh
    const quadratic = wholesOf(mesh)
    const sizes = cellSizes(mesh)
    for (let c = 0; c < sizes.length; c++) {
      const q = quadratic ? quadratic.wholeOf[c]! : -1
      if (q >= 0 && !quadratic!.wholeLeads[c]) continue
      const type = q >= 0 ? quadratic!.wholeTypes[q]! : types[c]!
      const nodes = q >= 0 ? quadratic!.wholeNodes : connectivity
      const from = q >= 0 ? quadratic!.wholeOffsets[q]! : offsets[c]!
      const to = q >= 0 ? quadratic!.wholeOffsets[q + 1]! : offsets[c + 1]!
      const size = q >= 0 ? quadraticShares(type, points, nodes, from, shares) : sizes[c]!
      if (this.cell?.number === cellNumbers[c]) {
        this.cell!.size += size
        this.cell!.pieces++
        continue
      }
      this.finish()
      const where = { number: cellNumbers[c]!, at: centreOf(points, nodes.subarray(from, to)) }
      this.cell = {
        number: cellNumbers[c]!,
        where,
        size,
        pieces: 1,
        ratio: aspectOf(points, q >= 0 ? linearType(type) : type, nodes, from, to),
      }
    }
  }

  /** To be called once more behind the last block. */
  finish(): void {
    if (!this.cell) return
    const { where, size, pieces, ratio } = this.cell
    if (size < 0) this.negative++
    else if (!(size > 0)) this.empty++
    if (size < (this.smallest?.size ?? Infinity)) this.smallest = { size, where }
    // edges between the pieces of a polyhedron are none of its own
    if (pieces === 1 && ratio > (this.aspect?.ratio ?? 0)) this.aspect = { ratio, where }
    this.cell = undefined
  }
}

/** A cell of the file, some of whose pieces may still follow; its nodes are those of the first one. */
interface SeenCell {
  number: number
  where: Spot
  size: number
  pieces: number
  ratio: number
}

const shares = new Float64Array(MAX_QUADRATIC_NODES)

/** Pairs of local nodes that are edges, by cell type. */
const edgesOfType: (Uint8Array | undefined)[] = cellFaces.map((faces) => {
  if (!faces) return undefined
  const edges: number[] = []
  for (const face of faces)
    face.forEach((a, i) => {
      const b = face[(i + 1) % face.length]!
      // every edge belongs to two faces, once in each direction
      if (a < b) edges.push(a, b)
    })
  return Uint8Array.from(edges)
})

/** Longest over shortest edge; 0 for lines and points, infinite where points fall together. */
function aspectOf(points: ArrayLike<number>, type: number, connectivity: Uint32Array, from: number, to: number): number {
  const dimension = cellDimension(type)
  if (dimension < 2) return 0
  const edges = edgesOfType[type]
  // faces have as many edges as corners: of the quadratic ones the corners come first
  const n = edges ? edges.length / 2 : type === CellType.polygon ? to - from : cellNodeCount[type]!
  let shortest = Infinity
  let longest = 0
  for (let e = 0; e < n; e++) {
    const a = 3 * connectivity[from + (edges ? edges[2 * e]! : e)]!
    const b = 3 * connectivity[from + (edges ? edges[2 * e + 1]! : (e + 1) % n)]!
    const x = points[b]! - points[a]!,
      y = points[b + 1]! - points[a + 1]!,
      z = points[b + 2]! - points[a + 2]!
    const square = x * x + y * y + z * z
    if (square < shortest) shortest = square
    if (square > longest) longest = square
  }
  return longest === 0 ? 0 : Math.sqrt(longest / shortest)
}

/** Counts different numbers: one bit each. */
class UsedPoints {
  count = 0
  private bits = new Uint8Array(1024)

  add(numbers: Uint32Array): void {
    for (let p = 0; p < numbers.length; p++) {
      const at = numbers[p]! >>> 3
      if (at >= this.bits.length) {
        const bigger = new Uint8Array(2 * at)
        bigger.set(this.bits)
        this.bits = bigger
      }
      const bit = 1 << (numbers[p]! & 7)
      if (this.bits[at]! & bit) continue
      this.bits[at]! |= bit
      this.count++
    }
  }
}

/** Edges used by one face only, by sorted pairs of point numbers. */
function openEdges(part: PartBlocks, check: () => void): number {
  const pairs: number[] = []
  eachBlock(part, check, ({ types, offsets, connectivity, pointNumbers }) => {
    for (let c = 0; c < types.length; c++) {
      const from = offsets[c]!
      const n = offsets[c + 1]! - from
      for (let i = 0; i < n; i++) {
        const a = pointNumbers[connectivity[from + i]!]!
        const b = pointNumbers[connectivity[from + ((i + 1) % n)]!]!
        pairs.push(Math.min(a, b) * 2 ** 26 + Math.max(a, b))
      }
    }
  })
  return countSingles(Float64Array.from(pairs).sort())
}

function countSingles(sorted: Float64Array): number {
  let n = 0
  for (let i = 0, end = 0; i < sorted.length; i = end) {
    for (end = i + 1; end < sorted.length && sorted[end] === sorted[i];) end++
    if (end - i === 1) n++
  }
  return n
}

/** Different points at one position, among those of a surface or of a region's skin: cracks show as boundary. */
function doublePoints(part: PartBlocks, check: () => void): number {
  const numberAt = new Map<string, number>()
  const doubles = new Set<number>()
  const look = (mesh: MeshBlock, p: number): void => {
    const key = `${mesh.points[3 * p]},${mesh.points[3 * p + 1]},${mesh.points[3 * p + 2]}`
    const number = mesh.pointNumbers[p]!
    const known = numberAt.get(key)
    if (known === undefined) numberAt.set(key, number)
    else if (known !== number) doubles.add(number)
  }
  eachBlock(part, check, (mesh) => {
    if (part.dimension === 2) for (let p = 0; p < mesh.pointNumbers.length; p++) look(mesh, p)
    for (let i = 0; i < mesh.skin.length; i += 2) {
      const start = mesh.offsets[mesh.skin[i]!]!
      for (const node of cellFaces[mesh.types[mesh.skin[i]!]!]![mesh.skin[i + 1]!]!) look(mesh, mesh.connectivity[start + node]!)
    }
  })
  return doubles.size
}
