/** Cuts in every form, series, copies, arrows and drawn lines, against areas, lengths and fluxes known beforehand. */
import { describe, expect, it } from 'vitest'
import type { Plan } from '../../../core/evaluate/plan'
import { cross, dot, length } from '../../../core/mesh/vectors'
import type { Vector } from '../../../core/mesh/vectors'
import { Growing } from '../../../core/mesh/growing'
import { evaluatorFor } from '../../support/evaluation'
import type { Evaluation } from '../../support/evaluation'
import { chainSegments } from '../../../core/shapes/chainSegments'
import { pieceOf } from '../../support/evaluation'
import { areaOf, on, water } from '../../support/keptBox'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import type { BoxKind } from '../../support/meshes'

const half = {
  ...{ form: 'plane', cells: 'cut', origin: [0.45, 0, 0], normal: [1, 0, 0] },
  ...{ low: [0, 0, 0], high: [1, 1, 1], radius: 1 },
}

type Steps = Plan['steps']
type Inputs = Steps[string]['inputs']

const step = (kind: string, settings: object, inputs: Inputs = water): Steps[string] => ({ kind, inputs, settings: { ...settings } })
const slice = (settings: object, inputs: Inputs = water): Steps[string] =>
  step('slice', { origin: [0.5, 0.5, 0.5], normal: [0, 0, 1], ...settings }, inputs)
const measured = (quantity: string, inputs: Inputs, variable = ''): Steps[string] => step('measure', { quantity, variable }, inputs)
const copied = (settings: object, inputs: Inputs): Steps[string] =>
  step('copies', { form: 'turned', count: 4, angle: 90, origin: [0, 0, 0], normal: [0, 0, 1], shift: [1, 0, 0], ...settings }, inputs)
const arrows = (settings: object, under: string): Steps[string] =>
  step('arrows', { variable: 'U', placing: 'count', count: 300, spacing: 0.05, share: 'whole', ...settings }, { on: [{ step: under }] })

function evaluated(steps: Steps, kind: BoxKind = 'hexahedron', n = 8, formulas: Record<string, string> = {}): Evaluation {
  const mesh = boxMesh({ n, kind, skew: 0.2 })
  const fields = {
    f: { values: atPoints(mesh, (x, y, z) => 1 + 2 * x - y + 3 * z), components: 1 },
    U: { values: atPoints(mesh, (x, y, z) => [1 + x, 2 * y - z, 3 - x]), components: 3 },
    ex: { values: atPoints(mesh, () => [1, 0, 0]), components: 3 },
  }
  return evaluatorFor(testCase(mesh, fields), steps, formulas)
}

const places = ({ points }: { points: Float64Array }): Vector[] =>
  Array.from({ length: points.length / 3 }, (_, p) => Array.from(points.subarray(3 * p, 3 * p + 3)) as Vector)

describe('a slice', () => {
  it('by a cylinder and by a sphere approaches their areas with second order', () => {
    const steps = {
      cylinder: slice({ form: 'cylinder', radius: 0.3 }),
      sphere: slice({ form: 'sphere', radius: 0.4 }),
      a: measured('size', on('cylinder')),
      b: measured('size', on('sphere')),
    }
    const [coarse, fine] = [8, 16].map((n) => {
      const evaluation = evaluated(steps, 'hexahedron', n)
      return [evaluation.reading('a').value - 2 * Math.PI * 0.3, evaluation.reading('b').value - 4 * Math.PI * 0.16].map(Math.abs)
    }) as [number[], number[]]
    for (const i of [0, 1]) {
      expect(fine[i]!).toBeLessThan(0.02)
      expect(coarse[i]! / fine[i]!).toBeGreaterThan(3.2)
    }
  })

  it.each(boxKinds)('across a curve lies where it says and follows it (%s)', (kind) => {
    const curve = step(
      'points',
      {
        places: [
          [0, 0.5, 0.5],
          [0.5, 0.5, 0.5],
          [0.5, 0.5, 1],
        ],
        joined: 'line',
      },
      {},
    )
    const steps = {
      curve,
      before: slice({ form: 'across', share: 0.4 }, { ...water, ...{ curve: [{ step: 'curve' }] } }),
      behind: slice({ form: 'across', share: 0.7, series: 'several', count: 2, spacing: 0.1 }, { ...water, curve: [{ step: 'curve' }] }),
    }
    const evaluation = evaluated(steps, kind)
    expect(areaOf(evaluation.shape('before'))).toBeCloseTo(1, 12)
    for (const [x] of places(evaluation.shape('before'))) expect(x).toBeCloseTo(0.4, 12)
    expect(areaOf(evaluation.shape('behind'))).toBeCloseTo(2, 12)
    const heights = new Set(places(evaluation.shape('behind')).map(([, , z]) => z.toFixed(9)))
    expect([...heights].sort()).toEqual(['0.700000000', '0.800000000'])
  })

  it('repeated, and surfaces of several values, are those one by one', () => {
    const value = (v: number): Steps[string] => step('isosurface', { variable: 'f', value: v })
    const steps = {
      several: slice({ series: 'several', count: 3, spacing: 0.2, origin: [0, 0, 0.2] }),
      one: value(2),
      two: value(2.5),
      both: step('isosurface', { variable: 'f', value: 2, series: 'several', count: 2, spacing: 0.5 }),
      lines: step('isosurface', { variable: 'f', value: 2, series: 'several', count: 2, spacing: 0.5 }, on('middle')),
      middle: slice({}),
      listed: step('isosurface', { variable: 'f', value: 9, series: 'list', list: [2, 2.5] }),
    }
    const evaluation = evaluated(steps, 'mixed')
    expect(areaOf(evaluation.shape('several'))).toBeCloseTo(3, 12)
    expect(areaOf(evaluation.shape('both'))).toBeCloseTo(areaOf(evaluation.shape('one')) + areaOf(evaluation.shape('two')), 12)
    expect(areaOf(evaluation.shape('listed'))).toBeCloseTo(areaOf(evaluation.shape('both')), 12)
    const { values } = evaluation.values('f', evaluation.shape('lines'))
    expect(values.every((f) => Math.abs(f - 2) < 1e-12 || Math.abs(f - 2.5) < 1e-12)).toBe(true)
  })

  it.each(boxKinds)('of what is deformed meets it where it is drawn, and counts the material that it meets (%s)', (kind) => {
    // z moves up by 0.1 x, twice over
    const deform = (cuts: string): Steps[string] => step('deform', { displacement: 'lift', factor: 2, cuts, behind: 'outline' })
    const above = { ...half, side: 'inside', origin: [0, 0, 0.5], normal: [0, 0, 1] }
    const steps = {
      deformed: deform('deformed'),
      carried: deform('carried'),
      cut: slice({}, on('deformed')),
      plain: slice({}, on('carried')),
      line: slice({ origin: [0.5, 0, 0], normal: [1, 0, 0] }, on('cut')),
      kept: step('clip', above, on('deformed')),
      volume: measured('size', on('kept')),
    }
    const evaluation = evaluated(steps, kind, 4, { lift: 'vec(0 * pos.x, 0 * pos.x, 0.1 * pos.x)' })
    expect(areaOf(evaluation.shape('plain'))).toBeCloseTo(1, 12)
    expect(areaOf(evaluation.shape('cut'))).toBeCloseTo(Math.hypot(1, 0.2), 12)
    for (const [x, , z] of places(evaluation.shape('cut'))) expect(z + 0.2 * x).toBeCloseTo(0.5, 12)
    for (const [x, , z] of places(evaluation.shape('line'))) expect([x, z]).toEqual([expect.closeTo(0.5, 12), expect.closeTo(0.4, 12)])
    expect(evaluation.reading('volume').value).toBeCloseTo(0.6, 12)
  })

  it('through three points is the plane of all of them', () => {
    const points = { first: [0.2, 0.2, 0.3], second: [0.8, 0.3, 0.4], third: [0.5, 0.9, 0.7] }
    const steps = {
      plane: slice({ form: 'through', ...points }),
      line: slice({ form: 'through', first: [0, 0, 0], second: [1, 1, 1], third: [2, 2, 2] }),
    }
    const evaluation = evaluated(steps, 'mixed')
    const [a, b, c] = Object.values(points) as [Vector, Vector, Vector]
    const [u, v] = [b, c].map((p) => p.map((x, d) => x - a[d]!) as Vector) as [Vector, Vector]
    const normal = cross(u, v)
    const found = places(evaluation.shape('plane'))
    expect(found.length).toBeGreaterThan(100)
    for (const p of found) expect(dot(normal, p.map((x, d) => x - a[d]!) as Vector)).toBeCloseTo(0, 12)
    expect(() => evaluation.shape('line')).toThrow('The three points lie on one line')
  })

  it('that meets nothing is empty, and a curve that is none is said to be', () => {
    const steps = {
      far: slice({ form: 'sphere', radius: 0.1, origin: [9, 9, 9] }),
      dot: step('points', { places: [[0, 0, 0]], joined: 'single' }, {}),
      across: slice({ form: 'across' }, { ...water, curve: [{ step: 'dot' }] }),
    }
    const evaluation = evaluated(steps)
    expect(evaluation.shape('far').cells).toHaveLength(0)
    expect(() => evaluation.shape('across')).toThrow('This is no curve; choose lines.')
  })
})

describe('an index plane', () => {
  it('of a structured block has its faces, from the first to the last, stepped and repeated, in one block and in many', () => {
    const plane = (settings: object): Steps[string] => step('index-plane', { axis: 'i', index: 1, ...settings })
    const steps = {
      first: plane({}),
      inner: plane({ axis: 'k', index: 4 }),
      last: plane({ axis: 'j', index: 9 }),
      several: plane({ axis: 'k', index: 1, series: 'several', count: 3, spacing: 4 }),
      beyond: plane({ index: 10 }),
    }
    const evaluation = evaluated(steps)
    // at the sides the lattice is even; inside it is bent, and each point has its own index
    for (const [x] of places(evaluation.shape('first'))) expect(x).toBe(0)
    for (const [, y] of places(evaluation.shape('last'))) expect(y).toBe(1)
    for (const name of ['first', 'inner', 'last']) expect(evaluation.shape(name).cells).toHaveLength(2 * 8 * 8)
    expect(evaluation.shape('several').cells).toHaveLength(3 * 2 * 8 * 8)
    expect(areaOf(evaluation.shape('inner'))).toBeCloseTo(1, 1)
    expect(evaluation.shape('beyond').cells).toHaveLength(0)
    expect(evaluation.shape('first').notes).toEqual(['Water: i to 9, j to 9, k to 9'])
    expect(() => evaluated(steps, 'tetra').shape('first')).toThrow('Water is no structured block')
  })
})

describe('an intersection', () => {
  it.each(boxKinds)('of planes has their exact length and is one line, with the values there (%s)', (kind) => {
    const steps = {
      flat: slice({ origin: [0, 0, 0.43] }),
      steep: slice({ normal: [1, 0.5, 0.2] }),
      line: step('meet', {}, { of: [{ step: 'flat' }], with: [{ step: 'steep' }] }),
      size: measured('size', on('line')),
      far: slice({ origin: [0, 0, 0.9] }),
      none: step('meet', {}, { of: [{ step: 'flat' }], with: [{ step: 'far' }] }),
    }
    const evaluation = evaluated(steps, kind)
    // x + 0.5 y = 0.75 + 0.2 · 0.07 across the box
    expect(evaluation.reading('size').value).toBeCloseTo(Math.hypot(1, 0.5), 11)
    const line = evaluation.shape('line')
    expect(chainSegments(pieceOf(line))).toHaveLength(1)
    const { values } = evaluation.values('f', line)
    places(line).forEach(([x, y, z], p) => expect(values[p]).toBeCloseTo(1 + 2 * x - y + 3 * z, 11))
    expect(evaluation.shape('none').notes).toEqual(['the two do not meet'])
  })

  it('of a cylinder with a plane approaches its length with second order, and shared edges are taken once', () => {
    const steps = {
      round: slice({ form: 'cylinder', radius: 0.3 }),
      flat: slice({ origin: [0, 0, 0.43] }),
      ring: step('meet', {}, { of: [{ step: 'round' }], with: [{ step: 'flat' }] }),
      size: measured('size', on('ring')),
      left: step('clip', { ...half, side: 'inside' }, on('flat')),
      right: step('clip', { ...half, side: 'outside' }, on('flat')),
      seam: step('meet', {}, { of: [{ step: 'left' }], with: [{ step: 'right' }] }),
      length: measured('size', on('seam')),
    }
    const [coarse, fine] = [8, 16].map((n) => evaluated(steps, 'hexahedron', n))
    const error = (evaluation: Evaluation): number => Math.abs(evaluation.reading('size').value - 2 * Math.PI * 0.3)
    expect(error(coarse!) / error(fine!)).toBeGreaterThan(3)
    expect(chainSegments(pieceOf(fine!.shape('ring')))).toHaveLength(1)
    expect(fine!.reading('length').value).toBeCloseTo(1, 12)
  })
})

describe('copies', () => {
  it('about an axis make a ring whose area and flux are so many times those of one, with what is made of vectors', () => {
    const steps = {
      one: slice({ normal: [1, 0.4, 0.2] }),
      ring: copied({}, on('one')),
      area: measured('size', on('ring')),
      flux: measured('flux', { of: [{ step: 'ring' }] }, 'U'),
      single: measured('flux', { of: [{ step: 'one' }] }, 'U'),
      across: measured('integral', on('ring'), 'radial'),
      once: measured('integral', on('one'), 'radial'),
    }
    const evaluation = evaluated(steps, 'mixed', 6, { radial: 'U.x * pos.x + U.y * pos.y' })
    expect(evaluation.reading('area').value).toBeCloseTo(4 * areaOf(evaluation.shape('one')), 10)
    expect(evaluation.reading('flux').value).toBeCloseTo(4 * evaluation.reading('single').value, 10)
    expect(evaluation.reading('across').value).toBeCloseTo(4 * evaluation.reading('once').value, 10)
  })

  it('that are mirrored keep their outside outside, and shifted ones their vectors', () => {
    const steps = {
      pair: copied({ form: 'mirrored', normal: [1, 0, 0] }, on('wall')),
      wall: slice({ normal: [0, 1, 0] }),
      row: copied({ form: 'shifted', count: 3, shift: [2, 0, 0] }, on('wall')),
      both: measured('flux', { of: [{ step: 'pair' }] }, 'U'),
      three: measured('flux', { of: [{ step: 'row' }] }, 'U'),
      single: measured('flux', { of: [{ step: 'wall' }] }, 'U'),
      odd: copied({ form: 'shifted', shift: [0, 0, 0] }, on('wall')),
    }
    const evaluation = evaluated(steps)
    const single = evaluation.reading('single').value
    expect(evaluation.reading('both').value).toBeCloseTo(2 * single, 11)
    expect(evaluation.reading('three').value).toBeCloseTo(3 * single, 11)
    expect(Math.max(...places(evaluation.shape('row')).map(([x]) => x))).toBeCloseTo(5, 12)
    expect(() => evaluation.shape('odd')).toThrow(/would lie on each other/)
  })
})

describe('arrows', () => {
  it('evenly are about as many as asked, never nearer than their spacing, and the same every time', () => {
    const steps = {
      cut: slice({ normal: [1, 1, 0.3] }),
      a: arrows({}, 'cut'),
      line: arrows({ placing: 'spacing', spacing: 0.1 }, 'edge'),
    }
    const all: Steps = { ...steps, edge: slice({ normal: [0, 1, 0] }, on('middle')), middle: slice({}) }
    const [one, two] = [evaluated(all, 'mixed'), evaluated(all, 'mixed')].map((evaluation) => evaluation.shape('a'))
    expect(two!.points).toEqual(one!.points)
    const found = places(one!)
    expect(found.length).toBeGreaterThan(260)
    expect(found.length).toBeLessThan(340)
    const nearest = found.map((p, i) => Math.min(...found.map((q, k) => (k === i ? 9 : Math.hypot(...p.map((c, d) => c - q[d]!))))))
    const { spacing } = one!.arrows!
    expect(Math.min(...nearest)).toBeGreaterThanOrEqual(spacing)
    const mean = nearest.reduce((a, b) => a + b, 0) / nearest.length
    // spread of the distance to the nearest one
    expect(Math.sqrt(nearest.reduce((sum, x) => sum + (x - mean) ** 2, 0) / nearest.length) / mean).toBeLessThan(0.13)
    expect(evaluated(all).shape('line').cells).toHaveLength(10)
  })

  it.each(boxKinds)('show the vector, its parts along and across the surface, and its longest (%s)', (kind) => {
    const steps: Steps = { cut: slice({ normal: [1, 1, 0.3] }) }
    for (const share of ['whole', 'along', 'across', 'x']) steps[share] = arrows({ share }, 'cut')
    const evaluation = evaluated(steps, kind)
    const shapes = ['whole', 'along', 'across', 'x'].map((name) => evaluation.shape(name))
    const normal = [1, 1, 0.3].map((c) => c / Math.hypot(1, 1, 0.3))
    places(shapes[0]!).forEach(([x, y, z], p) => {
      const [whole, along, across, axis] = shapes.map(({ vectors }) => Array.from(vectors!.subarray(3 * p, 3 * p + 3)) as Vector)
      for (const [d, c] of [1 + x, 2 * y - z, 3 - x].entries()) expect(whole![d]).toBeCloseTo(c, 12)
      for (let d = 0; d < 3; d++) expect(along![d]! + across![d]!).toBeCloseTo(whole![d]!, 12)
      expect(along!.reduce((sum, c, d) => sum + c * normal[d]!, 0)).toBeCloseTo(0, 12)
      expect(axis).toEqual([whole![0], 0, 0])
    })
    const sizes = new Growing(Float64Array)
    for (let p = 0; p < shapes[0]!.vectors!.length; p += 3) sizes.push(length(Array.from(shapes[0]!.vectors!.subarray(p, p + 3)) as Vector))
    expect(shapes[0]!.arrows!.longest).toBe(Math.max(...sizes.finish()))
  })

  it.each(boxKinds)('inside a volume stand on a lattice, in what a clip left of it alone (%s)', (kind) => {
    const steps = {
      half: step('clip', { ...half, side: 'outside' }),
      all: step('arrows', { variable: 'U', placing: 'count', count: 512, spacing: 0, share: 'whole' }, { on: water.of }),
      some: arrows({ placing: 'spacing', spacing: 0.125 }, 'half'),
      odd: arrows({ placing: 'cells' }, 'half'),
    }
    const evaluation = evaluated(steps, kind)
    const all = evaluation.shape('all')
    expect(all.cells).toHaveLength(512)
    places(all).forEach(([x, y, z], p) => {
      for (const [d, c] of [1 + x, 2 * y - z, 3 - x].entries()) expect(all.vectors![3 * p + d]).toBeCloseTo(c, 11)
    })
    const some = places(evaluation.shape('some'))
    expect(some.length).toBeGreaterThan(100)
    for (const [x] of some) expect(x).toBeLessThanOrEqual(0.45 + 1e-9)
    expect(() => evaluation.shape('odd')).toThrow(/In a volume arrows stand evenly/)
  })

  it('at the data are where it is, thinned, and none on what is empty', () => {
    const steps = {
      cut: slice({}),
      points: arrows({ placing: 'points', spacing: 0 }, 'cut'),
      cells: arrows({ placing: 'cells', spacing: 0 }, 'cut'),
      thin: arrows({ placing: 'points', spacing: 0.3 }, 'cut'),
      none: slice({ origin: [0, 0, 9] }),
      empty: arrows({}, 'none'),
      odd: arrows({ variable: 'f' }, 'cut'),
    }
    const evaluation = evaluated(steps)
    const { cells } = evaluation.shape('cut')
    expect(evaluation.shape('cells').cells).toHaveLength(cells.length)
    expect(evaluation.shape('points').cells.length).toBeGreaterThan(80)
    expect(evaluation.shape('thin').cells.length).toBeLessThan(16)
    expect(evaluation.shape('empty').cells).toHaveLength(0)
    expect(() => evaluation.shape('odd')).toThrow('“f” is no vector; arrows show a vector such as a velocity.')
  })
})

describe('a flow texture', () => {
  it('is alike along the vector and not across it, the same every time, and even where nothing flows', () => {
    const steps = (variable: string): Steps => ({ cut: slice({}), t: step('texture', { variable }, { on: [{ step: 'cut' }] }) })
    const textureOf = (variable: string, formulas: Record<string, string> = {}) =>
      evaluated(steps(variable), 'mixed', 6, formulas).shape('t').texture!
    const { width, texels, places: at } = textureOf('ex')
    expect(textureOf('ex').texels).toEqual(texels)
    for (const c of at) expect(c >= 0 && c <= 1).toBe(true)
    // how much neighbours differ
    const differences = (by: number): number => {
      let sum = 0
      for (let y = 100; y < 700; y++) for (let x = 100; x < 700; x++) sum += Math.abs(texels[y * width + x]! - texels[y * width + x + by]!)
      return sum
    }
    expect(differences(width) / differences(1)).toBeGreaterThan(4)
    const still = textureOf('none', { none: 'ex * 0' })
    expect(still.texels.every((t) => t === 128)).toBe(true)
  })

  it('goes around corners of a closed surface, and needs a vector on a surface', () => {
    const steps = {
      all: step('outside', { what: 'all' }),
      t: step('texture', { variable: 'U' }, { on: [{ step: 'all' }] }),
      odd: step('texture', { variable: 'f' }, { on: [{ step: 'all' }] }),
      none: step('texture', { variable: 'U' }, { on: [{ step: 'far' }] }),
      far: slice({ origin: [0, 0, 9] }),
    }
    const evaluation = evaluated(steps)
    const { texels, places: at } = evaluation.shape('t').texture!
    const mean = texels.reduce((sum, t) => sum + t, 0) / texels.length
    expect(mean).toBeGreaterThan(118)
    expect(mean).toBeLessThan(138)
    expect(at).toHaveLength(2 * evaluation.shape('t').elements.length)
    expect(() => evaluation.shape('odd')).toThrow(/is no vector/)
    expect(evaluation.shape('none').cells).toHaveLength(0)
  })
})

describe('lines drawn by hand', () => {
  it('have their lengths, and streamlines start on them, on surfaces and at points', () => {
    const trace = (seeds: string): Steps[string] =>
      step(
        'trace',
        { variable: 'U', count: 20, direction: 'downstream', length: 1, tolerance: 1e-6 },
        { ...water, seeds: [{ step: seeds }] },
      )
    const steps = {
      ring: step('circle', { origin: [0.5, 0.5, 0.5], normal: [0, 1, 1], radius: 0.25 }, {}),
      round: measured('size', on('ring')),
      dots: step(
        'points',
        {
          places: [
            [0.1, 0.2, 0.3],
            [0.4, 0.5, 0.6],
          ],
          joined: 'single',
        },
        {},
      ),
      closed: step(
        'points',
        {
          places: [
            [0, 0, 0],
            [1, 0, 0],
            [1, 1, 0],
          ],
          joined: 'closed',
        },
        {},
      ),
      edge: measured('size', on('closed')),
      cut: slice({ origin: [0.2, 0, 0], normal: [1, 0, 0] }),
      ...{ a: trace('ring'), b: trace('dots'), c: trace('cut') },
    }
    const evaluation = evaluated(steps)
    expect(evaluation.reading('round').value).toBeCloseTo(2 * Math.PI * 0.25, 3)
    expect(evaluation.reading('edge').value).toBeCloseTo(2 + Math.SQRT2, 12)
    expect(evaluation.shape('a').paths!.length - 1).toBe(20)
    expect(evaluation.shape('b').paths!.length - 1).toBe(2)
    const { paths, points } = evaluation.shape('c')
    expect(paths!.length - 1).toBeGreaterThan(14)
    for (const start of paths!.subarray(0, -1)) expect(points[3 * start]).toBeCloseTo(0.2, 9)
  })
})
