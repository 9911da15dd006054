/**
 * The outer surface of a region on its own: what surfaces are linked to and the first look shows, without the cells.
 *
 *   starts  Uint32Array (nFaces + 1), where each face's nodes begin
 *   nodes   Uint32Array, places in `numbers`; counter-clockwise seen from outside
 *   numbers Uint32Array (nPoints), number of each point in the region
 *   points  Float64Array (3 × nPoints), in the case's length unit
 *   cells   Uint32Array (nFaces), number of the cell behind each face in the source
 */
import { cellFaces } from './cellTypes'
import { matchFaces } from './faceMatching'
import type { Cells } from './faceMatching'
import { Growing } from './growing'
import type { FloatArray } from './MeshBlock'
import { Numbering } from './numbering'

export interface Skin {
  starts: Uint32Array
  nodes: Uint32Array
  numbers: Uint32Array
  points: Float64Array
  cells: Uint32Array
}

/** @param boundary  cells and local faces, if they are known already */
export function skinOf(mesh: Cells & { points: FloatArray; cellNumbers?: Uint32Array }, boundary = matchFaces(mesh, mesh.points.length / 3)): Skin {
  const builder = new SkinBuilder()
  for (let i = 0; i < boundary.length; i += 2) builder.add(mesh, boundary[i]!, boundary[i + 1]!, mesh.cellNumbers?.[boundary[i]!])
  return builder.finish()
}

/** Collects faces of cells that come in several lots. */
export class SkinBuilder {
  private readonly starts = new Growing(Uint32Array)
  private readonly nodes = new Growing(Uint32Array)
  private readonly points = new Growing(Float64Array)
  private readonly numbering = new Numbering()
  private readonly cells = new Growing(Uint32Array)

  /** @param number  that of the cell in the source; the place of the cell when absent */
  add({ types, offsets, connectivity, points }: Cells & { points: FloatArray }, cell: number, face: number, number = cell): void {
    const nodes = cellFaces[types[cell]!]![face]!.map((local) => connectivity[offsets[cell]! + local]!)
    this.addFace(nodes, number, (p) => points.subarray(3 * p, 3 * p + 3))
  }

  /** A face by the numbers of its nodes and its cell. @param pointOf  coordinates of a point, asked once for each */
  addFace(numbers: Iterable<number>, cell: number, pointOf: (number: number) => ArrayLike<number>): void {
    this.cells.push(cell)
    this.starts.push(this.nodes.length)
    for (const number of numbers) {
      const known = this.numbering.length
      const place = this.numbering.place(number)
      if (place === known) this.points.pushAll(pointOf(number))
      this.nodes.push(place)
    }
  }

  finish(): Skin {
    this.starts.push(this.nodes.length)
    return { starts: this.starts.finish(), nodes: this.nodes.finish(), numbers: this.numbering.numbers(), points: this.points.finish(), cells: this.cells.finish() }
  }
}
