/** Values of points without a mesh at places among them: between tetrahedra, of the nearest one, or by inverse distance. */
import type { Carried } from '../mesh/carryByCells'
import type { ScatteredPoints } from '../mesh/ScatteredPoints'
import type { PieceValues, Shape } from './Shape'

const CHECK_EVERY = 1024

/** The point of each element of a shape of points (3 × n): one for each of its values. */
export function pointsOf({ pieces }: Shape): Float64Array {
  const n = pieces.reduce((sum, { elements }) => sum + elements.length, 0)
  const out = new Float64Array(3 * n)
  let at = 0
  for (const { elements, points } of pieces) {
    for (const p of elements) {
      out.set(points.subarray(3 * p, 3 * p + 3), at)
      at += 3
    }
  }
  return out
}

export interface ByPoints {
  by: 'between' | 'nearest' | 'distance'
  /** Points of which the mean by inverse square of the distance is taken (Shepard 1968). */
  count: number
  /** Only points up to this distance count for it. */
  within: number
  /** What lies outside takes the nearest value. */
  takesNearest: boolean
}

/** @param values  one for each of the points */
export function carryByPoints(
  scattered: ScatteredPoints,
  { values, components }: PieceValues,
  places: ArrayLike<number>,
  { by, count, within, takesNearest }: ByPoints,
  check: () => void,
): Carried {
  const n = places.length / 3
  const out = new Float64Array(components * n).fill(NaN)
  let nLost = 0
  const put = (i: number, ids: ArrayLike<number>, shares: ArrayLike<number>): void => {
    for (let c = 0; c < components; c++) {
      let sum = 0
      for (let k = 0; k < ids.length; k++) if (shares[k] !== 0) sum += shares[k]! * values[ids[k]! * components + c]!
      out[i * components + c] = sum
    }
  }
  for (let i = 0; i < n; i++) {
    if (i % CHECK_EVERY === 0) check()
    const [x, y, z] = [places[3 * i]!, places[3 * i + 1]!, places[3 * i + 2]!]
    if (by === 'distance') {
      const near = scattered.nearestFew(x, y, z, count).filter(({ distance }) => distance <= within)
      if (!near.length) {
        if (takesNearest) put(i, [scattered.nearest(x, y, z).id], [1])
        else nLost++
        continue
      }
      const weights = near.map(({ distance }) => 1 / distance ** 2)
      const total = weights.reduce((sum, w) => sum + w, 0)
      // at a point its own value
      if (Number.isFinite(total))
        put(
          i,
          near.map(({ id }) => id),
          weights.map((w) => w / total),
        )
      else put(i, [near[0]!.id], [1])
    } else if (by === 'between' && scattered.between(x, y, z)) put(i, scattered.ids, scattered.shares)
    else if (by === 'nearest' || takesNearest) put(i, [scattered.nearest(x, y, z).id], [1])
    else nLost++
  }
  return { values: out, components, nLost }
}
