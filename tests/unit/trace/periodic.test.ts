import { describe, expect, it } from 'vitest'
import { stepKind } from '../../../core/steps'
import { newStudy, plainSurroundings } from '../../../core/study/defaults'
import { wholeDomain } from '../../../core/mesh/Domain'
import type { Vector } from '../../../core/mesh/vectors'
import { looseSurface } from '../../../core/shapes/drawnLine'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { piecesOfLines } from '../../../core/trace/lineShapes'
import { Drifting } from '../../../core/trace/motions'
import { MovingField } from '../../../core/trace/MovingField'
import { followPaths } from '../../../core/trace/paths'
import { PeriodicSides, periodicPairs } from '../../../core/trace/PeriodicSides'
import type { PeriodicMotion } from '../../../core/trace/PeriodicSides'
import { StreamlineTracer } from '../../../core/trace/streamlines'
import { atPoints, boxKinds, boxMesh } from '../../support/meshes'
import type { BoxKind } from '../../support/meshes'

/** Of a ring from radius 1 to 2, `angle` wide; all turns with the circle. */
function sector(kind: BoxKind, angle: number) {
  const mesh = boxMesh({ n: 8, kind })
  for (let p = 0; p < mesh.points.length; p += 3) {
    const [r, a] = [1 + mesh.points[p]!, angle * mesh.points[p + 1]!]
    mesh.points[p] = r * Math.cos(a)
    mesh.points[p + 1] = r * Math.sin(a)
  }
  const part = new MemoryPart('Water', 3, mesh, 65_536)
  part.setField('U', { values: atPoints(mesh, (x, y) => [-y, x, 0.02]), components: 3, place: 'point' })
  return part
}

/** Four corners in the order that turns its normal outwards. */
function side(name: string, corners: readonly Vector[]) {
  return { name, shape: { kind: 'surface' as const, pieces: [looseSurface(corners, [0, 1, 2, 0, 2, 3])] } }
}

function sidesOf(angle: number) {
  const at = (r: number, a: number, z: number): Vector => [r * Math.cos(a), r * Math.sin(a), z]
  return [
    side('Near', [at(1, 0, 0), at(2, 0, 0), at(2, 0, 1), at(1, 0, 1)]),
    side('Far', [at(1, angle, 0), at(1, angle, 1), at(2, angle, 1), at(2, angle, 0)]),
  ]
}

const SIZE = 3
const options = { direction: 'downstream' as const, tolerance: 1e-8, maxSteps: 20_000 }

describe.each(boxKinds)('through the sides of a sector of %s cells', (kind) => {
  it.each([60, 90])('of %d° a line is that of the full ring', (degrees) => {
    const angle = (degrees * Math.PI) / 180
    const part = sector(kind, angle)
    const sides = new PeriodicSides(sidesOf(angle), SIZE)
    const tracer = new StreamlineTracer(wholeDomain([part]), (p, k) => p.field('U', k))
    const radius = Math.hypot(1.5, 0.1)
    const speed = Math.hypot(radius, 0.02)
    const line = tracer.trace(1.5, 0.1, 0.1, { ...options, sides, maxLength: 2 * Math.PI * speed })
    expect(line.endings).toEqual(['reached the length limit'])
    expect(sides.nCrossed).toBe(360 / degrees)
    const pieces = piecesOfLines([line], [part], 1)
    // the last turn is in the mesh itself again
    expect(pieces).toHaveLength(360 / degrees)
    const [times, lengths] = [0, 1].map((c) => Math.max(...pieces.flatMap(({ columns }) => [...columns![c]!]))) as [number, number]
    expect(times).toBeCloseTo(2 * Math.PI, 5)
    // of chords
    expect(lengths / (2 * Math.PI * speed)).toBeCloseTo(1, 2)
    for (const { points, columns } of pieces) {
      columns![0]!.forEach((t, p) => {
        const start = Math.atan2(0.1, 1.5) + t
        expect(points[3 * p]).toBeCloseTo(radius * Math.cos(start), 4)
        expect(points[3 * p + 1]).toBeCloseTo(radius * Math.sin(start), 4)
        expect(points[3 * p + 2]).toBeCloseTo(0.1 + 0.02 * t, 6)
      })
    }
  })
})

describe('periodic sides', () => {
  const angle = Math.PI / 3

  it('are crossed both ways, and by paths as well', () => {
    const part = sector('hexahedron', angle)
    const domain = wholeDomain([part])
    const tracer = new StreamlineTracer(domain, (p, k) => p.field('U', k))
    const sides = new PeriodicSides(sidesOf(angle), SIZE)
    const line = tracer.trace(1.5, 0.1, 0.5, { ...options, direction: 'both', sides, maxLength: 3 })
    const pieces = piecesOfLines([line], [part], 1)
    const times = pieces.flatMap(({ columns }) => [...columns![0]!])
    expect(Math.min(...times)).toBeLessThan(-1.9)
    const radii = pieces.flatMap(({ points }) =>
      Array.from({ length: points.length / 3 }, (_, p) => Math.hypot(points[3 * p]!, points[3 * p + 1]!)),
    )
    for (const r of radii) expect(r).toBeCloseTo(Math.hypot(1.5, 0.1), 4)

    const field = new MovingField(1)
    const motion = new Drifting(field)
    const flow = { domain, vector: (p: MemoryPart, k: number) => p.field('U', k), mesh: 'one' } as never as { domain: typeof domain }
    const moments = [0, 1, 2, 2 * Math.PI].map((time) => ({ ...flow, time })) as never
    const paths = followPaths(field, moments, [{ position: [1.5, 0.1, 0.1], time: 0 }], {
      ...{ tolerance: 1e-8, size: SIZE, maxSteps: 10_000, maxPoints: 1e6, check: () => undefined },
      motionOf: () => motion,
      sides: new PeriodicSides(sidesOf(angle), SIZE),
    })
    const last = paths.positions.slice(-3)
    expect(paths.ends).toEqual(['still moving'])
    expect(last[0]).toBeCloseTo(1.5, 4)
    expect(last[1]).toBeCloseTo(0.1, 4)
    expect(last[2]).toBeCloseTo(0.1 + 0.02 * 2 * Math.PI, 6)
  })

  it('are found by their shapes: a turn, a shift, and half a ring whose sides lie in one plane', () => {
    expect(periodicPairs(sidesOf(angle)).map(({ words }) => words)).toEqual(['60° about z'])
    expect(periodicPairs(sidesOf(Math.PI)).map(({ words }) => words)).toEqual(['180° about z'])
    const [turn] = periodicPairs(sidesOf(angle))
    expect(turn!.motion).toMatchObject({ about: [0, 0, 0], axis: [0, 0, 1], degrees: expect.closeTo(60, 9) })
    // copies begin with what makes the sector whole
    const settings = (motion: PeriodicMotion, form?: string) =>
      stepKind('copies').defaults({ ...plainSurroundings(newStudy('s'), [0, 0, 0, 1, 1, 1]), periodic: motion }, form ? { form } : {})
    expect(settings(turn!.motion)).toMatchObject({ form: 'turned', count: 6, angle: 60, normal: [0, 0, 1] })
    expect(settings({ about: [0, 0, 0], axis: [0, 1, 0], degrees: -35 })).toMatchObject({ count: 2, angle: -35 })
    expect(settings({ shift: [0, 2, 0] })).toMatchObject({ form: 'shifted', count: 2, shift: [0, 2, 0] })
    expect(settings(turn!.motion, 'mirrored')).toMatchObject({ form: 'mirrored', normal: [1, 0, 0] })
    const box = (x: number, isFar: boolean, high = 1) =>
      side(
        `x = ${x}`,
        (
          [
            [x, 0, 0],
            [x, 0, high],
            [x, 1, high],
            [x, 1, 0],
          ] as Vector[]
        ).map((_, i, all) => all[isFar ? 3 - i : i]!),
      )
    expect(periodicPairs([box(0, false), box(2, true)]).map(({ words }) => words)).toEqual(['shifted'])
    // about an axis that is none of the case and does not go through its origin
    const moved = sidesOf(angle).map(({ name, shape }) => {
      const points = shape.pieces[0]!.points.slice()
      for (let p = 0; p < points.length; p += 3)
        [points[p], points[p + 1], points[p + 2]] = [points[p + 2]! + 5, points[p]! - 3, points[p + 1]! + 1]
      return { name, shape: { ...shape, pieces: [{ ...shape.pieces[0]!, points }] } }
    })
    const [pair] = periodicPairs(moved)
    expect(pair!.words).toBe('60° about an axis')
    expect(periodicPairs([sidesOf(angle)[0]!, box(3, true, 1.5)])).toEqual([])
  })
})
