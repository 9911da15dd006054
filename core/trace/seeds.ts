/** Where lines and paths start. */
import { DataError } from '../errors'
import { linearVolumes } from '../measure/integrateCells'
import { elementMeasure } from '../measure/integrateShape'
import { unionBox } from '../mesh/boxes'
import { eachDomainBlock } from '../mesh/Domain'
import type { Domain } from '../mesh/Domain'
import { PartLocator } from '../mesh/locate'
import { tetrahedraOf } from '../mesh/tetrahedra'
import { cross, dot, minus, vectorAt, vectorsOf } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { evenPlaces, spacingFor } from '../shapes/placing'
import { elementCount, elementSize, joinPieces } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'

/** Places at a distance: along lines one after the other, half of it in from their start; on a surface no two are nearer. */
export function spacedPoints(shape: Shape, spacing: number): Vector[] {
  needElements(shape)
  return evenPlaces(shape, spacing).flatMap(({ piece }) => vectorsOf(piece.points))
}

function needElements(shape: Shape): void {
  if (!elementCount(shape)) throw new DataError('no-seeds', 'Choose what to start from: a line, a surface or points, under “from”.')
}

/**
 * Evenly by arc length over all segments of lines, half a spacing in from both ends; evenly on a surface, about
 * so many; at points as they are.
 */
export function seedPoints(shape: Shape, count: number): Vector[] {
  needElements(shape)
  if (shape.kind === 'points') return shape.pieces.flatMap(({ points }) => vectorsOf(points))
  if (shape.kind === 'surface') return spacedPoints(shape, spacingFor(shape, count))
  const { points, elements } = joinPieces(shape.pieces)
  const ends = [0]
  for (let e = 0; e < elements.length; e += 2) {
    const a = 3 * elements[e]!
    const b = 3 * elements[e + 1]!
    ends.push(
      ends[ends.length - 1]! + Math.hypot(points[b]! - points[a]!, points[b + 1]! - points[a + 1]!, points[b + 2]! - points[a + 2]!),
    )
  }
  const total = ends[ends.length - 1]!
  const seeds: Vector[] = []
  for (let i = 0, e = 0; i < count; i++) {
    const s = (total * (i + 0.5)) / count
    while (e < ends.length - 2 && ends[e + 1]! < s) e++
    const length = ends[e + 1]! - ends[e]!
    const t = length > 0 ? (s - ends[e]!) / length : 0
    const a = 3 * elements[2 * e]!
    const b = 3 * elements[2 * e + 1]!
    seeds.push([0, 1, 2].map((d) => points[a + d]! * (1 - t) + points[b + d]! * t) as Vector)
  }
  return seeds
}

/** One weight for each element of each piece. */
export type ElementWeights = readonly Float64Array[]

/** Lengths of segments and areas of triangles. */
export function elementMeasures({ kind, pieces }: Shape): ElementWeights {
  return pieces.map((piece) => Float64Array.from(piece.cells, (_, e) => elementMeasure(kind, piece, e)))
}

/**
 * Places on a shape as many as are wished, by chance, each of which stands for the same share of all weights. The same every time.
 *
 * @param weights  NaN counts as none
 */
export function placesByWeight(shape: Shape, weights: ElementWeights, count: number): Vector[] {
  const size = elementSize(shape.kind)
  const total = weights.reduce((sum, own) => own.reduce((all, weight) => all + (weight > 0 ? weight : 0), sum), 0)
  if (!(total > 0)) throw new DataError('no-seeds', 'Nothing goes through what is chosen under “from”; place evenly or choose another.')
  const chance = chanceFrom(1)
  const places: Vector[] = []
  let [before, next] = [0, chance()]
  shape.pieces.forEach(({ points, elements }, n) => {
    weights[n]!.forEach((weight, e) => {
      if (!(weight > 0)) return
      before += (count * weight) / total
      // one place in each of as many equal shares
      for (; places.length < count && places.length + next < before; next = chance()) {
        const shares = [chance(), chance()]
        const [s, t] = shares[0]! + shares[1]! > 1 ? [1 - shares[0]!, 1 - shares[1]!] : (shares as [number, number])
        const by = size === 3 ? [1 - s - t, s, t] : size === 2 ? [1 - shares[0]!, shares[0]!] : [1]
        const at = (d: number): number => by.reduce((sum, share, i) => sum + share * points[3 * elements[size * e + i]! + d]!, 0)
        places.push([at(0), at(1), at(2)])
      }
    })
  })
  return places
}

/**
 * Places in the cells of a volume: on a lattice of about so many places, or by chance, each for the same share of the volume. The same
 * every time.
 *
 * @param check  throws to cancel
 */
export function placesInCells(domain: Domain, count: number, isByChance: boolean, check: () => void): Vector[] {
  let total = 0
  eachDomainBlock(domain, check, (mesh) => (total += linearVolumes(mesh).reduce((sum, volume) => sum + volume, 0)))
  if (!(total > 0)) throw new DataError('no-seeds', 'There are no cells in what is chosen under “from”.')
  return isByChance ? chancesInCells(domain, { count, total }, check) : latticeIn(domain, (total / count) ** (1 / 3), check)
}

/** Places of a lattice that are looked for in cells, at most. */
const MOST_LOOKED_FOR = 2e6

/**
 * Places in the cells of a volume on a lattice of about a spacing, which fits into its box.
 *
 * @throws DataError where so narrow a lattice would have too many
 */
export function latticeIn(domain: Domain, spacing: number, check: () => void): Vector[] {
  const box = unionBox(domain.blocks.map((block) => block.box))
  const counts = [0, 1, 2].map((d) => Math.max(1, Math.round((box[d + 3]! - box[d]!) / spacing)))
  const [nx, ny, nz] = counts as [number, number, number]
  const at = (d: number, i: number): number => box[d]! + ((i + 0.5) / counts[d]!) * (box[d + 3]! - box[d]!)
  if (nx * ny * nz > MOST_LOOKED_FOR) throw new DataError('too-many', 'The spacing is too narrow for what it is to fill; take a wider one.')
  const places: Vector[] = []
  const locator = new PartLocator(domain)
  try {
    for (let k = 0; k < nz; k++) {
      check()
      for (let j = 0; j < ny; j++) {
        for (let i = 0; i < nx; i++) {
          const place: Vector = [at(0, i), at(1, j), at(2, k)]
          if (locator.find(...place)) places.push(place)
        }
      }
    }
  } finally {
    locator.close()
  }
  return places
}

function chancesInCells(domain: Domain, { count, total }: { count: number; total: number }, check: () => void): Vector[] {
  const chance = chanceFrom(1)
  const places: Vector[] = []
  let [before, next] = [0, chance()]
  eachDomainBlock(domain, check, (mesh) => {
    const { points, types, offsets, connectivity, pointNumbers } = mesh
    for (let c = 0; c < types.length; c++) {
      const start = offsets[c]!
      const splits = tetrahedraOf(types[c]!, connectivity, start, pointNumbers)
      for (let t = 0; t < splits.length; t += 4) {
        const [apex, ...others] = [0, 1, 2, 3].map((i) => vectorAt(points, connectivity[start + splits[t + i]!]!)) as [Vector, ...Vector[]]
        const sides = others.map((corner) => minus(corner, apex)) as [Vector, Vector, Vector]
        before += (count * Math.abs(dot(sides[0], cross(sides[1], sides[2])))) / 6 / total
        for (; places.length < count && places.length + next < before; next = chance()) {
          const shares = sharesByChance(chance)
          places.push([0, 1, 2].map((d) => apex[d]! + sides.reduce((sum, side, i) => sum + shares[i]! * side[d]!, 0)) as Vector)
        }
      }
    }
  })
  return places
}

/** Of three corners of a tetrahedron, each position in it as likely: distances between sorted numbers from 0 to 1. */
function sharesByChance(chance: () => number): number[] {
  const [a, b, c] = [chance(), chance(), chance()].sort((x, y) => x - y) as [number, number, number]
  return [a, b - a, c - b]
}

/** Numbers from 0 to 1 that look as if by chance: a linear congruence modulo 2³² (Knuth, "The Art of Computer Programming" 2, 3.3.4). */
function chanceFrom(seed: number): () => number {
  let state = seed
  return () => (state = (Math.imul(1664525, state) + 1013904223) >>> 0) / 2 ** 32
}
