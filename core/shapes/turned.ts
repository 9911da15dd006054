/** Copies of pieces that are moved, turned or mirrored, and the vectors and tensors on them. */
import { direction } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import type { Piece, PieceValues, ShapeKind } from './Shape'

/** Three rows of four numbers: what x, y and z become, and a shift behind them. */
export type Motion = readonly number[]

export const STILL: Motion = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]

export function shifted([x, y, z]: Vector): Motion {
  return [1, 0, 0, x, 0, 1, 0, y, 0, 0, 1, z]
}

/** About an axis by an angle in radians (Rodrigues). */
export function turnedAbout(about: Vector, axis: Vector, angle: number): Motion {
  const [x, y, z] = direction(axis)
  const [c, s] = [Math.cos(angle), Math.sin(angle)]
  const t = 1 - c
  const turn = [
    ...[t * x * x + c, t * x * y - s * z, t * x * z + s * y],
    ...[t * x * y + s * z, t * y * y + c, t * y * z - s * x],
    ...[t * x * z - s * y, t * y * z + s * x, t * z * z + c],
  ]
  return around(turn, about)
}

export function mirroredAt(about: Vector, normal: Vector): Motion {
  const n = direction(normal)
  return around(
    [0, 1, 2].flatMap((i) => [0, 1, 2].map((j) => Number(i === j) - 2 * n[i]! * n[j]!)),
    about,
  )
}

/** A turn that leaves a place where it is. */
function around(turn: readonly number[], about: Vector): Motion {
  return [0, 1, 2].flatMap((i) => {
    const row = turn.slice(3 * i, 3 * i + 3)
    return [...row, about[i]! - row.reduce((sum, c, d) => sum + c * about[d]!, 0)]
  })
}

/** First one motion, then another. */
export function after(first: Motion, then: Motion): Motion {
  return [0, 1, 2].flatMap((i) =>
    [0, 1, 2, 3].map((j) => [0, 1, 2].reduce((sum, k) => sum + then[4 * i + k]! * first[4 * k + j]!, j === 3 ? then[4 * i + 3]! : 0)),
  )
}

/** A mirrored triangle is wound the other way, so that normals stay on their side. */
export function movedPiece(kind: ShapeKind, piece: Piece, motion: Motion): Piece {
  if (motion.every((x, i) => x === STILL[i])) return piece
  const out: Piece = {
    ...piece,
    points: movedPoints(piece.points, motion),
    motion: piece.motion ? after(piece.motion, motion) : motion,
    ...(piece.vectors && { vectors: turned(piece.vectors, 3, motion) }),
  }
  return kind === 'surface' && determinant(motion) < 0 ? { ...out, elements: woundBack(piece.elements) } : out
}

/** Triangles wound the other way: their normals point to the other side. */
export function woundBack(elements: Uint32Array): Uint32Array {
  const out = elements.slice()
  for (let e = 0; e < out.length; e += 3) {
    out[e + 1] = elements[e + 2]!
    out[e + 2] = elements[e + 1]!
  }
  return out
}

export function movedPlace([x, y, z]: Vector, m: Motion): Vector {
  return [0, 4, 8].map((row) => m[row]! * x + m[row + 1]! * y + m[row + 2]! * z + m[row + 3]!) as Vector
}

/** A vector turns with a motion, wherever it stands. */
export function movedVector([x, y, z]: Vector, m: Motion): Vector {
  return [0, 4, 8].map((row) => m[row]! * x + m[row + 1]! * y + m[row + 2]! * z) as Vector
}

export function movedPoints(points: ArrayLike<number>, m: Motion): Float64Array {
  const out = new Float64Array(points.length)
  for (let p = 0; p < out.length; p += 3)
    for (let i = 0; i < 3; i++)
      out[p + i] = m[4 * i]! * points[p]! + m[4 * i + 1]! * points[p + 1]! + m[4 * i + 2]! * points[p + 2]! + m[4 * i + 3]!
  return out
}

export function turnedValues(given: PieceValues, motion: Motion): PieceValues {
  return { ...given, values: turned(given.values, given.components, motion) }
}

/** Vectors, symmetric tensors (xx yy zz xy yz xz) and tensors (row by row) turned with a motion; others as they are. */
export function turned(values: ArrayLike<number>, components: number, motion: Motion): Float64Array {
  const out = Float64Array.from(values)
  if (components !== 3 && components !== 6 && components !== 9) return out
  const turn = [0, 1, 2].flatMap((i) => motion.slice(4 * i, 4 * i + 3))
  for (let at = 0; at < out.length; at += components) {
    const own = Array.from(out.subarray(at, at + components))
    if (components === 3) out.set(product(turn, own), at)
    else if (components === 9) out.set(turnedTensor(turn, own), at)
    else {
      const [xx, yy, zz, xy, yz, xz] = own as [number, number, number, number, number, number]
      const t = turnedTensor(turn, [xx, xy, xz, xy, yy, yz, xz, yz, zz])
      out.set([t[0]!, t[4]!, t[8]!, t[1]!, t[5]!, t[2]!], at)
    }
  }
  return out
}

function turnedTensor(turn: readonly number[], tensor: readonly number[]): number[] {
  const transposed = [0, 3, 6, 1, 4, 7, 2, 5, 8].map((i) => turn[i]!)
  return matrixProduct(matrixProduct(turn, tensor), transposed)
}

function product(m: readonly number[], v: readonly number[]): Vector {
  return [0, 3, 6].map((row) => m[row]! * v[0]! + m[row + 1]! * v[1]! + m[row + 2]! * v[2]!) as Vector
}

function matrixProduct(a: readonly number[], b: readonly number[]): number[] {
  return Array.from({ length: 9 }, (_, i) => {
    const [row, column] = [3 * Math.floor(i / 3), i % 3]
    return a[row]! * b[column]! + a[row + 1]! * b[column + 3]! + a[row + 2]! * b[column + 6]!
  })
}

function determinant([a, b, c, , d, e, f, , g, h, i]: Motion): number {
  return a! * (e! * i! - f! * h!) - b! * (d! * i! - f! * g!) + c! * (d! * h! - e! * g!)
}
