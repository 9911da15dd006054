/** Surfaces between two regions: loads are those of the region that has the pressure, and each region has its own values on its side. */
import { describe, expect, it } from 'vitest'
import type { CaseData } from '../../../core/case/CaseData'
import { normaliseCells } from '../../../core/mesh/normaliseCells'
import { skinOf } from '../../../core/mesh/skin'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { evaluatorFor } from '../../support/evaluation'
import { atPoints, boxKinds, boxMesh, testCase } from '../../support/meshes'
import type { BoxKind } from '../../support/meshes'

const SIZE = [2, 1, 0.5] as const
const pressure = (_x: number, _y: number, z: number): number => 100 + 8 * z

/** A box of water whose skin points out of `owners[0]`, as that of a surface between regions does. */
function between(kind: BoxKind, owners: string[]): CaseData {
  const mesh = boxMesh({ n: 4, kind, size: SIZE, skew: 0.2 })
  const water = testCase(mesh, {
    p: { values: atPoints(mesh, pressure), components: 1, unit: 'Pa' },
    T: { values: atPoints(mesh, (x) => 280 + x), components: 1, unit: 'K' },
  })
  const skin = skinOf(mesh)
  const faces = Array.from(skin.cells, (_, f) => [...skin.nodes.subarray(skin.starts[f]!, skin.starts[f + 1]!)])
  const turned = owners[0] === 'Water' ? faces : faces.map((face) => face.reverse())
  const source = { points: skin.points, offsets: skin.starts, connectivity: Uint32Array.from(turned.flat()) }
  const own = normaliseCells({ ...source, types: Uint8Array.from(faces, ({ length }) => (length === 3 ? 5 : 9)) }, 'test')
  const side = new MemoryPart('Side', 2, own)
  side.setField('p', { values: atPoints(own, pressure), components: 1, place: 'point' })
  const { catalogue } = water
  const [part] = catalogue.parts
  return {
    catalogue: {
      ...catalogue,
      parts: [part!, { ...part!, name: 'Side', dimension: 2, cells: own.types.length, owners }],
      fields: catalogue.fields.map((field) => ({ ...field, parts: field.name === 'p' ? ['Water', 'Side'] : ['Water'] })),
    },
    part: (name) => (name === 'Side' ? side : water.part(name)),
  }
}

describe.each(boxKinds)('the load of water in a box of %s cells', (kind) => {
  it.each([[['Water']], [['Water', 'Arm']], [['Arm', 'Water']]])('on a surface of %s presses outwards', (owners) => {
    const settings = { quantity: 'force', source: 'pressure', pressure: 'p', shear: 'p', stress: 'p', about: [0, 0, 0] }
    const steps = { m: { kind: 'force', settings, inputs: { on: [{ part: 'Side' }] } } }
    const reading = evaluatorFor(between(kind, owners), steps).reading('m')
    // the integral of p n over a closed surface is that of its slope over the volume
    expect(reading.components!['z']).toBeCloseTo(8 * 2 * 1 * 0.5, 9)
    expect(reading.components!['x']).toBeCloseTo(0, 9)
    expect(reading.madeOf.at(-1)).toBe('the normal is out of Water')
  })
})

describe.each(boxKinds)('the side of water at a border of %s cells', (kind) => {
  const data = between(kind, ['Arm', 'Water'])
  const of = [{ part: 'Water' }]
  const plane = {
    form: 'plane',
    cells: 'cut',
    side: 'outside',
    origin: [0.9, 0, 0],
    normal: [1, 0, 0],
    low: [0, 0, 0],
    high: [1, 1, 1],
    radius: 1,
  }
  const measured = (quantity: string, step: string) => ({
    kind: 'measure',
    settings: { quantity, variable: 'T' },
    inputs: { of: [{ step }] },
  })
  const side = (inputs: object) => ({ kind: 'outside', settings: { what: 'side' }, inputs: { on: [{ part: 'Side' }], ...inputs } })
  const steps = {
    half: { kind: 'clip', settings: plane, inputs: { of } },
    whole: side({ of }),
    part: side({ of: [{ step: 'half' }] }),
    theirs: { kind: 'outside', settings: { what: 'all' }, inputs: { of, on: [{ part: 'Side' }] } },
  }
  const read = (quantity: string, step: string) => evaluatorFor(data, { ...steps, m: measured(quantity, step) }).reading('m').value

  it('has the values of the water, of which the surface itself has none, without what a cut laid open', () => {
    // cells of a skewed box have warped faces, which lose nothing
    expect(read('size', 'whole')).toBeCloseTo(7, 9)
    expect(read('size', 'part')).toBeCloseTo(0.5 + 2 * 0.9 + 0.9, 9)
    expect(read('min', 'part')).toBeCloseTo(280, 9)
    expect(read('max', 'part')).toBeCloseTo(280.9, 9)
    expect(() => read('mean', 'theirs')).toThrow(/There is no field or formula “T”/)
  })
})
