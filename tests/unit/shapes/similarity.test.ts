/** Places brought onto others: exact where there is a turn, a shift and a scale between them, by least squares else. */
import { describe, expect, it } from 'vitest'
import { fitSimilarity } from '../../../core/shapes/similarity'
import type { Vector } from '../../../core/mesh/vectors'
import { after, movedPlace, movedPoints, shifted, turnedAbout } from '../../../core/shapes/turned'
import type { Motion } from '../../../core/shapes/turned'

const three: Vector[] = [
  [1, 0, 0],
  [0, 2, 0],
  [0.3, -0.2, 1.5],
]
const motions: [string, Motion][] = [
  ['nothing', shifted([0, 0, 0])],
  ['a shift', shifted([5, -2, 0.25])],
  ['a turn about z', turnedAbout([1, 1, 0], [0, 0, 1], 0.7)],
  ['half a turn', turnedAbout([0, 0, 0], [1, 1, 0.2], Math.PI)],
  ['a turn and a shift', after(turnedAbout([3, 0, 1], [1, 2, -3], 2.4), shifted([100, 0, -40]))],
]

describe.each(motions)('of %s', (_, motion) => {
  it.each([1, 0.001, 25.4])('and a scale of %d everything comes back, though three pairs alone are known', (scale) => {
    const there = (place: Vector): Vector => movedPlace(place.map((c) => scale * c) as Vector, motion)
    const found = fitSimilarity(three, three.map(there), true)
    expect(found.scale).toBeCloseTo(scale, 12)
    const size = Math.max(1, ...there([0, 0, 0]).map(Math.abs))
    expect(found.largest / size).toBeLessThan(1e-13)
    const other: Vector = [-4, 7, 2.5]
    movedPoints(other, found.motion).forEach((c, d) => expect((c - there(other)[d]!) / size).toBeCloseTo(0, 11))
    // no mirror image, though the places would fit it as well
    const [a, b, c, , d, e, f, , g, h, i] = found.turn as number[]
    expect(a! * (e! * i! - f! * h!) - b! * (d! * i! - f! * g!) + c! * (d! * h! - e! * g!)).toBeCloseTo(1, 12)
  })
})

it('of places that do not fit the squares of what remains are least', () => {
  const there = three.map(([x, y, z], i): Vector => [x + 0.01 * (i - 1), y - 0.02 * i, z + 0.015 * (i % 2)])
  const found = fitSimilarity(three, there, false)
  const left = (motion: Motion): number => {
    const moved = movedPoints(three.flat(), found.motion)
    return there.reduce((sum, place, i) => {
      const own = movedPlace([...moved.subarray(3 * i, 3 * i + 3)] as Vector, motion)
      return sum + own.reduce((part, c, d) => part + (c - place[d]!) ** 2, 0)
    }, 0)
  }
  const least = left(shifted([0, 0, 0]))
  expect(Math.sqrt(least / 3)).toBeCloseTo(found.rms, 12)
  for (const axis of [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ] as Vector[])
    for (const by of [-1e-3, 1e-3]) {
      expect(left(turnedAbout(there[0]!, axis, by))).toBeGreaterThan(least)
      expect(left(shifted(axis.map((c) => by * c) as Vector))).toBeGreaterThan(least)
    }
})

it.each<[string, Vector[], Vector[], RegExp]>([
  ['places without a counterpart', three, three.slice(1), /3 places here and 2 there/],
  ['two places', three.slice(1), three.slice(1), /do not lie on one line/],
  ['places on a line', [0, 1, 2].map((x): Vector => [x, x, 0]), three, /do not lie on one line/],
  ['one place three times', [three[0]!, three[0]!, three[0]!], three, /do not lie on one line/],
  ['none', [], [], /do not lie on one line/],
])('%s are refused', (_, from, to, message) => expect(() => fitSimilarity(from, to, false)).toThrow(message))
