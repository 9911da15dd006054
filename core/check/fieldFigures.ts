/**
 * Figures of one field on one part: extremes and where they are, mean by measure, spread, what is not finite. Vectors
 * count by their magnitude, tensors by their norm. Two passes over the blocks, O(values).
 */
import { eachBlock } from '../mesh/MeshBlock'
import type { FieldValues, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { magnitude } from '../measure/integrateCells'
import { totalsOfParts } from '../measure/totals'
import { cellSizes, centreOf } from './cellSizes'
import type { Spot } from './cellSizes'

export interface FieldSummary {
  /** null: no value is finite. */
  min: number | null
  mean: number | null
  max: number | null
  minAt: Spot | null
  maxAt: Spot | null
  notANumber: number
  infinite: number
  /** Smallest and largest of each component. */
  componentRanges: [number, number][]
}

export interface FieldFigures extends FieldSummary {
  /** Share of the part's volume, area or length in equal bins between min and max; of a point value, that of its cells. */
  spread: number[]
}

export const SPREAD_BINS = 12

interface Scan {
  min: number
  max: number
  minAt: Spot | null
  maxAt: Spot | null
  notANumber: Set<number>
  infinite: Set<number>
  componentRanges: [number, number][]
}

/**
 * @param field  name of a field that the part has
 * @param check  called per block; throws to cancel
 */
export function fieldFigures(part: PartBlocks, field: string, components: number, check: () => void = () => undefined): FieldFigures {
  const summary = fieldSummary(part, field, components, check)
  return { ...summary, spread: summary.min === null ? [] : spreadOf(part, field, summary.min, summary.max!, check) }
}

/** The same without the spread. */
export function fieldSummary(part: PartBlocks, field: string, components: number, check: () => void = () => undefined): FieldSummary {
  const scan: Scan = {
    ...{ min: Infinity, max: -Infinity, minAt: null, maxAt: null, notANumber: new Set<number>(), infinite: new Set<number>() },
    componentRanges: Array.from({ length: components }, () => [Infinity, -Infinity]),
  }
  eachBlock(part, check, (mesh, k) => scanBlock(scan, mesh, part.field(field, k)))
  const isEmpty = scan.min > scan.max
  return {
    min: isEmpty ? null : scan.min,
    max: isEmpty ? null : scan.max,
    ...{ minAt: scan.minAt, maxAt: scan.maxAt, notANumber: scan.notANumber.size, infinite: scan.infinite.size },
    mean: isEmpty ? null : meanOf(part, field, check),
    componentRanges: scan.componentRanges,
  }
}

function scanBlock(scan: Scan, mesh: MeshBlock, field: FieldValues): void {
  const { values, components, place } = field
  const numbers = place === 'cell' ? mesh.cellNumbers : (mesh.pointSources ?? mesh.pointNumbers)
  const sizes = magnitudesOf(field).values
  let lowest = -1
  let highest = -1
  for (let i = 0; i < sizes.length; i++) {
    const x = sizes[i]!
    if (x - x !== 0) {
      ;(Number.isNaN(x) ? scan.notANumber : scan.infinite).add(numbers[i]!)
      continue
    }
    if (x < scan.min) scan.min = sizes[(lowest = i)]!
    if (x > scan.max) scan.max = sizes[(highest = i)]!
  }
  if (lowest >= 0) scan.minAt = spotOf(mesh, place, lowest)
  if (highest >= 0) scan.maxAt = spotOf(mesh, place, highest)
  for (let c = 0; c < components; c++) {
    const range = scan.componentRanges[c]!
    for (let i = c; i < values.length; i += components) {
      const x = values[i]!
      if (x - x !== 0) continue
      if (x < range[0]) range[0] = x
      if (x > range[1]) range[1] = x
    }
  }
}

function spotOf(mesh: MeshBlock, place: 'point' | 'cell', i: number): Spot {
  const { points, offsets, connectivity } = mesh
  if (place === 'point')
    return { number: (mesh.pointSources ?? mesh.pointNumbers)[i]!, at: [points[3 * i]!, points[3 * i + 1]!, points[3 * i + 2]!] }
  return { number: mesh.cellNumbers[i]!, at: centreOf(points, connectivity.subarray(offsets[i]!, offsets[i + 1]!)) }
}

/** Magnitudes as a field of their own. */
function magnitudesOf({ values, components, place }: FieldValues): FieldValues {
  if (components === 1) return { values, components, place }
  const sizes = new Float64Array(values.length / components)
  for (let i = 0; i < sizes.length; i++) sizes[i] = magnitude(values, i, components)
  return { values: sizes, components: 1, place }
}

/** Mean over volume, area, length or number, by what the part is made of; not-a-number left out. null: nothing is left */
function meanOf(part: PartBlocks, field: string, check: () => void): number | null {
  return finite(totalsOfParts([part], (_, k) => magnitudesOf(part.field(field, k)), check).mean[0]!)
}

function finite(x: number): number | null {
  return Number.isFinite(x) ? x : null
}

function spreadOf(part: PartBlocks, field: string, min: number, max: number, check: () => void): number[] {
  const bins = new Float64Array(SPREAD_BINS)
  const scale = max > min ? SPREAD_BINS / (max - min) : 0
  eachBlock(part, check, (mesh, k) => {
    const { values, place } = magnitudesOf(part.field(field, k))
    const sizes = cellSizes(mesh)
    const add = (x: number, size: number): void => {
      if (x - x === 0) bins[Math.min(SPREAD_BINS - 1, Math.floor((x - min) * scale))]! += size
    }
    for (let c = 0; c < sizes.length; c++) {
      const from = mesh.offsets[c]!
      const n = mesh.offsets[c + 1]! - from
      if (place === 'cell') add(values[c]!, sizes[c]!)
      else for (let i = 0; i < n; i++) add(values[mesh.connectivity[from + i]!]!, sizes[c]! / n)
    }
  })
  const total = bins.reduce((sum, x) => sum + x, 0)
  return Array.from(bins, (x) => (total > 0 ? x / total : 0))
}
