import { describe, expect, it } from 'vitest'
import { delaunay, GHOST, sideOf } from '../../../core/mesh/delaunay'
import { ScatteredPoints } from '../../../core/mesh/ScatteredPoints'

const nothing = (): void => undefined

/** The same numbers at each run, from 0 to 1. */
function random(seed: number): () => number {
  let state = seed
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0
    return state / 2 ** 32
  }
}

const sets: Record<string, (n: number) => number[]> = {
  'scattered at random': (n) => Array.from({ length: 3 * n }, random(7)),
  'on a regular grid': (n) => {
    const m = Math.round(Math.cbrt(n))
    return Array.from({ length: m ** 3 }, (_, i) => [i % m, Math.floor(i / m) % m, Math.floor(i / m / m)]).flat()
  },
  'on a sphere': (n) => {
    const next = random(3)
    return Array.from({ length: n }, () => {
      const [z, a] = [2 * next() - 1, 2 * Math.PI * next()]
      return [Math.sqrt(1 - z * z) * Math.cos(a), Math.sqrt(1 - z * z) * Math.sin(a), z]
    }).flat()
  },
  'in two layers, each twice': (n) => {
    const next = random(5)
    const half = Array.from({ length: n / 4 }, () => [next(), next()])
    const layers = [0, 0.01].flatMap((z) => half.map(([x, y]) => [x!, y!, z]))
    return [...layers, ...layers].flat()
  },
}
const linear = (x: number, y: number, z: number): number => 2 + 3 * x - 5 * y + 7 * z

function valueAt(scattered: ScatteredPoints, x: number, y: number, z: number): number {
  if (!scattered.between(x, y, z)) return NaN
  const { ids, shares, points } = scattered
  return [0, 1, 2, 3].reduce((sum, k) => {
    const p = 3 * ids[k]!
    return shares[k] === 0 ? sum : sum + shares[k]! * linear(points[p]!, points[p + 1]!, points[p + 2]!)
  }, 0)
}

describe.each(Object.keys(sets))('points %s', (name) => {
  const points = Float64Array.from(sets[name]!(600))
  const size = Math.max(...points)

  it('carry what is linear to a millionth inside their hull', () => {
    const scattered = new ScatteredPoints(points, nothing)
    const next = random(11)
    let inside = 0
    for (let i = 0; i < 2000; i++) {
      const [x, y, z] = [0, 1, 2].map(() => size * (1.2 * next() - 0.1)) as [number, number, number]
      const value = valueAt(scattered, x, y, name.includes('layers') ? 0.01 * next() : z)
      if (Number.isNaN(value)) continue
      inside++
      const exact = name.includes('layers') ? value : linear(x, y, z)
      expect(Math.abs(value - exact)).toBeLessThan(1e-6 * size * 20)
    }
    expect(inside).toBeGreaterThan(name === 'on a sphere' ? 100 : 1000)
  })

  it('have their own values at their own places', () => {
    const scattered = new ScatteredPoints(points, nothing)
    for (let p = 0; p < 200; p++) {
      const [x, y, z] = points.subarray(3 * p, 3 * p + 3) as unknown as [number, number, number]
      expect(Math.abs(valueAt(scattered, x, y, z) - linear(x, y, z))).toBeLessThan(1e-5 * size)
      expect(scattered.nearest(x, y, z).distance).toBe(0)
    }
  })
})

describe('tetrahedra between points', () => {
  const n = 400
  const points = Float64Array.from({ length: 3 * n }, random(17))
  const order = Uint32Array.from({ length: n }, (_, i) => i)
  const { points: moved, corners, neighbours } = delaunay(points, order, Math.sqrt(3), nothing)
  const used = Array.from({ length: corners.length / 4 }, (_, t) => t).filter((t) => corners[4 * t] !== -2)
  const inner = used.filter((t) => corners[4 * t + 3] !== GHOST)

  it('fill the hull: every face has two sides, and volumes are positive', () => {
    for (const t of used) {
      for (let i = 0; i < 4; i++) {
        const other = neighbours[4 * t + i]!
        expect([0, 1, 2, 3].some((k) => neighbours[4 * other + k] === t)).toBe(true)
        const face = [0, 1, 2, 3].filter((k) => k !== i).map((k) => corners[4 * t + k]!)
        expect(face.every((corner) => [0, 1, 2, 3].some((k) => corners[4 * other + k] === corner))).toBe(true)
      }
    }
    const volumes = inner.map((t) => {
      const [a, b, c, d] = corners.subarray(4 * t, 4 * t + 4) as unknown as [number, number, number, number]
      return sideOf(moved, a, b, c, moved[3 * d]!, moved[3 * d + 1]!, moved[3 * d + 2]!) / 6
    })
    expect(Math.min(...volumes)).toBeGreaterThan(0)
    // as fans from the middle to the hull say
    const hull = used.filter((t) => corners[4 * t + 3] === GHOST)
    const fans = hull.map((t) => -sideOf(moved, corners[4 * t]!, corners[4 * t + 1]!, corners[4 * t + 2]!, 0.5, 0.5, 0.5) / 6)
    expect(volumes.reduce((a, b) => a + b, 0)).toBeCloseTo(
      fans.reduce((a, b) => a + b, 0),
      12,
    )
  })

  it('hold no point in their spheres', () => {
    for (const t of inner.slice(0, 200)) {
      const at = [0, 1, 2, 3].map((k) => Array.from(moved.subarray(3 * corners[4 * t + k]!, 3 * corners[4 * t + k]! + 3)))
      const centre = circumcentre(at)
      const radius = Math.hypot(...centre.map((c, d) => c - at[0]![d]!))
      for (let p = 0; p < n; p++) {
        const off = Math.hypot(...centre.map((c, d) => c - moved[3 * p + d]!))
        expect(off).toBeGreaterThan(radius * (1 - 1e-6) - 1e-9)
      }
    }
  })
})

/** By Cramer's rule. */
function circumcentre([a, b, c, d]: number[][]): number[] {
  const rows = [b!, c!, d!].map((p) => p.map((x, k) => 2 * (x - a![k]!)))
  const right = [b!, c!, d!].map((p) => p.reduce((sum, x, k) => sum + x * x - a![k]! * a![k]!, 0))
  const det = (m: number[][]): number =>
    m[0]![0]! * (m[1]![1]! * m[2]![2]! - m[1]![2]! * m[2]![1]!) -
    m[0]![1]! * (m[1]![0]! * m[2]![2]! - m[1]![2]! * m[2]![0]!) +
    m[0]![2]! * (m[1]![0]! * m[2]![1]! - m[1]![1]! * m[2]![0]!)
  return [0, 1, 2].map((k) => det(rows.map((row, r) => row.map((x, q) => (q === k ? right[r]! : x)))) / det(rows))
}

describe('points that do not fill a space', () => {
  it('in a plane: between triangles, whatever the height above it; outside there is nothing', () => {
    const next = random(23)
    const points = Float64Array.from(
      Array.from({ length: 300 }, () => {
        const [u, v] = [next(), next()]
        return [u + v, u - v, 0.5 * u]
      }).flat(),
    )
    const scattered = new ScatteredPoints(points, nothing)
    expect(scattered.isFlat).toBe(true)
    for (let i = 0; i < 200; i++) {
      const [u, v] = [0.1 + 0.8 * next(), 0.1 + 0.8 * next()]
      expect(valueAt(scattered, u + v, u - v, 0.5 * u)).toBeCloseTo(linear(u + v, u - v, 0.5 * u), 9)
    }
    expect(scattered.between(9, 9, 9)).toBe(false)
  })

  it('on a line: between segments; one point alone: at its place', () => {
    const line = new ScatteredPoints(Float64Array.from([3, 1, 2, 0].flatMap((t) => [t, 2 * t, -t])), nothing)
    expect(valueAt(line, 1.5, 3, -1.5)).toBeCloseTo(linear(1.5, 3, -1.5), 12)
    expect(line.between(4, 8, -4)).toBe(false)
    const one = new ScatteredPoints(Float64Array.of(1, 2, 3, 1, 2, 3), nothing)
    expect(one.nRepeated).toBe(1)
    expect(valueAt(one, 1, 2, 3)).toBe(linear(1, 2, 3))
    expect(one.nearest(1, 2, 5)).toEqual({ id: expect.any(Number) as number, distance: 2 })
  })
})
