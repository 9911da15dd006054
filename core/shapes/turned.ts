/** Copies of pieces that are moved, turned or mirrored, and the vectors and tensors on them. */
import type { Vector } from '../mesh/vectors'
import { direction } from '../mesh/vectors'
import type { Piece, PieceValues, ShapeKind } from './Shape'

/** x → turn · (x − about) + about + shift; `turn` row by row. */
export interface Motion {
  turn: readonly number[]
  about: Vector
  shift: Vector
}

const SAME = [1, 0, 0, 0, 1, 0, 0, 0, 1]

export function shifted(shift: Vector): Motion {
  return { turn: SAME, about: [0, 0, 0], shift }
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
  return { turn, about, shift: [0, 0, 0] }
}

export function mirroredAt(about: Vector, normal: Vector): Motion {
  const n = direction(normal)
  return { turn: SAME.map((one, i) => one - 2 * n[Math.floor(i / 3)]! * n[i % 3]!), about, shift: [0, 0, 0] }
}

/** The motion done so many times. */
export function repeated({ turn, about, shift }: Motion, times: number): Motion {
  let out: Motion = { turn: SAME, about, shift: [0, 0, 0] }
  for (let i = 0; i < times; i++) {
    const moved = product(turn, out.shift)
    out = { turn: matrixProduct(turn, out.turn), about, shift: shift.map((c, d) => c + moved[d]!) as Vector }
  }
  return out
}

/** A mirrored triangle is wound the other way, so that normals stay on their side. */
export function movedPiece(kind: ShapeKind, piece: Piece, { turn, about, shift }: Motion): Piece {
  const points = new Float64Array(piece.points.length)
  for (let p = 0; p < points.length; p += 3) {
    const at: Vector = [piece.points[p]! - about[0], piece.points[p + 1]! - about[1], piece.points[p + 2]! - about[2]]
    const moved = product(turn, at)
    for (let d = 0; d < 3; d++) points[p + d] = moved[d]! + about[d]! + shift[d]!
  }
  const isMirrored = kind === 'surface' && determinant(turn) < 0
  const whole = turn.every((x, i) => x === SAME[i])
  const out: Piece = { ...piece, points, ...(!whole && { turn: piece.turn ? matrixProduct(turn, piece.turn) : turn }) }
  if (isMirrored) {
    out.elements = piece.elements.slice()
    for (let e = 0; e < out.elements.length; e += 3) {
      out.elements[e + 1] = piece.elements[e + 2]!
      out.elements[e + 2] = piece.elements[e + 1]!
    }
  }
  if (piece.vectors) out.vectors = turnedValues({ values: piece.vectors, components: 3, place: 'point' }, turn).values
  return out
}

/** Vectors, symmetric tensors (xx yy zz xy yz xz) and tensors (row by row) turned; others as they are. */
export function turnedValues(given: PieceValues, turn: readonly number[]): PieceValues {
  const { values, components } = given
  if (components !== 3 && components !== 6 && components !== 9) return given
  const out = new Float64Array(values.length)
  for (let i = 0; i < values.length; i += components) {
    const own = Array.from(values.subarray(i, i + components))
    if (components === 3) out.set(product(turn, own), i)
    else if (components === 9) out.set(turnedTensor(turn, own), i)
    else {
      const [xx, yy, zz, xy, yz, xz] = own as [number, number, number, number, number, number]
      const t = turnedTensor(turn, [xx, xy, xz, xy, yy, yz, xz, yz, zz])
      out.set([t[0]!, t[4]!, t[8]!, t[1]!, t[5]!, t[2]!], i)
    }
  }
  return { ...given, values: out }
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

function determinant(m: readonly number[]): number {
  const [a, b, c, d, e, f, g, h, i] = m as [number, number, number, number, number, number, number, number, number]
  return a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g)
}
