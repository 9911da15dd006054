/**
 * What is left of a block of a domain where a function is 0 or more: cells that are whole there, and tetrahedra of those that are cut.
 *
 * Method: the tetrahedra of `mesh/tetrahedra.ts` are clipped; what is left of one is a tetrahedron or a prism, which is split by the
 * order of its corners' coordinates (after Dompierre et al. 1999). Neighbours agree on every face, in other blocks too, and the two
 * sides of a cut add up to the whole. Linear functions are cut exactly. A quadratic cell stays one if all its nodes are kept; otherwise
 * its linear pieces are cut. Cells with a value that is not a number are left out. O(nCells).
 *
 * Bounding triangles are carried along: the cut adds those in which it opens cells. A face that lies in the level as a whole, between
 * points of the mesh, is open: whether the cell behind it is left out may be known to another block only.
 */
import { cellNodeCount } from '../mesh/cellTypes'
import { groupCellsOf, SkinFrom } from '../mesh/Domain'
import type { DomainMesh, PartialBlock } from '../mesh/Domain'
import { wholesOf } from '../mesh/MeshBlock'
import { MAX_TETRAHEDRA, tetrahedraOf } from '../mesh/tetrahedra'
import { clippedTriangle, CutPoints, fanOf } from './CutPoints'
import { PartialBuilder, skinTrianglesOf } from './PartialBuilder'
import type { Capacity } from './PartialBuilder'
import { TriangleSet } from './TriangleSet'

/**
 * @param level     (nPoints) the function; linear on each tetrahedron
 * @param isStrict  cells and pieces in which it is 0 everywhere are left out
 * @returns the mesh itself if it lies inside, undefined if it lies outside
 */
export function cutMesh(mesh: DomainMesh, level: Float64Array, isStrict = false): DomainMesh | undefined {
  if (level.every((x) => x > 0)) return mesh
  if (level.every((x) => !(isStrict ? x > 0 : x >= 0))) return undefined
  return new MeshCutter(mesh, level, isStrict).cut()
}

/** Sides of the cells that a cut looks at. */
const OUT = 0
const WHOLE = 1
const MIXED = 2

class MeshCutter {
  private readonly points: CutPoints
  private readonly sides: Uint8Array
  private readonly out: PartialBuilder
  private readonly skin: ReturnType<typeof skinTrianglesOf>
  /** Triangles of the skin that lie in the level. */
  private readonly flat = new TriangleSet()
  /** Those of them that a tetrahedron is kept behind. */
  private readonly keptFlat = new TriangleSet()

  constructor(
    private readonly mesh: DomainMesh,
    private readonly level: Float64Array,
    private readonly isStrict: boolean,
  ) {
    this.points = new CutPoints(mesh, level)
    this.sides = this.sidesOfCells()
    this.out = new PartialBuilder(mesh, this.points, this.capacity())
    this.findWholes()
    this.skin = skinTrianglesOf(mesh)
  }

  cut(): PartialBlock | undefined {
    const { mesh, level, out, skin } = this
    const { triangles } = skin
    for (let t = 0; t < triangles.length; t += 3) {
      if (level[triangles[t]!] === 0 && level[triangles[t + 1]!] === 0 && level[triangles[t + 2]!] === 0)
        this.flat.add(triangles[t]!, triangles[t + 1]!, triangles[t + 2]!)
    }
    const groups = groupCellsOf(mesh)
    const { sides } = this
    for (let g = 0; g + 1 < groups.length; g++) {
      for (let c = groups[g]!; c < groups[g + 1]!; c++) {
        if (sides[c] === WHOLE) this.addWhole(c)
        else if (sides[c] === MIXED) this.addPieces(c)
      }
      out.endGroup()
    }
    this.clipSkin()
    return out.finish()
  }

  private sidesOfCells(): Uint8Array {
    const { types, offsets, connectivity } = this.mesh
    const sides = new Uint8Array(types.length)
    for (let c = 0; c < types.length; c++) if (cellNodeCount[types[c]!]) sides[c] = this.sideOf(connectivity, offsets[c]!, offsets[c + 1]!)
    return sides
  }

  /** What is left of a tetrahedron are at most three. */
  private capacity(): Capacity {
    const { offsets } = this.mesh
    let cells = 0
    let nodes = 0
    this.sides.forEach((side, c) => {
      if (side === OUT) return
      cells += side === WHOLE ? 1 : 3 * MAX_TETRAHEDRA
      nodes += side === WHOLE ? offsets[c + 1]! - offsets[c]! : 12 * MAX_TETRAHEDRA
    })
    return { cells, nodes }
  }

  /** A piece of a quadratic cell counts as whole only if the quadratic cell does. */
  private findWholes(): void {
    const quadratic = wholesOf(this.mesh)
    if (!quadratic) return
    const { wholeOf, wholeTypes, wholeOffsets, wholeNodes } = quadratic
    const isWhole = Uint8Array.from(wholeTypes, (_, q) => Number(this.sideOf(wholeNodes, wholeOffsets[q]!, wholeOffsets[q + 1]!) === WHOLE))
    for (let c = 0; c < wholeOf.length; c++) if (wholeOf[c]! >= 0 && this.sides[c] !== WHOLE) isWhole[wholeOf[c]!] = 0
    this.out.keepWholes(quadratic, isWhole)
  }

  private sideOf(nodes: Uint32Array, start: number, end: number): number {
    let isIn = false
    let isOn = false
    let isOut = false
    for (let i = start; i < end; i++) {
      const x = this.level[nodes[i]!]!
      if (x > 0) isIn = true
      else if (x < 0) isOut = true
      else if (x === 0) isOn = true
      else return OUT
    }
    if (isOut) return isIn || (isOn && !this.isStrict) ? MIXED : OUT
    return isIn || !this.isStrict ? WHOLE : OUT
  }

  private addWhole(c: number): void {
    const { types, offsets, connectivity, pointNumbers } = this.mesh
    const start = offsets[c]!
    const end = offsets[c + 1]!
    let nFlat = 0
    for (let i = start; i < end; i++) if (this.level[connectivity[i]!] === 0) nFlat++
    this.out.addCell(c, types[c]!, connectivity, start, end)
    if (nFlat < 3) return
    const tets = tetrahedraOf(types[c]!, connectivity, start, pointNumbers)
    for (let k = 0; k < tets.length; k += 4) this.addFlatFaces(c, [0, 1, 2, 3].map((i) => connectivity[start + tets[k + i]!]!) as Four)
  }

  private addPieces(c: number): void {
    const { types, offsets, connectivity, pointNumbers } = this.mesh
    const start = offsets[c]!
    const tets = tetrahedraOf(types[c]!, connectivity, start, pointNumbers)
    for (let k = 0; k < tets.length; k += 4) this.addPiece(c, [0, 1, 2, 3].map((i) => connectivity[start + tets[k + i]!]!) as Four)
  }

  /** What is left of one tetrahedron of positive volume. */
  private addPiece(c: number, nodes: Four): void {
    const { level, points } = this
    let inside = 0
    for (let i = 0; i < 4; i++) if (level[nodes[i]!]! >= 0) inside |= 1 << i
    if (inside === 0) return
    if (inside === 15) {
      if (this.isStrict && nodes.every((p) => level[p] === 0)) return
      this.out.addTetrahedron(c, ...(nodes.map((p) => points.kept(p)) as Four))
      this.addFlatFaces(c, nodes)
      return
    }
    const at = (p: number, q: number): number => points.crossing(p, q)
    const { count, order } = CASES[inside]!
    const [i, j, k, l] = order.map((n) => nodes[n]!) as Four
    if (count === 1) {
      const corners: Four = [points.kept(i), at(i, j), at(i, k), at(i, l)]
      if (this.out.addTetrahedron(c, ...corners)) this.addCutFace(c, corners.slice(1))
    } else if (count === 3) {
      // the tetrahedron (l k j i) is positive as (i j k l) is
      const top = [at(l, i), at(k, i), at(j, i)]
      this.addPrism(c, [points.kept(l), points.kept(k), points.kept(j), ...top] as Six)
      this.addCutFace(c, top)
    } else {
      const [ik, il, jk, jl] = [at(i, k), at(i, l), at(j, k), at(j, l)]
      this.addPrism(c, [points.kept(i), ik, il, points.kept(j), jk, jl])
      this.addCutFace(c, [ik, il, jl, jk])
    }
  }

  /** A prism as three tetrahedra; fewer where corners are one point. */
  private addPrism(c: number, corners: Six): void {
    const { points } = this
    let smallest = 0
    for (let i = 1; i < 6; i++) if (points.isAfter(corners[smallest]!, corners[i]!)) smallest = i
    const [p, q, r, s, t, u] = TURNED[smallest]!.map((i) => corners[i]!) as Six
    // the two quads at p are split from there, the third from its own first corner
    let first = q
    for (const corner of [r, u, t]) if (points.isAfter(first, corner)) first = corner
    if (first === q || first === u) {
      this.out.addTetrahedron(c, p, q, r, u)
      this.out.addTetrahedron(c, p, q, u, t)
    } else {
      this.out.addTetrahedron(c, p, q, r, t)
      this.out.addTetrahedron(c, p, t, r, u)
    }
    this.out.addTetrahedron(c, p, t, u, s)
  }

  private addCutFace(c: number, polygon: readonly number[]): void {
    fanOf(polygon, this.points, (i, j, k) => {
      // a face between points of the mesh belongs to the cell on its other side
      if ([i, j, k].every((p) => this.points.originOf(p) !== undefined)) return
      this.out.addSkin(i, j, k, this.out.sourceOf(c), SkinFrom.cut)
    })
  }

  /** Faces of a kept tetrahedron that lie in the level; those on the skin are there anyway. */
  private addFlatFaces(c: number, [a, b, d, e]: Four): void {
    const { level, points } = this
    for (const [i, j, k] of [
      [a, d, b],
      [a, b, e],
      [b, d, e],
      [a, e, d],
    ] as const) {
      if (level[i] !== 0 || level[j] !== 0 || level[k] !== 0) continue
      if (this.flat.has(i, j, k)) this.keptFlat.add(i, j, k)
      else this.out.addSkin(points.kept(i), points.kept(j), points.kept(k), this.out.sourceOf(c), SkinFrom.open)
    }
  }

  private clipSkin(): void {
    const { points, level, out } = this
    const { triangles, cells, from } = this.skin
    for (let t = 0; t < cells.length; t++) {
      const corners: [number, number, number] = [triangles[3 * t]!, triangles[3 * t + 1]!, triangles[3 * t + 2]!]
      if (!out.hasSource(cells[t]!) || corners.some((p) => Number.isNaN(level[p]!))) continue
      if (!corners.some((p) => level[p]! > 0) && !this.keptFlat.has(...corners)) continue
      fanOf(clippedTriangle(points, level, corners), points, (i, j, k) => out.addSkin(i, j, k, cells[t]!, from[t]!))
    }
  }
}

type Four = [number, number, number, number]
type Six = [number, number, number, number, number, number]

/** The corners of a prism turned such that one comes first. */
function turned(first: number): number[] {
  const base = first < 3 ? [0, 1, 2] : [0, 2, 1]
  const [near, far] = first < 3 ? [0, 3] : [3, 0]
  const turn = base.indexOf(first % 3)
  const ring = [0, 1, 2].map((i) => base[(i + turn) % 3]!)
  return [...ring.map((i) => near + i), ...ring.map((i) => far + i)]
}

const TURNED = [0, 1, 2, 3, 4, 5].map(turned)

/** The nodes of a tetrahedron with some first, in an order of positive volume like their own. */
function evenOrder(first: readonly number[]): number[] {
  const order = [...first, ...[0, 1, 2, 3].filter((i) => !first.includes(i))]
  let swaps = 0
  for (let i = 0; i < 4; i++) for (let j = i + 1; j < 4; j++) if (order[i]! > order[j]!) swaps++
  if (swaps % 2) [order[2], order[3]] = [order[3]!, order[2]!]
  return order
}

/** By the nodes that are inside, a bit for each: how many, and an order in which those come first, or of three the one outside. */
const CASES = Array.from({ length: 16 }, (_, bits) => {
  const inside = [0, 1, 2, 3].filter((i) => bits & (1 << i))
  const outside = [0, 1, 2, 3].filter((i) => !inside.includes(i))
  return { count: inside.length, order: evenOrder(inside.length === 3 ? outside : inside) }
})
