/** Axis-aligned boxes of points and cells. */
import { sharedKernels } from '../kernels/Kernels'
import type { Box, FloatArray, MeshBlock } from './MeshBlock'

export function emptyBox(): Box {
  return [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity]
}

/** Box of all points of an array (3 × n); an empty box when there are none. */
export function boxOfPoints(points: FloatArray): Box {
  const kernels = sharedKernels()
  const box = points instanceof Float32Array ? kernels.run.boxSingle : kernels.run.boxDouble
  let all = emptyBox()
  for (let from = 0; from < points.length; from += LOT) {
    kernels.within(() => {
      const lot = points.subarray(from, from + LOT)
      const out = kernels.take(Float64Array, 6)
      box(kernels.put(lot), lot.length / 3, out)
      all = unionBox([all, Array.from(kernels.view(Float64Array, out, 6)) as Box])
    })
  }
  return all
}

/** Coordinates put into memory at a time. */
const LOT = 3 << 15

export function unionBox(boxes: readonly Box[]): Box {
  const all = emptyBox()
  for (const box of boxes) {
    for (let d = 0; d < 3; d++) {
      all[d] = Math.min(all[d]!, box[d]!)
      all[d + 3] = Math.max(all[d + 3]!, box[d + 3]!)
    }
  }
  return all
}

/** Box of one group of cells. @param groups  as in `MeshBlock` */
export function boxOfGroup(groups: ArrayLike<number>, group: number): Box {
  const at = 6 * group
  return [groups[at]!, groups[at + 2]!, groups[at + 4]!, groups[at + 1]!, groups[at + 3]!, groups[at + 5]!]
}

export function boxesTouch(a: Box, b: Box): boolean {
  return [0, 1, 2].every((d) => a[d]! <= b[d + 3]! && b[d]! <= a[d + 3]!)
}

/** Length of the diagonal; 0 for an empty box. */
export function diagonal(box: Box): number {
  if (!(box[3] >= box[0])) return 0
  return Math.hypot(box[3] - box[0], box[4] - box[1], box[5] - box[2])
}

export function boxCentre(box: Box): [number, number, number] {
  return [(box[0] + box[3]) / 2, (box[1] + box[4]) / 2, (box[2] + box[5]) / 2]
}

/** A box with coordinates rounded to a thousandth of its size or finer: numbers to begin with that one can read. */
export function roundedBox(box: Box): Box {
  const step = 10 ** Math.floor(Math.log10(diagonal(box) / 1000))
  if (!(step > 0 && Number.isFinite(step))) return box
  // adding 0 leaves no minus before a zero
  return box.map((x) => Number((Math.round(x / step) * step).toPrecision(12)) + 0) as Box
}

export function isInBox(box: Box, x: number, y: number, z: number, tolerance: number): boolean {
  return (
    x >= box[0] - tolerance &&
    x <= box[3] + tolerance &&
    y >= box[1] - tolerance &&
    y <= box[4] + tolerance &&
    z >= box[2] - tolerance &&
    z <= box[5] + tolerance
  )
}

/** Edge of a cube as large as the box of a cell. */
export function cellEdge({ points, offsets, connectivity }: Pick<MeshBlock, 'points' | 'offsets' | 'connectivity'>, cell: number): number {
  const box = boxOfCell({ points, offsets, connectivity }, cell)
  return Math.cbrt((box[3] - box[0]) * (box[4] - box[1]) * (box[5] - box[2]))
}

export function boxOfCell({ points, offsets, connectivity }: Pick<MeshBlock, 'points' | 'offsets' | 'connectivity'>, cell: number): Box {
  const box = emptyBox()
  for (let i = offsets[cell]!; i < offsets[cell + 1]!; i++) {
    for (let d = 0; d < 3; d++) {
      const x = points[3 * connectivity[i]! + d]!
      if (x < box[d]!) box[d] = x
      if (x > box[d + 3]!) box[d + 3] = x
    }
  }
  return box
}
