import { describe, expect, it } from 'vitest'
import { wholeDomain } from '../../../core/mesh/Domain'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { dragFactor, Dragged, Drifting, relaxation } from '../../../core/trace/motions'
import type { Sphere } from '../../../core/trace/motions'
import { MovingField } from '../../../core/trace/MovingField'
import type { MomentFlow } from '../../../core/trace/MovingField'
import { followPaths } from '../../../core/trace/paths'
import type { PathOptions, Paths, Release } from '../../../core/trace/paths'
import { betweenTimes, placesAt, streaksOf } from '../../../core/trace/pathPlaces'
import { atPoints, boxKinds, boxMesh } from '../../support/meshes'
import type { BoxKind } from '../../support/meshes'

type Flow = (t: number, x: number, y: number, z: number) => number[]

function moments(flow: Flow, times: readonly number[], { kind = 'hexahedron' as BoxKind, n = 6, blockCells = 65_536 } = {}): MomentFlow[] {
  const mesh = boxMesh({ n, kind, skew: 0.2 })
  return times.map((time) => {
    const part = new MemoryPart('Water', 3, mesh, blockCells)
    part.setField('U', { values: atPoints(mesh, (x, y, z) => flow(time, x, y, z)), components: 3, place: 'point' })
    return { time, domain: wholeDomain([part]), vector: (p, k) => p.field('U', k), mesh: 'one' }
  })
}

function follow(all: MomentFlow[], releases: readonly Release[], change: Partial<PathOptions> = {}, sphere?: Sphere, factor = 1): Paths {
  const field = new MovingField(factor)
  const motion = sphere ? new Dragged(field, sphere) : new Drifting(field)
  const options = { tolerance: 1e-8, size: Math.sqrt(3), maxSteps: 10_000, maxPoints: 1e6, check: () => undefined, motionOf: () => motion }
  try {
    return followPaths(field, all, releases, { ...options, ...change })
  } finally {
    field.close()
  }
}

const from = (x: number, y: number, z: number, time = 0): Release => ({ position: [x, y, z], time })
const ends = ({ starts, positions, times }: Paths, k = 0) => {
  const p = starts[k + 1]! - 1
  return [...positions.subarray(3 * p, 3 * p + 3), times[p]!]
}

/** A turn about the middle of the box that quickens: the angle is t²/2. Linear in place and time, so that it is met exactly. */
const quickening: Flow = (t, x, y) => [-t * (y - 0.5), t * (x - 0.5), 0]

describe('paths', () => {
  it.each(boxKinds)('in a flow that is linear in place and time are exact in %s cells', (kind) => {
    const paths = follow(moments(quickening, [0, 1, 2, 3], { kind }), [from(0.8, 0.5, 0.4), from(0.5, 0.7, 0.5, 1.5)])
    const [first, second] = [ends(paths, 0), ends(paths, 1)]
    expect(first[0]).toBeCloseTo(0.5 + 0.3 * Math.cos(4.5), 6)
    expect(first[1]).toBeCloseTo(0.5 + 0.3 * Math.sin(4.5), 6)
    expect(first[3]).toBe(3)
    const turned = (9 - 2.25) / 2
    expect(second[0]).toBeCloseTo(0.5 - 0.2 * Math.sin(turned), 6)
    expect(second[1]).toBeCloseTo(0.5 + 0.2 * Math.cos(turned), 6)
    expect(paths.ends).toEqual(['still moving', 'still moving'])
  })

  it('come nearer by the fifth power of the step, which the tolerance sets', () => {
    const errorOf = (tolerance: number): number => {
      const [x, y] = ends(follow(moments(quickening, [0, 3], { n: 1 }), [from(0.8, 0.5, 0.4)], { tolerance }))
      return Math.hypot(x! - 0.5 - 0.3 * Math.cos(4.5), y! - 0.5 - 0.3 * Math.sin(4.5))
    }
    const [coarse, fine] = [errorOf(1e-4), errorOf(1e-7)]
    expect(coarse).toBeLessThan(1e-3)
    expect(coarse / fine).toBeGreaterThan(100)
  })

  it('have a point at every moment, where streaks join them', () => {
    // a wind that turns: uniform in place, so that a place is the integral of the wind since the release
    const wind: Flow = (t) => [0.1 * Math.cos(t), 0.1 * Math.sin(t), 0]
    const times = Array.from({ length: 13 }, (_, i) => i / 2)
    const all = moments(wind, times, { n: 2 })
    const releases = times.slice(0, -1).map((time) => from(0.4, 0.4, 0.5, time))
    const together = follow(all, releases)
    const piece = { points: together.positions, paths: together.starts, times: together.times, columns: [together.speeds] }
    for (const k of [4, 12]) {
      const { of, positions } = placesAt(piece, times[k]!, false)
      expect([...of]).toEqual(releases.flatMap(({ time }, i) => (time <= times[k]! ? [i] : [])))
      of.forEach((path, i) => {
        const alone = follow(all.slice(0, k + 1), [releases[path]!])
        if (releases[path]!.time < times[k]!) expect([...positions.subarray(3 * i, 3 * i + 3)]).toEqual(ends(alone).slice(0, 3))
      })
    }
    // between moments the wind is taken as linear in time, so its integral is the trapezoid's
    const sum = times.slice(1).reduce((x, t, i) => x + 0.025 * (Math.cos(t) + Math.cos(times[i]!)), 0.4)
    expect(ends(together)[0]).toBeCloseTo(sum, 9)
  })

  it('do not depend on blocks or on what is followed with them', () => {
    const flow: Flow = (t, x, y, z) => [0.1 * Math.cos(3 * y + t), 0.1 * Math.sin(2 * x - t), 0.05 * Math.cos(4 * z)]
    const seeds = [from(0.3, 0.4, 0.5), from(0.6, 0.5, 0.4), from(0.5, 0.3, 0.6)]
    const whole = follow(moments(flow, [0, 1, 2], { n: 14 }), seeds)
    const blocks = follow(moments(flow, [0, 1, 2], { n: 14, blockCells: 1024 }), seeds)
    const single = follow(moments(flow, [0, 1, 2], { n: 14 }), [seeds[2]!])
    expect(ends(single)).toEqual(ends(whole, 2))
    for (let k = 0; k < 3; k++) ends(whole, k).forEach((c, d) => expect(ends(blocks, k)[d]).toBeCloseTo(c, 9))
  })

  it('back in time lead where they came from', () => {
    const there = ends(follow(moments(quickening, [0, 1, 2]), [from(0.8, 0.5, 0.4)]))
    const reversed = moments(quickening, [0, 1, 2])
      .reverse()
      .map((moment) => ({ ...moment, time: -moment.time }))
    const back = ends(follow(reversed, [from(there[0]!, there[1]!, there[2]!, -2)], {}, undefined, -1))
    expect(back[0]).toBeCloseTo(0.8, 6)
    expect(back[1]).toBeCloseTo(0.5, 6)
  })

  it.each<[string, Flow, Release, string]>([
    ['at the wall', () => [1, 0, 0], from(0.5, 0.5, 0.5), 'left the mesh'],
    ['outside', () => [1, 0, 0], from(2, 0.5, 0.5), 'let go outside'],
    ['where nothing moves', () => [0, 0, 0], from(0.5, 0.5, 0.5), 'still moving'],
    ['where there is no value', () => [NaN, 0, 0], from(0.5, 0.5, 0.5), 'velocity has no value'],
  ])('end %s', (_, flow, release, end) => {
    const paths = follow(moments(flow, [0, 2]), [release])
    expect(paths.ends).toEqual([end])
    if (end === 'left the mesh') {
      expect(ends(paths)[0]).toBeCloseTo(1, 6)
      expect(ends(paths)[3]).toBeCloseTo(0.5, 6)
    }
  })

  it('tell how far they are', () => {
    const shares: number[] = []
    const progress = (share: number): void => void shares.push(share)
    follow(moments(quickening, [0, 1, 2, 3]), [from(0.8, 0.5, 0.4), from(0.7, 0.5, 0.4)], { progress })
    expect(shares).toEqual([0, 1, 2, 3, 4, 5].map((n) => expect.closeTo(n / 6, 12)))
  })

  it('can be cancelled', () => {
    let asked = 0
    const check = (): void => {
      if (++asked > 3) throw new Error('enough')
    }
    expect(() => follow(moments(quickening, [0, 1, 2, 3]), [from(0.8, 0.5, 0.4), from(0.7, 0.5, 0.4)], { check })).toThrow('enough')
  })

  it('are cut at two times with places at both', () => {
    const paths = { points: Float64Array.of(0, 0, 0, 1, 0, 0, 3, 0, 0), paths: Uint32Array.of(0, 3), times: Float64Array.of(0, 1, 2) }
    const { points, columns } = betweenTimes({ ...paths, columns: [paths.times] }, 0.5, 1.5)
    expect([...points].filter((_, i) => i % 3 === 0)).toEqual([0.5, 1, 2])
    expect([...columns[0]!]).toEqual([0.5, 1, 1.5])
  })
})

describe('streaks', () => {
  it('have gaps where something has ended, and where neighbours are far apart', () => {
    const x = [0, 1, 2, 3, 30, 31, 32, 33]
    const releases = [1, 2, 3, 4, 5, 6, 8, 9]
    const places = {
      of: Uint32Array.from(x, (_, i) => i),
      positions: Float64Array.from(x.flatMap((c) => [c, 0, 0])),
      columns: [Float64Array.from(releases), new Float64Array(8).fill(1)],
    }
    const { starts, nApart } = streaksOf(places, 0, [1])
    expect([...starts]).toEqual([0, 4, 6, 8])
    expect(nApart).toBe(1)
  })
})

describe('spheres', () => {
  const sphere: Sphere = {
    ...{ density: 2500, diameter: 1e-3, fluidDensity: 1000, viscosity: 1e-3 },
    ...{ gravity: [0, 0, -9.81], lengthFactor: 1, start: [0, 0, 0] },
  }
  const still: Flow = () => [0, 0, 0]

  /** Where drag and weight balance, by bisection. */
  function terminal({ density, diameter, fluidDensity, viscosity }: Sphere): number {
    let [low, high] = [0, 10]
    for (let i = 0; i < 200; i++) {
      const speed = (low + high) / 2
      const drag = 3 * Math.PI * viscosity * diameter * speed * dragFactor((fluidDensity * speed * diameter) / viscosity)
      if (drag < (Math.PI / 6) * diameter ** 3 * (density - fluidDensity) * 9.81) low = speed
      else high = speed
    }
    return low
  }

  it.each([1e-3, 3e-4, 2e-5])('of %s m reach their terminal speed in still fluid', (diameter) => {
    const own = { ...sphere, diameter }
    const paths = follow(moments(still, [0, 2], { n: 2 }), [from(0.5, 0.5, 0.99)], {}, own)
    expect(paths.speeds[paths.starts[1]! - 1]! / terminal(own)).toBeCloseTo(1, 6)
  })

  it('fall as the slow law says: the exact solution of linear drag', () => {
    // so thin and viscous that the Reynolds number stays below 1e-9
    const own = { ...sphere, viscosity: 100, diameter: 0.02, fluidDensity: 1e-6 }
    const rate = (18 * own.viscosity) / (own.density * own.diameter ** 2)
    const speed = (9.81 * (1 - own.fluidDensity / own.density)) / rate
    const [, , z, t] = ends(follow(moments(still, [0, 0.001, 3], { n: 2 }), [from(0.5, 0.5, 0.9)], {}, own))
    expect(t).toBe(3)
    expect((0.9 - z!) / (speed * (3 - (1 - Math.exp(-3 * rate)) / rate))).toBeCloseTo(1, 4)
  })

  it('so small that they follow at once go where the flow goes', () => {
    const own = { ...sphere, diameter: 1e-7, density: 1000, start: [1, 1, 1] }
    const all = moments(quickening, [0, 1, 2, 3])
    const drift = ends(follow(all, [from(0.8, 0.5, 0.4)]))
    ends(follow(all, [from(0.8, 0.5, 0.4)], { tolerance: 1e-6 }, own)).forEach((c, d) => expect(c).toBeCloseTo(drift[d]!, 3))
  })

  it('come to rest on a surface that they bounce on', () => {
    const atBoundary = () => (state: Float64Array) => {
      state[5] = -0.5 * state[5]!
      return true
    }
    const paths = follow(moments(still, [0, 20], { n: 2 }), [from(0.5, 0.5, 0.1)], { atBoundary }, sphere)
    expect(paths.ends).toEqual(['came to rest'])
    expect(ends(paths)[2]).toBeCloseTo(0, 5)
  })

  it('relax by series and by formula alike', () => {
    const [a, b] = [relaxation(0.05 - 1e-12), relaxation(0.05 + 1e-12)]
    a.forEach((x, i) => expect(x).toBeCloseTo(b[i]!, 10))
    expect(relaxation(0)).toEqual([1, 1 / 2, 1 / 6])
  })
})
