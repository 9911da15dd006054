/** Each caution of the data check, with what a click may settle, and none for a case in order. */
import { describe, expect, it } from 'vitest'
import type { Catalogue, Field, Moment, Part } from '../../../core/case/catalogue'
import { boxSize, checkCautions, fieldKey, timeGaps } from '../../../core/check/cautions'
import type { CheckedCase } from '../../../core/check/cautions'
import type { FieldFigures } from '../../../core/check/fieldFigures'
import type { PartFigures } from '../../../core/check/partFigures'

const water: Part = {
  ...{ name: 'Water', dimension: 3, cells: 8, points: 27, cellTypes: { hexahedron: 8 }, bounds: [0, 0, 0, 2, 3, 4] },
  material: { name: 'water', constants: { density: 998 } },
}
const wall = (own: Partial<Part> = {}): Part => ({
  ...{ name: 'Wall', dimension: 2, cells: 24, points: 26, cellTypes: { quadrilateral: 24 }, bounds: [0, 0, 0, 2, 3, 4] },
  ...{ owners: ['Water'], role: { is: 'wall' as const, from: 'user' as const } },
  ...own,
})
const field = (name: string, own: Partial<Field> = {}): Field => ({
  ...{ name, place: 'point', kind: 'scalar', components: 1, numberType: 'Float64', unit: 'K', unitFrom: 'file' },
  ...{ parts: ['Water'], moments: [0], ...own },
})
const moment = (index: number, value: number | null = null): Moment => ({
  ...{
    index,
    kind: value === null ? ('index' as const) : ('time' as const),
    label: `${value ?? index}`,
    value,
    unit: value === null ? null : 's',
  },
  ...{ topology: 0, coordinates: 0 },
})
const sound = { size: 24, skinArea: 52, negative: 0, empty: 0, doublePoints: 0, unusedPoints: 0, openEdges: 0 } as unknown as PartFigures
const figures = (min: number | null, max: number | null, own: Partial<FieldFigures> = {}): FieldFigures =>
  ({ min, max, notANumber: 0, infinite: 0, ...own }) as FieldFigures

interface Given {
  catalogue?: Partial<Catalogue>
  parts?: Record<string, Partial<PartFigures>>
  fields?: Record<string, FieldFigures>
  flows?: Record<string, { flux: number; area: number; speed: number }>
}

function cautions({ catalogue, parts = { Water: {} }, fields = {}, flows = {} }: Given) {
  const checked: CheckedCase = {
    catalogue: {
      ...{ format: 'Test', lengthUnit: 'm', lengthUnitFrom: 'file', timeUnit: 's', parts: [water], sets: [], interfaces: [] },
      ...{ fields: [], moments: [moment(0)], cautions: [], ...catalogue },
    },
    parts: new Map(Object.entries(parts).map(([name, own]) => [name, { ...sound, ...own }])),
    fields: new Map(Object.entries(fields).map(([name, own]) => [fieldKey('Water', name), own])),
    flows: new Map(Object.entries(flows)),
  }
  return checkCautions(checked)
}

const texts = (given: Given): string[] => cautions(given).map(({ text }) => text)

describe('the data check', () => {
  it('has nothing to say of a case in order but that it is', () => {
    expect(cautions({})).toEqual([{ level: 'note', text: 'No cell is inside out or empty, and no mesh is cracked.' }])
    // nor that much before all parts were looked at
    expect(cautions({ parts: {} })).toEqual([])
  })

  it('asks for the unit of length with the size of the box, which a table of rows does not need', () => {
    const [found] = cautions({ catalogue: { lengthUnitFrom: 'guess' } })
    expect(found!.text).toBe('The file names no unit of length. The box is 2 × 3 × 4.')
    expect(found!.mend!.map(({ lengthUnit }) => lengthUnit)).toEqual(['m', 'mm', 'cm', 'in'])
    const rows: Part = { ...water, dimension: 0, abscissa: { name: 't', unit: 's' } }
    expect(texts({ catalogue: { lengthUnitFrom: 'guess', parts: [rows] } })).toEqual([])
    expect(boxSize({ parts: [{ ...water, bounds: [null, null, null, null, null, null] }] } as unknown as Catalogue)).toBeNull()
  })

  it('names units that are guessed, with the range and others that may be meant, and those that are unknown', () => {
    const guessed = field('T', { unitFrom: 'guess' })
    const [found] = cautions({ catalogue: { fields: [guessed] }, fields: { T: figures(280, 300) } })
    expect(found!.text).toBe('The unit of T is a guess. 280 … 300 fits K.')
    expect(found!.mend!.map(({ label, units }) => [label, units])).toEqual([
      ['It is K', { T: 'K' }],
      ['°C', { T: '°C' }],
    ])
    const kinematic = field('p', { unit: 'm²/s²', unitFrom: 'guess' })
    expect(texts({ catalogue: { fields: [kinematic] } })[0]).toBe('p looks like pressure divided by density.')
    const unknown = (n: number) => Array.from({ length: n }, (_, i) => field(`q${i}`, { unit: null }))
    expect(texts({ catalogue: { fields: unknown(1) }, fields: { q0: figures(1, 2) } })[0]).toBe('The unit of q0 (1 … 2) is unknown.')
    expect(texts({ catalogue: { fields: unknown(3) } })[0]).toBe('The units of q0, q1 and q2 are unknown.')
    expect(texts({ catalogue: { fields: unknown(9) } })[0]).toBe('The units of q0, q1, q2, q3, q4, q5 and 3 more are unknown.')
  })

  it('offers to join components', () => {
    const parts = ['ux', 'uy', 'uz'].map((name) => field(name, { unit: 'm/s' }))
    const found = cautions({ catalogue: { fields: parts } }).find(({ mend }) => mend?.some(({ join }) => join))
    expect(found!.text).toBe('ux, uy, uz look like the components of one vector.')
    expect(found!.mend![0]!.join!.from).toEqual(['ux', 'uy', 'uz'])
  })

  it('tells of moments at which fields are missing, together, and makes less of the beginning', () => {
    const moments = [0, 1, 2, 3].map((t) => moment(t, t))
    const late = ['T', 'p'].map((name) => field(name, { moments: [1, 2, 3] }))
    expect(cautions({ catalogue: { fields: late, moments } })[0]).toEqual({ level: 'note', text: 'At 0 s the fields T and p are missing.' })
    const holes = field('T', { moments: [1] })
    expect(cautions({ catalogue: { fields: [holes], moments } })[0]).toEqual({
      level: 'caution',
      text: 'At 0 s, 2 s, 3 s the field T is missing.',
    })
  })

  it('finds gaps in the times, and times that go back', () => {
    expect(timeGaps([0, 1, 2, 5, 6, 7])).toEqual([2])
    expect(timeGaps([0, 10])).toEqual([])
    const at = (...times: number[]) => texts({ catalogue: { moments: times.map((t, i) => moment(i, t)) } })
    expect(at(0, 1, 2, 5, 6, 7)[0]).toBe('The times have a gap: after 2 s the step is more than twice the usual one.')
    expect(at(0, 1, 2, 1, 2, 3)[0]).toMatch(/^The times do not increase everywhere/)
  })

  it('counts values that are none, and names what is the same everywhere', () => {
    const fields = ['T', 'p'].map((name) => field(name))
    const found = cautions({ catalogue: { fields }, fields: { T: figures(1, 2, { notANumber: 1200, infinite: 1 }), p: figures(3, 3) } })
    expect(found.map(({ level, text }) => [level, text.replaceAll('\u2009', ' ')]).slice(0, 2)).toEqual([
      ['caution', 'T of Water has 1 200 values that are not numbers and 1 infinite one; they are left out of sums and ranges.'],
      ['note', 'Everywhere in Water: p is 3.'],
    ])
  })

  it.each<[string, Partial<PartFigures>, RegExp]>([
    ['inside out', { negative: 1 }, /^Water has 1 cell of negative size/],
    ['without size', { empty: 2 }, /^Water has 2 cells without any size/],
    ['cracked', { doublePoints: 5 }, /5 points that lie on another one: its mesh may be cracked/],
    ['with points that nothing uses', { unusedPoints: 1 }, /^1 point of Water is used by no cell/],
  ])('says of a mesh that it is %s', (_, own, text) => {
    expect(texts({ parts: { Water: own } })[0]).toMatch(text)
  })

  it('says which cells were turned, what is guessed, and what lacks a density', () => {
    expect(texts({ catalogue: { parts: [{ ...water, turnedCells: 1 }] } })[0]).toMatch(/1 cell of Water was inside out .* has been turned/)
    const guessed = wall({ role: { is: 'wall', from: 'guess' } })
    const roles = cautions({ catalogue: { parts: [water, guessed] }, parts: {} })[0]!
    expect(roles.text).toBe('What Wall is for is a guess by name and flow.')
    expect(roles.mend![0]!.roles).toEqual({ Wall: 'wall' })
    const { material: _, ...bare } = water
    expect(texts({ catalogue: { parts: [bare] }, parts: {} })).toEqual(['Water has no density: mass flows need one.'])
    const rho = field('rho', { unit: 'kg/m³' })
    expect(texts({ catalogue: { parts: [bare], fields: [rho] }, parts: {} })).toEqual([])
  })

  it('holds what flows in against what flows out, by the side on which the region is', () => {
    const U = field('U', { components: 3, kind: 'vector', unit: 'm/s' })
    const parts = [water, wall({ name: 'Inlet' }), wall({ name: 'Outlet', owners: ['Rock', 'Water'] })]
    const through = (inlet: number, outlet: number) =>
      texts({
        catalogue: { parts, fields: [U] },
        parts: {},
        flows: { Inlet: { flux: inlet, area: 1, speed: 1 }, Outlet: { flux: outlet, area: 1, speed: 1 } },
      })[0]
    // the outlet is turned out of the rock: into the water
    expect(through(-2, -2)).toBe('What flows into Water flows out again, to 0 % (U over its surfaces: 2 in, 2 out).')
    expect(through(-2, -1)).toMatch(/^What flows into Water does not flow out \(U over its surfaces: 2 in, 1 out\)/)
    // rounding is no flow
    expect(through(-1e-9, 1e-9)).toBeUndefined()
  })
})
