import { describe, expect, it } from 'vitest'
import { dividedLines } from '../../../core/shapes/dividedLines'
import { drawnLine, looseLines } from '../../../core/shapes/drawnLine'
import type { Piece } from '../../../core/shapes/Shape'

const divided = (piece: Piece, spacing: number): Piece => dividedLines({ kind: 'lines', pieces: [piece] }, spacing).pieces[0]!
const lengths = ({ points, elements }: Piece): number[] =>
  Array.from({ length: elements.length / 2 }, (_, e) =>
    Math.hypot(...[0, 1, 2].map((d) => points[3 * elements[2 * e + 1]! + d]! - points[3 * elements[2 * e]! + d]!)),
  )
const sum = (values: readonly number[]): number => values.reduce((all, x) => all + x, 0)

describe('lines with points wherever the source has one', () => {
  it('have the same length and corners, columns linear in between, and nothing longer than wanted', () => {
    const corner = { ...drawnLine([[0, 0, 0], [3, 0, 0], [3, 1, 0]]), columns: [Float64Array.of(0, 6, 7)] } // prettier-ignore
    const out = divided(corner, 0.7)
    expect(Math.max(...lengths(out))).toBeLessThanOrEqual(0.7)
    expect(sum(lengths(out))).toBeCloseTo(4, 12)
    expect([...out.paths!]).toEqual([0, 8])
    out.columns![0]!.forEach((value, p) => {
      const [x, y] = [out.points[3 * p]!, out.points[3 * p + 1]!]
      expect(value).toBeCloseTo(2 * x + y, 12)
    })
    expect([...out.points.subarray(15, 18)]).toEqual([3, 0, 0])
  })

  it('several lines stay apart, and a closed one ends where it began', () => {
    const two = looseLines(Float64Array.of(0, 0, 0, 1, 0, 0, 0, 5, 0, 0, 6, 0), Uint32Array.of(0, 2, 4))
    expect([...divided(two, 0.5).paths!]).toEqual([0, 3, 6])
    expect(sum(lengths(divided(two, 0.5)))).toBeCloseTo(2, 12)
    const square = divided(drawnLine([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], true), 0.4) // prettier-ignore
    expect(sum(lengths(square))).toBeCloseTo(4, 12)
    expect([...square.points.subarray(-3)]).toEqual([0, 0, 0])
  })

  it('are few enough, and as they are where they are fine enough or nothing is known', () => {
    const line = drawnLine([[0, 0, 0], [1, 0, 0]]) // prettier-ignore
    expect(divided(line, 1e-9).points.length / 3).toBeLessThanOrEqual(20_001)
    for (const spacing of [1, NaN, 0]) expect(divided(line, spacing)).toBe(line)
  })
})
