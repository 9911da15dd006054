/**
 * Volumes and integrals over the volume cells of one block.
 *
 * Each linear cell is the union of its tetrahedra (`mesh/tetrahedra.ts`); point values are linear on each, so that linear
 * fields are integrated exactly and smooth ones to second order. Quadratic cells are integrated whole, by their shape
 * functions (`mesh/quadraticShape.ts`). O(nCells).
 */
import { sharedKernels } from '../kernels/Kernels'
import type { Kernels } from '../kernels/Kernels'
import { MAX_QUADRATIC_NODES, quadraticShares } from '../mesh/quadraticShape'
import { packedSplits } from '../mesh/tetrahedra'
import { groupCellsOf } from '../mesh/Domain'
import type { DomainMesh } from '../mesh/Domain'
import { wholesOf } from '../mesh/MeshBlock'
import type { BlockWholes, FieldValues, FloatArray, MeshBlock } from '../mesh/MeshBlock'
import { Sum } from './sums'
import type { GroupTotals } from './sums'

/** Totals of each group of cells. Extremes are over the points or cells used, of the magnitude for vectors. */
export function integrateCells(mesh: DomainMesh, field: FieldValues): GroupTotals[] {
  const quadratic = wholesOf(mesh)
  if (!quadratic) return integrateLinear(mesh, field)
  const linear = linearShares(mesh)
  return groupsOf(mesh, (first, last) => integrateWholes(mesh, { quadratic, linear }, field, first, last))
}

function groupsOf<T>(mesh: DomainMesh, totals: (first: number, last: number) => T): T[] {
  const cells = groupCellsOf(mesh)
  return Array.from({ length: cells.length - 1 }, (_, g) => totals(cells[g]!, cells[g + 1]!))
}

/** Addresses of the arrays of a block in the memory of the kernels. */
interface BlockAt {
  points: number
  types: number
  offsets: number
  nodes: number
  numbers: number
  tables: number
}

function putBlock(kernels: Kernels, { points, types, offsets, connectivity, pointNumbers }: MeshBlock): BlockAt {
  return {
    ...{ points: putDoubles(kernels, points), types: kernels.put(types), offsets: kernels.put(offsets), nodes: kernels.put(connectivity) },
    ...{ numbers: kernels.put(pointNumbers), tables: kernels.put(packedSplits) },
  }
}

function putDoubles(kernels: Kernels, values: FloatArray): number {
  const at = kernels.take(Float64Array, values.length)
  kernels.view(Float64Array, at, values.length).set(values)
  return at
}

/** Volumes of all cells by their tetrahedra; pieces of quadratic cells count as cells. */
export function linearVolumes(mesh: MeshBlock): Float64Array {
  return volumesOf(mesh, 0).volumes
}

/** The same with the share of its cell's volume that each node carries. */
export function linearShares(mesh: MeshBlock): LinearShares {
  return volumesOf(mesh, mesh.connectivity.length)
}

interface LinearShares {
  volumes: Float64Array
  shares: Float64Array
}

/** @param nShares  0, or all */
function volumesOf(mesh: MeshBlock, nShares: number): LinearShares {
  const kernels = sharedKernels()
  return kernels.within(() => {
    const { points, types, offsets, nodes, numbers, tables } = putBlock(kernels, mesh)
    const nCells = mesh.types.length
    const volumes = kernels.take(Float64Array, nCells)
    const shares = nShares ? kernels.take(Float64Array, nShares) : 0
    kernels.run.cellVolumes(points, types, offsets, nodes, numbers, tables, nCells, volumes, shares)
    return { volumes: kernels.view(Float64Array, volumes, nCells).slice(), shares: kernels.view(Float64Array, shares, nShares).slice() }
  })
}

function integrateLinear(mesh: DomainMesh, { values, components, place }: FieldValues): GroupTotals[] {
  const kernels = sharedKernels()
  return kernels.within(() => {
    const { points, types, offsets, nodes, numbers, tables } = putBlock(kernels, mesh)
    const at = putDoubles(kernels, values)
    const size = 7 + 3 * components
    const out = kernels.take(Float64Array, size)
    const totals = kernels.view(Float64Array, out, size)
    const sumAt = (i: number): number => (Number.isFinite(totals[i + 1]!) ? totals[i]! + totals[i + 1]! : totals[i]!)
    return groupsOf(mesh, (first, last) => {
      totals.fill(0)
      totals[0] = Infinity
      totals[1] = -Infinity
      kernels.run.integrateLinear(
        points,
        types + first,
        offsets + 4 * first,
        nodes,
        numbers,
        tables,
        last - first,
        at,
        components,
        Number(place === 'point'),
        first,
        out,
      )
      return {
        measure: sumAt(3),
        skipped: sumAt(5),
        nonFinite: totals[2]!,
        integral: Array.from({ length: components }, (_, d) => sumAt(7 + 2 * d)),
        min: totals[0]!,
        max: totals[1]!,
      }
    })
  })
}
/** Shares of the volume of the current quadratic cell. Not re-entrant. */
const ownShares = new Float64Array(MAX_QUADRATIC_NODES)

interface Volumes {
  quadratic: BlockWholes
  linear: LinearShares
}

/** Cells some of which are quadratic: each of these counts once, with its first piece. */
function integrateWholes(
  mesh: MeshBlock,
  { quadratic, linear }: Volumes,
  { values, components, place }: FieldValues,
  first: number,
  last: number,
): GroupTotals {
  const { wholeOf, wholeLeads, wholeTypes, wholeOffsets, wholeNodes } = quadratic
  const [measure, skipped] = [new Sum(), new Sum()]
  const sums = Array.from({ length: components }, () => new Sum())
  const part = new Float64Array(components)
  let nonFinite = 0
  let min = Infinity
  let max = -Infinity
  for (let c = first; c < last; c++) {
    const q = wholeOf[c]!
    if (q >= 0 && !wholeLeads[c]) continue
    const [nodes, offsets, at] = q >= 0 ? [wholeNodes, wholeOffsets, q] : [mesh.connectivity, mesh.offsets, c]
    const start = offsets[at]!
    const volume = q >= 0 ? quadraticShares(wholeTypes[q]!, mesh.points, nodes, start, ownShares) : linear.volumes[c]!
    const nNodes = place === 'point' ? offsets[at + 1]! - start : 1
    let low = Infinity,
      high = -Infinity
    part.fill(0)
    for (let i = 0; i < nNodes; i++) {
      const item = place === 'point' ? nodes[start + i]! : c
      const share = place === 'cell' ? volume : q >= 0 ? ownShares[i]! : linear.shares[start + i]!
      for (let d = 0; d < components; d++) part[d]! += share * values[item * components + d]!
      const x = magnitude(values, item, components)
      if (x < low) low = x
      if (x > high) high = x
    }
    const whole = part.reduce((sum, x) => sum + x, 0)
    // NaN for infinities and for NaN itself
    if (whole - whole !== 0) {
      nonFinite++
      skipped.add(volume)
      continue
    }
    measure.add(volume)
    for (let d = 0; d < components; d++) sums[d]!.add(part[d]!)
    if (low < min) min = low
    if (high > max) max = high
  }
  return { measure: measure.value, skipped: skipped.value, nonFinite, integral: sums.map((s) => s.value), min, max }
}

/** The value itself for scalars, the magnitude for vectors, the norm for tensors (six components are symmetric). */
export function magnitude(values: ArrayLike<number>, index: number, components: number): number {
  const at = index * components
  if (components === 1) return values[at]!
  let sum = 0
  for (let c = 0; c < components; c++) {
    const x = values[at + c]!
    sum += (components === 6 && c >= 3 ? 2 : 1) * x * x
  }
  return Math.sqrt(sum)
}
