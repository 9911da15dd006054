/** Formulas in axes of the study, and of what depends on the place: distances, volumes of cells, lengths along lines, slopes on walls. */
import { describe, expect, it } from 'vitest'
import type { CaseData } from '../../../core/case/CaseData'
import type { Plan } from '../../../core/evaluate/plan'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { skinOf } from '../../../core/mesh/skin'
import { packTriangles, TriangleTree } from '../../../core/mesh/TriangleTree'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { Evaluation, planFor } from '../../support/evaluation'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import type { BoxKind } from '../../support/meshes'

const SIZE = [2, 1, 0.5] as const
const OMEGA = 2 * Math.PI * 0.5

const fields = {
  /** Turns about the z axis through (-1, 0, 0), and rises. */
  spin: (x: number, y: number) => [-OMEGA * y, OMEGA * (x + 1), 3],
  linear: (x: number, y: number, z: number) => [1 + x, 2 - y, 3 * z],
  stress: (x: number) => [x, 2, 3, 4, 5, 6],
}

/** A box of water with its skin as a wall, and fields on both. */
function boxWithWall(kind: BoxKind): CaseData {
  const mesh = boxMesh({ n: 4, kind, size: SIZE, skew: 0 })
  const water = testCase(mesh, {
    spin: { values: atPoints(mesh, fields.spin), components: 3, unit: 'm/s' },
    linear: { values: atPoints(mesh, fields.linear), components: 3, unit: 'm/s' },
    stress: { values: atPoints(mesh, fields.stress), components: 6, unit: 'Pa' },
    one: { values: new Float64Array(mesh.types.length).fill(1), components: 1, place: 'cell', unit: '1' },
    e: {
      values: Float64Array.from({ length: 3 * mesh.types.length }, (_, i) => Number(i % 3 === 0)),
      components: 3,
      place: 'cell',
      unit: '1',
    },
  })
  const skin = skinOf(mesh)
  const sizes = Array.from(skin.cells, (_, f) => skin.starts[f + 1]! - skin.starts[f]!)
  const source = {
    ...{ points: skin.points, offsets: skin.starts, connectivity: skin.nodes },
    types: Uint8Array.from(sizes, (n) => (n === 3 ? 5 : 9)),
  }
  const own = normaliseCells(source, 'test')
  const wall = new MemoryPart('Wall', 2, own)
  wall.setField('linear', { values: atPoints(own, fields.linear), components: 3, place: 'point' })
  const [part] = water.catalogue.parts
  const { catalogue } = water
  // there is a solid behind the wall, which has no velocity
  const owners = ['Arm', 'Water']
  return {
    catalogue: {
      ...catalogue,
      parts: [
        { ...part!, material: { name: 'water', constants: { viscosity: 2 } } },
        { ...part!, name: 'Wall', dimension: 2, cells: own.types.length, owners, role: { is: 'wall', from: 'name' } },
      ] as never,
      fields: catalogue.fields.map((field) => ({ ...field, ...(field.name === 'linear' && { parts: ['Water', 'Wall'] }) })),
    },
    part: (name) => (name === 'Wall' ? wall : water.part(name)),
  }
}

const axes: NonNullable<Plan['axes']> = {
  tank: { name: 'Tank', kind: 'cylindrical', origin: [-1, 0, 0], z: [0, 0, 2], x: [1, 0, 5], rotation: 0 },
  rotor: { name: 'Rotor', kind: 'cylindrical', origin: [-1, 0, 0], z: [0, 0, 1], x: [1, 0, 0], rotation: 0.5 },
  ball: { name: 'Ball', kind: 'spherical', origin: [-1, -1, -1], z: [0, 0, 1], x: [1, 0, 0], rotation: 0 },
  tilted: { name: 'Tilted', kind: 'cartesian', origin: [1, 0, 0], z: [1, 0, 0], x: [0, 1, 0], rotation: 0 },
}

describe.each(boxKinds)('in a box of %s cells', (kind) => {
  const data = boxWithWall(kind)
  const evaluator = (steps: Plan['steps'] = {}) => new Evaluation(data, { ...planFor(data, steps), axes })
  const mean = (text: string, on = 'Water') => evaluator().measure(`mean(${text})`, [on])

  it.each<[string, number, string]>([
    // what turns about the axis only goes around, by ω r
    ['in("Tank", spin).r', 0, 'm/s'],
    [`in("Tank", spin).t - radius("Tank") * ${OMEGA} '1/s'`, 0, 'm/s'],
    ['in("Tank", spin).z', 3, 'm/s'],
    // seen from axes that turn with it, it stands still
    ['in("Rotor", spin).t', 0, 'm/s'],
    ['mag(relative("Rotor", spin)) - 3 \'m/s\'', 0, 'm/s'],
    ['mag(absolute("Rotor", relative("Rotor", linear)) - linear)', 0, 'm/s'],
    ['mag(in("Rotor", linear)) - mag(relative("Rotor", linear))', 0, 'm/s'],
    ['in("Tilted", linear).x', 1.5, 'm/s'],
    ['in("Tilted", linear).y', 0.75, 'm/s'],
    ['in("Tilted", linear).z', 2, 'm/s'],
    ['in("Tilted", stress).xx', 2, 'Pa'],
    ['in("Tilted", stress).xy', 5, 'Pa'],
    ['in("Tilted", stress).xz', 4, 'Pa'],
    ['in("Tilted", stress).zz', 1, 'Pa'],
    // what does not change when axes turn
    ['trace(in("Tank", stress)) - trace(stress)', 0, 'Pa'],
    ['det(in("Ball", grad(linear))) - det(grad(linear))', 0, 's⁻³'],
    ['mag(in("Ball", linear)) - mag(linear)', 0, 'm/s'],
    // on cells by their centroids: outwards, x is its cosine
    ['in("Tank", e).r - cos(atan2(cells(pos).y, cells(pos).x + 1 \'m\'))', 0, '1'],
    ["in(\"Ball\", pos + vec(1 'm', 1 'm', 1 'm')).r - radius(\"Ball\")", 0, 'm'],
    ['height("Tilted")', 0, 'm'],
    ['sin(angle("Tank")) - pos.y / radius("Tank")', 0, '1'],
  ])('%s is %d', (text, value, unit) => {
    const found = mean(text)
    expect(found.value).toBeCloseTo(value, 9)
    expect(found.unit).toBe(unit)
  })

  it('a reading of a vector in axes has components by their names', () => {
    const m = { kind: 'measure', inputs: { of: [{ part: 'Water' }] }, settings: { quantity: 'mean', variable: 'in("Tank", spin)' } }
    const { components } = evaluator({ m }).reading('m')
    expect(Object.keys(components!)).toEqual(['r', 't', 'z'])
    expect(components!['z']).toBeCloseTo(3, 10)
  })

  it('distances to walls are those to the sides of the box', () => {
    const nearest = "min(min(pos.x, 2 'm' - pos.x), min(pos.y, 1 'm' - pos.y, pos.z, 0.5 'm' - pos.z))"
    expect(mean(`abs(distance() - ${nearest})`).value).toBeCloseTo(0, 12)
    expect(mean('distance("Wall")').unit).toBe('m')
    expect(mean('distance()', 'Wall').value).toBeCloseTo(0, 12)
  })

  it('volumes of cells add up to that of the box', () => {
    expect(evaluator().measure('sum(cellvolume)', ['Water']).value).toBeCloseTo(1, 12)
    expect(() => mean('cellvolume', 'Wall')).toThrow(/cells of a region/)
  })

  it('lengths along a line begin at its end', () => {
    const steps: Plan['steps'] = {
      cut: { kind: 'slice', inputs: { of: [{ part: 'Water' }] }, settings: { origin: [0, 0, 0.2], normal: [0, 0, 1] } },
      line: { kind: 'slice', inputs: { of: [{ step: 'cut' }] }, settings: { origin: [0, 0.4, 0], normal: [0, 1, 0] } },
      m: { kind: 'measure', inputs: { of: [{ step: 'line' }] }, settings: { quantity: 'mean', variable: 'arclength' } },
    }
    const reading = evaluator(steps).reading('m')
    expect(reading.value).toBeCloseTo(1, 10)
    const onSurface = { ...steps, m: { ...steps['m']!, inputs: { of: [{ step: 'cut' }] } } }
    expect(() => evaluator(onSurface).reading('m')).toThrow(/exists on lines only/)
  })

  it('slopes on a wall are those of the cells behind it: wall shear', () => {
    expect(mean('grad(linear).xx', 'Wall').value).toBeCloseTo(1, 10)
    // μ (∇U + ∇Uᵀ) · n: 2 μ times the diagonal, along the normal of each side; their sum over the closed box is nothing
    const shear = 'viscosity * dot(grad(linear) + transpose(grad(linear)), normal)'
    const side = evaluator().measure(`mean(dot(${shear}, normal) / (normal.x^2 * 4 - normal.y^2 * 4 + normal.z^2 * 12))`, ['Wall'])
    expect(side.value).toBeCloseTo(1, 9)
    expect(side.unit).toBe('Pa')
  })

  it('through a surface a vector weighs by its flow', () => {
    const through = 'integral(linear.x * dot(linear, normal), on = "Wall") / integral(dot(linear, normal), on = "Wall")'
    expect(mean('one * mean(linear.x, by = linear, on = "Wall")').value).toBeCloseTo(mean(`one * ${through}`).value, 9)
  })

  it.each<[string, RegExp]>([
    ['in("Pump", linear)', /There are no axes “Pump”; there are “Tank”, “Rotor”, “Ball”, “Tilted”/],
    ['relative("Rotor", stress)', /relative takes a velocity, a vector in m\/s/],
    ['relative("Tank", linear)', /The axes “Tank” do not turn; give them turns per second/],
    ['in("Tank", one)', /takes a vector or a tensor, but this is a scalar/],
    ['in(linear)', /Write it as in\("Axes", e\)/],
    ['in("Tank", linear).x', /no component “x”; it has r, t, z/],
    ['distance("Roof")', /There is no surface “Roof”/],
    ['distance(linear)', /Write it as distance\(\)/],
    ['percentile(one)', /Write it as percentile\(e, 95\)/],
    ['percentile(one, 120)', /from 0 to 100/],
    ['one - sum(one, by = one)', /sum takes the option on = "…", not “by”/],
    ['one - mean(one, weight = one)', /mean takes the options on = "…" and by = …, not “weight”/],
    ['one - mean(one, by = linear)', /by takes a scalar, but this is a vector/],
  ])('%s says what is wrong', (text, message) => expect(() => mean(text)).toThrow(message))
})

describe('nearest triangles', () => {
  it('are found as by trying all of them', () => {
    let seed = 1
    const random = (): number => ((seed = (seed * 16807) % 2147483647), seed / 2147483647)
    const corners = Float64Array.from({ length: 9 * 300 }, random)
    const tree = new TriangleTree(packTriangles(corners))
    const each = Array.from({ length: 300 }, (_, t) => new TriangleTree(packTriangles(corners.slice(9 * t, 9 * t + 9))))
    for (let i = 0; i < 200; i++) {
      const p = [3 * random() - 1, 3 * random() - 1, 3 * random() - 1] as const
      expect(tree.distance(...p)).toBeCloseTo(Math.min(...each.map((one) => one.distance(...p))), 12)
    }
    expect(new TriangleTree(packTriangles(new Float64Array(0))).distance(0, 0, 0)).toBe(Infinity)
  })

  it('are measured to the face, the edges and the corners', () => {
    const tree = new TriangleTree(packTriangles(Float64Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0)))
    expect(tree.distance(0.2, 0.2, 3)).toBeCloseTo(3, 14)
    expect(tree.distance(0.5, -2, 0)).toBeCloseTo(2, 14)
    expect(tree.distance(-3, 0.5, 0)).toBeCloseTo(3, 14)
    expect(tree.distance(1, 1, 0)).toBeCloseTo(Math.SQRT1_2, 14)
    expect(tree.distance(-3, -4, 0)).toBeCloseTo(5, 14)
    expect(tree.distance(3, 0, 0)).toBeCloseTo(2, 14)
    expect(tree.distance(0, 4, 0)).toBeCloseTo(3, 14)
  })
})
