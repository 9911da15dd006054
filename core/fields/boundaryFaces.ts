/**
 * Faces that bound a region and have values of their own, as walls of finite-volume results do: gradients and smoothing of cell
 * values look at them as at cells without volume, each at its centroid.
 *
 * Surfaces have points of their own: they are those of the region by exact coordinates. O(faces near the block).
 */
import { boxesTouch, isInBox } from '../mesh/boxes'
import { Growing } from '../mesh/growing'
import type { Box, FieldValues, FloatArray, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { PositionIndex } from '../mesh/numbering'

/** A surface that bounds the region. */
export interface BoundarySurface {
  part: PartBlocks
  /** Of the faces of a block. */
  valuesOf(block: number): FieldValues
}

export interface BoundaryFaces {
  length: number
  /** (3 × faces) */
  centroids: Float64Array
  /** (components × faces) */
  values: Float64Array
  /** Places of points that are corners of a face, and the face, one after the other. */
  points: Uint32Array
  faces: Uint32Array
}

/** Faces with a corner among some points of the region (3 × n). @param box  of the points */
export function boundaryFacesOf(points: FloatArray, box: Box, surfaces: readonly BoundarySurface[], components: number): BoundaryFaces {
  const found = new FacesFound(points, box, components)
  for (const { part, valuesOf } of surfaces) {
    for (let b = 0; b < part.nBlocks; b++) if (boxesTouch(part.boxes[b]!, box)) found.addBlock(part.block(b), () => valuesOf(b))
  }
  return found.finish()
}

class FacesFound {
  private length = 0
  private readonly centroids = new Growing(Float64Array)
  private readonly values = new Growing(Float64Array)
  private readonly points = new Growing(Uint32Array)
  private readonly faces = new Growing(Uint32Array)
  private index: PositionIndex | undefined

  constructor(
    private readonly positions: FloatArray,
    private readonly box: Box,
    private readonly components: number,
  ) {}

  /** Where a position is among the points of the block: the first of several corners; -1 for none. */
  private placeOf(x: number, y: number, z: number): number {
    if (!isInBox(this.box, x, y, z, 0)) return -1
    this.index ??= new PositionIndex(this.positions)
    return this.index.find(x, y, z)
  }

  /** @param valuesOf  asked for only where a face is near */
  addBlock(surface: MeshBlock, valuesOf: () => FieldValues): void {
    const { points, types, offsets, connectivity, cellNumbers } = surface
    const places = Int32Array.from({ length: points.length / 3 }, (_, p) =>
      this.placeOf(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!),
    )
    let values: FieldValues['values'] | undefined
    // the pieces of a face follow one another
    for (let from = 0, to = 0; from < types.length; from = to) {
      while (to < types.length && cellNumbers[to] === cellNumbers[from]) to++
      const own = placesOf(connectivity, offsets[from]!, offsets[to]!, places)
      const centroid = own.length ? centroidOf(surface, from, to) : undefined
      if (!centroid) continue
      values ??= valuesOf().values
      this.centroids.pushAll(centroid)
      for (let c = 0; c < this.components; c++) this.values.push(values[this.components * from + c]!)
      for (const place of own) {
        this.points.push(place)
        this.faces.push(this.length)
      }
      this.length++
    }
  }

  finish(): BoundaryFaces {
    return {
      length: this.length,
      centroids: this.centroids.finish(),
      values: this.values.finish(),
      points: this.points.finish(),
      faces: this.faces.finish(),
    }
  }
}

/** Different places of some nodes, without those that have none. */
function placesOf(connectivity: Uint32Array, from: number, to: number, places: Int32Array): number[] {
  const own: number[] = []
  for (let i = from; i < to; i++) {
    const place = places[connectivity[i]!]!
    if (place >= 0 && !own.includes(place)) own.push(place)
  }
  return own
}

/** Of the pieces of a face, by their areas; undefined for a face without area. */
function centroidOf({ points, offsets, connectivity }: MeshBlock, from: number, to: number): [number, number, number] | undefined {
  let area = 0
  const moment: [number, number, number] = [0, 0, 0]
  for (let c = from; c < to; c++) {
    const first = 3 * connectivity[offsets[c]!]!
    for (let i = offsets[c]! + 1; i + 1 < offsets[c + 1]!; i++) {
      const [p, q] = [3 * connectivity[i]!, 3 * connectivity[i + 1]!]
      const side = (d: number, of: number): number => points[of + d]! - points[first + d]!
      const own = Math.hypot(
        side(1, p) * side(2, q) - side(2, p) * side(1, q),
        side(2, p) * side(0, q) - side(0, p) * side(2, q),
        side(0, p) * side(1, q) - side(1, p) * side(0, q),
      )
      area += own
      for (let d = 0; d < 3; d++) moment[d]! += (own * (points[first + d]! + points[p + d]! + points[q + d]!)) / 3
    }
  }
  return area > 0 ? [moment[0] / area, moment[1] / area, moment[2] / area] : undefined
}
