/** How many places lie in each cell of some regions, by the volume of the cell. */
import { linearVolumes } from '../measure/integrateCells'
import { wholeDomain } from '../mesh/Domain'
import { PartLocator } from '../mesh/locate'
import type { PartBlocks } from '../mesh/MeshBlock'
import { cross, length, minus, vectorAt } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import type { Piece } from '../shapes/Shape'

/** Depth behind a triangle at which its cell is looked for, as a share of the size of the triangle. */
const DEPTHS = [0, 1e-3, -1e-3, 1e-2, -1e-2, 0.1, -0.1]
const CHECK_EVERY = 4096

export interface CellPlace {
  part: number
  block: number
  cell: number
}

export interface Concentration {
  /** Places in some cell. */
  nInside: number
  /** Cells with a place in them; pieces of one cell of the case count as one. */
  nCells: number
  /** Of one cell: places by volume. */
  at(place: CellPlace): number
  largest: number
}

/** @param places  3 × n. @param check  throws to cancel */
export function concentrationIn(parts: readonly PartBlocks[], places: Float64Array, check: () => void): Concentration {
  const counts = new Map<string, Map<number, number>>()
  let nInside = 0
  withLocator(parts, (locator) => {
    for (let i = 0; i < places.length; i += 3) {
      if (i % CHECK_EVERY === 0) check()
      if (!locator.find(places[i]!, places[i + 1]!, places[i + 2]!)) continue
      nInside++
      const { part, block, cell } = locator
      const own = counts.get(`${part} ${block}`) ?? new Map<number, number>()
      own.set(cell, (own.get(cell) ?? 0) + 1)
      counts.set(`${part} ${block}`, own)
    }
  })
  const byCell = new Map<string, Map<number, number>>()
  let [nCells, largest] = [0, 0]
  for (const [key, own] of counts) {
    check()
    const [part, block] = key.split(' ').map(Number) as [number, number]
    const found = inBlock(parts[part]!, block, own)
    nCells += found.nCells
    for (const value of found.values.values()) largest = Math.max(largest, value)
    byCell.set(key, found.values)
  }
  return { nInside, nCells, largest, at: ({ part, block, cell }) => byCell.get(`${part} ${block}`)?.get(cell) ?? 0 }
}

/** By piece of a cell: all pieces of one cell of the case have what that has. */
function inBlock(part: PartBlocks, block: number, counts: ReadonlyMap<number, number>): { values: Map<number, number>; nCells: number } {
  return part.within(() => {
    const mesh = part.block(block)
    const volumes = linearVolumes(mesh)
    const { cellNumbers } = mesh
    const values = new Map<number, number>()
    let nCells = 0
    for (const seed of counts.keys()) {
      if (values.has(seed)) continue
      nCells++
      let [first, end] = [seed, seed + 1]
      while (first > 0 && cellNumbers[first - 1] === cellNumbers[seed]) first--
      while (end < cellNumbers.length && cellNumbers[end] === cellNumbers[seed]) end++
      let [count, volume] = [0, 0]
      for (let c = first; c < end; c++) {
        count += counts.get(c) ?? 0
        volume += volumes[c]!
      }
      for (let c = first; c < end; c++) values.set(c, count / volume)
    }
    return { values, nCells }
  })
}

/**
 * The cells of regions behind the triangles of a surface: those that they are cut from, or what lies behind them.
 *
 * @param check  throws to cancel
 */
export function cellsBehindTriangles({ points, elements, cells, ranges }: Piece, parts: readonly PartBlocks[], check: () => void) {
  const found: (CellPlace | undefined)[] = []
  withLocator(parts, (locator) => {
    const locate = (e: number): CellPlace | undefined => {
      const corners = [0, 1, 2].map((i) => vectorAt(points, elements[3 * e + i]!)) as [Vector, Vector, Vector]
      const middle = [0, 1, 2].map((d) => corners.reduce((sum, corner) => sum + corner[d]! / 3, 0))
      const across = cross(minus(corners[1], corners[0]), minus(corners[2], corners[0]))
      const size = Math.sqrt(length(across)) || 1
      for (const depth of DEPTHS) {
        // the cross product of two sides is as long as the square of the size
        const [x, y, z] = middle.map((c, d) => c - (depth * across[d]!) / size) as [number, number, number]
        if (locator.find(x, y, z)) return { part: locator.part, block: locator.block, cell: locator.cell }
      }
      return undefined
    }
    for (const { part, block, elementStart, elementEnd } of ranges) {
      const own = parts.findIndex(({ name }) => name === part)
      for (let e = elementStart; e < elementEnd; e++) {
        if (e % CHECK_EVERY === 0) check()
        found[e] = own < 0 ? locate(e) : { part: own, block, cell: cells[e]! }
      }
    }
    // what lies in no part of the case
    for (let e = 0; e < cells.length; e++) if (!(e in found)) found[e] = locate(e)
  })
  return found
}

function withLocator(parts: readonly PartBlocks[], work: (locator: PartLocator) => void): void {
  const locator = new PartLocator(wholeDomain(parts))
  try {
    work(locator)
  } finally {
    locator.close()
  }
}
