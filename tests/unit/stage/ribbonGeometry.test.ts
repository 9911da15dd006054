/** Sides of ribbons: across their lines, of unit length, and turning no more than the line itself. */
import { describe, expect, it } from 'vitest'
import { ribbonSides } from '../../../stage/ribbonGeometry'

const chain = (n: number): Uint32Array => Uint32Array.from({ length: 2 * n }, (_, i) => Math.floor((i + 1) / 2))
const line = (n: number, at: (t: number) => number[]): Float32Array =>
  Float32Array.from(Array.from({ length: n + 1 }, (_, i) => at(i / n)).flat())

describe('a ribbon', () => {
  it('lies level along a straight line and in the plane of a level curve', () => {
    const straight = ribbonSides(
      line(4, (t) => [t, 0, 0]),
      chain(4),
    )
    for (let i = 0; i < straight.length; i += 3) expect([...straight.subarray(i, i + 3)].map(Math.abs)).toEqual([0, 1, 0])
    const circle = ribbonSides(
      line(60, (t) => [Math.cos(6 * t), Math.sin(6 * t), 0]),
      chain(60),
    )
    for (let i = 0; i < circle.length; i += 3) {
      expect(circle[i + 2]).toBeCloseTo(0, 5)
      expect(Math.hypot(circle[i]!, circle[i + 1]!)).toBeCloseTo(1, 5)
    }
  })

  it('turns by the torsion of a helix and is the same at the end of a segment and the start of the next', () => {
    const n = 400
    const pitch = 0.5
    const turns = 4 * Math.PI
    const points = line(n, (t) => [Math.cos(turns * t), Math.sin(turns * t), pitch * turns * t])
    const sides = ribbonSides(points, chain(n))
    for (let s = 1; s < n; s++) expect([...sides.subarray(6 * s, 6 * s + 3)]).toEqual([...sides.subarray(6 * s - 3, 6 * s)])
    // about the line it turns back by torsion times length against the normal towards the axis
    const angle = (s: number): number => {
      const t = turns * (s / n)
      const length = Math.hypot(1, pitch)
      const normal = [-Math.cos(t), -Math.sin(t), 0]
      const binormal = [pitch * Math.sin(t), -pitch * Math.cos(t), 1].map((x) => x / length)
      const side = [...sides.subarray(6 * s, 6 * s + 3)]
      const dot = (v: number[]): number => v.reduce((sum, x, d) => sum + x * side[d]!, 0)
      return Math.atan2(dot(binormal), dot(normal))
    }
    const torsion = pitch / (1 + pitch * pitch)
    const span = Math.hypot(1, pitch) * turns * (200 / n)
    const turned = angle(300) - angle(100) + torsion * span
    expect(Math.abs(Math.atan2(Math.sin(turned), Math.cos(turned)))).toBeLessThan(0.02)
  })

  it('begins anew with each line', () => {
    const points = Float32Array.of(0, 0, 0, 1, 0, 0, 0, 5, 0, 0, 6, 0)
    const sides = ribbonSides(points, Uint32Array.of(0, 1, 2, 3))
    expect([...sides.subarray(0, 3)].map(Math.abs)).toEqual([0, 1, 0])
    expect([...sides.subarray(6, 9)].map(Math.abs)).toEqual([1, 0, 0])
  })
})
