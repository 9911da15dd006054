/**
 * Gradients of cell values by weighted least squares over all cells that share a point with a cell, in its own block and in
 * those that touch it (Barth, "Aspects of unstructured grids and finite-volume solvers", VKI lecture series 1994-05; weights 1/d²).
 *
 * A value counts at the centroid of its cell; pieces of a polyhedron or quadratic cell count as the one cell they are of. Exact for
 * linear fields, up to the boundary. Where all neighbours lie in a plane, as in a mesh of one layer, the slope across it is 0.
 * O(nCells × neighbours); the values of the blocks around a block are read.
 */
import { Growing } from '../mesh/growing'
import type { Box, FieldValues, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { Numbering } from '../mesh/numbering'
import { tetrahedraOf } from '../mesh/tetrahedra'
import { inverseOfSymmetric } from './symmetric'

/**
 * @param valuesOf  cell values of a block
 * @returns (3 × components × nCells): of each component its slopes along x, y and z, in the values' unit over the block's length unit
 */
export function neighbourGradients(part: PartBlocks, k: number, valuesOf: (block: number) => FieldValues): Float64Array {
  const mesh = part.block(k)
  const own = valuesOf(k)
  const cells = new SourceCells(own.components)
  const around = new CellsAround(mesh)
  const cellOf = Uint32Array.from(mesh.types, (_, c) => cells.add(mesh, own, c))
  const nOwn = cells.length
  cellOf.forEach((cell, c) => around.add(cell, mesh, c))
  addHalo(part, k, valuesOf, cells, around)
  const slopes = slopesOf(nOwn, cells, around)
  const size = 3 * own.components
  const out = new Float64Array(size * cellOf.length)
  for (let c = 0; c < cellOf.length; c++) for (let i = 0; i < size; i++) out[size * c + i] = slopes[size * cellOf[c]! + i]!
  return out
}

function touch(a: Box, b: Box): boolean {
  return [0, 1, 2].every((d) => a[d]! <= b[d + 3]! && b[d]! <= a[d + 3]!)
}

/** Adds the cells of other blocks that share a point with this one, each with all its pieces. */
function addHalo(part: PartBlocks, k: number, valuesOf: (block: number) => FieldValues, cells: SourceCells, around: CellsAround): void {
  const near = part.boxes.flatMap((box, j) => (j !== k && touch(box, part.boxes[k]!) ? [j] : []))
  const { cellNumbers } = part.block(k)
  // pieces of a cell follow one another: blocks share no cell but the last of one and the first of the next
  const wanted = new Set([cellNumbers[0]!, cellNumbers[cellNumbers.length - 1]!])
  for (const j of near) collectShared(part.block(j), around, wanted)
  const ends = [k, ...near].flatMap((j) => [j - 1, j + 1]).filter((j) => j >= 0 && j < part.nBlocks && j !== k)
  for (const j of new Set([...near, ...ends])) {
    const mesh = part.block(j)
    const numbers = mesh.cellNumbers
    if (!near.includes(j) && !wanted.has(numbers[0]!) && !wanted.has(numbers[numbers.length - 1]!)) continue
    let values: FieldValues | undefined
    for (let c = 0; c < numbers.length; c++) if (wanted.has(numbers[c]!)) around.add(cells.add(mesh, (values ??= valuesOf(j)), c), mesh, c)
  }
}

function collectShared({ offsets, connectivity, cellNumbers, pointNumbers }: MeshBlock, around: CellsAround, wanted: Set<number>): void {
  const isShared = Uint8Array.from(pointNumbers, (number) => Number(around.has(number)))
  for (let c = 0; c < cellNumbers.length; c++) {
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) if (isShared[connectivity[i]!]) wanted.add(cellNumbers[c]!)
  }
}

/** Cells of the source with their centroids and values, gathered from their pieces. */
class SourceCells {
  private readonly numbering = new Numbering()
  /** Volume, and volume times position. */
  private readonly moments = new Growing(Float64Array)
  readonly values = new Growing(Float64Array)

  constructor(readonly components: number) {}

  get length(): number {
    return this.numbering.length
  }

  /** Adds cell c of a block. @returns place of the cell of the source that it is, or is a piece of */
  add(mesh: MeshBlock, { values }: FieldValues, c: number): number {
    const known = this.length
    const place = this.numbering.place(mesh.cellNumbers[c]!)
    if (place === known) {
      this.moments.pushAll([0, 0, 0, 0])
      for (let i = 0; i < this.components; i++) this.values.push(values[this.components * c + i]!)
    }
    addMoments(mesh, c, (i, x) => this.moments.addTo(4 * place + i, x))
    return place
  }

  /** (3 × n) */
  centroids(): Float64Array {
    const moments = this.moments.finish()
    return Float64Array.from({ length: 3 * this.length }, (_, i) => moments[4 * Math.floor(i / 3) + 1 + (i % 3)]! / moments[4 * Math.floor(i / 3)]!)
  }
}

/** Six times the volume of a cell, and that times its centroid. */
function addMoments(mesh: MeshBlock, c: number, add: (i: number, x: number) => void): void {
  const { points, connectivity, offsets, types, pointNumbers } = mesh
  const start = offsets[c]!
  const tets = tetrahedraOf(types[c]!, connectivity, start, pointNumbers)
  const at = (node: number, d: number): number => points[3 * connectivity[start + node]! + d]!
  for (let t = 0; t < tets.length; t += 4) {
    const [a, b, e, f] = [tets[t]!, tets[t + 1]!, tets[t + 2]!, tets[t + 3]!]
    const bx = at(b, 0) - at(a, 0), by = at(b, 1) - at(a, 1), bz = at(b, 2) - at(a, 2)
    const ex = at(e, 0) - at(a, 0), ey = at(e, 1) - at(a, 1), ez = at(e, 2) - at(a, 2)
    const fx = at(f, 0) - at(a, 0), fy = at(f, 1) - at(a, 1), fz = at(f, 2) - at(a, 2)
    const volume = bx * (ey * fz - ez * fy) + by * (ez * fx - ex * fz) + bz * (ex * fy - ey * fx)
    add(0, volume)
    for (let d = 0; d < 3; d++) add(1 + d, (volume * (at(a, d) + at(b, d) + at(e, d) + at(f, d))) / 4)
  }
}

/** Which cells are round each point of a block. */
class CellsAround {
  private readonly places = new Map<number, number>()
  private readonly pairs = { points: new Growing(Uint32Array), cells: new Growing(Uint32Array) }

  constructor(mesh: MeshBlock) {
    mesh.pointNumbers.forEach((number, p) => this.places.set(number, p))
  }

  has(number: number): boolean {
    return this.places.has(number)
  }

  /** Adds a cell at those nodes of cell c that are points of the block. */
  add(cell: number, { connectivity, offsets, pointNumbers }: MeshBlock, c: number): void {
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) {
      const place = this.places.get(pointNumbers[connectivity[i]!]!)
      if (place === undefined) continue
      this.pairs.points.push(place)
      this.pairs.cells.push(cell)
    }
  }

  /** Cells by point, and points by cell. */
  lists(nCells: number): { cells: Lists; points: Lists } {
    const [points, cells] = [this.pairs.points.finish(), this.pairs.cells.finish()]
    return { cells: listed(points, cells, this.places.size), points: listed(cells, points, nCells) }
  }
}

interface Lists {
  starts: Uint32Array
  items: Uint32Array
}

/** Items by their keys. */
function listed(keys: Uint32Array, items: Uint32Array, nKeys: number): Lists {
  const starts = new Uint32Array(nKeys + 1)
  for (let i = 0; i < keys.length; i++) starts[keys[i]! + 1]!++
  for (let k = 0; k < nKeys; k++) starts[k + 1]! += starts[k]!
  const next = starts.slice()
  const out = new Uint32Array(items.length)
  for (let i = 0; i < keys.length; i++) out[next[keys[i]!]!++] = items[i]!
  return { starts, items: out }
}

/** Of the first nOwn cells. */
function slopesOf(nOwn: number, cells: SourceCells, around: CellsAround): Float64Array {
  const { components } = cells
  const { cells: byPoint, points: byCell } = around.lists(cells.length)
  const [centroids, values] = [cells.centroids(), cells.values.finish()]
  const out = new Float64Array(3 * components * nOwn)
  const matrix = new Float64Array(6)
  const inverse = new Float64Array(6)
  const right = new Float64Array(3 * components)
  // a neighbour that shares several points is met as often, and counts as often
  for (let cell = 0; cell < nOwn; cell++) {
    matrix.fill(0)
    right.fill(0)
    for (let q = byCell.starts[cell]!; q < byCell.starts[cell + 1]!; q++) {
      const point = byCell.items[q]!
      for (let i = byPoint.starts[point]!; i < byPoint.starts[point + 1]!; i++) {
        const other = byPoint.items[i]!
        if (other === cell) continue
        const x = centroids[3 * other]! - centroids[3 * cell]!
        const y = centroids[3 * other + 1]! - centroids[3 * cell + 1]!
        const z = centroids[3 * other + 2]! - centroids[3 * cell + 2]!
        const w = 1 / (x * x + y * y + z * z)
        matrix[0]! += w * x * x
        matrix[1]! += w * y * y
        matrix[2]! += w * z * z
        matrix[3]! += w * x * y
        matrix[4]! += w * y * z
        matrix[5]! += w * x * z
        for (let c = 0; c < components; c++) {
          const step = w * (values[components * other + c]! - values[components * cell + c]!)
          right[3 * c]! += step * x
          right[3 * c + 1]! += step * y
          right[3 * c + 2]! += step * z
        }
      }
    }
    inverseOfSymmetric(matrix, inverse)
    const [xx, yy, zz, xy, yz, xz] = inverse as unknown as [number, number, number, number, number, number]
    for (let c = 0; c < components; c++) {
      const [x, y, z] = [right[3 * c]!, right[3 * c + 1]!, right[3 * c + 2]!]
      const at = 3 * (components * cell + c)
      out[at] = xx * x + xy * y + xz * z
      out[at + 1] = xy * x + yy * y + yz * z
      out[at + 2] = xz * x + yz * y + zz * z
    }
  }
  return out
}
