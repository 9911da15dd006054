/** What is guessed of units, quantities, roles and components, and what is said of it. */
import { describe, expect, test } from 'vitest'
import { checkCautions, fieldKey, timeGaps } from '../../../core/check/cautions'
import { componentGroups } from '../../../core/check/components'
import { addedMoments, describeCase, keepDescription } from '../../../core/case/describeCase'
import { needsVersions, withVersions } from '../../../core/case/meshVersions'
import { roleByFlow, roleByName } from '../../../core/case/roles'
import { guessUnits } from '../../../core/case/unitGuesses'
import { dimensionKey, displayOf, quantities, quantityByName, quantityOf, unitChoices } from '../../../core/units/quantities'
import { parseUnit, sameDimensions } from '../../../core/units/units'
import { tellingMoment } from '../../../core/case/catalogue'
import type { Catalogue, Field } from '../../../core/case/catalogue'

function field(name: string, components = 1, more: Partial<Field> = {}): Field {
  return {
    name,
    place: 'point',
    kind: components === 3 ? 'vector' : 'scalar',
    components,
    numberType: 'Float64',
    unit: null,
    parts: ['Water'],
    moments: [0],
    ...more,
  }
}

function catalogue(fields: Field[], more: Partial<Catalogue> = {}): Catalogue {
  const bounds = [0, 0, 0, 8, 8, 2]
  return {
    ...{ format: 'test', lengthUnit: 'm', lengthUnitFrom: 'file', timeUnit: 's', sets: [], interfaces: [], cautions: [], fields },
    parts: [
      { name: 'Water', dimension: 3, cells: 10, points: 20, cellTypes: { tetra: 10 }, bounds },
      { name: 'Drain', dimension: 2, cells: 4, points: 5, cellTypes: { quad: 4 }, bounds, owners: ['Water'] },
    ],
    moments: [{ index: 0, kind: 'time', label: '0', value: 0, unit: 's', topology: 0, coordinates: 0 }],
    ...more,
  }
}

describe('quantities', () => {
  test.each([
    ['U', 3, 'velocity'],
    ['velocity', 3, 'velocity'],
    ['Velocity_X', 1, 'velocity'],
    ['p_rgh', 1, 'pressure'],
    ['T', 1, 'temperature'],
    ['NT11', 1, 'temperature'],
    ['DISP', 3, 'displacement'],
    ['STRESS', 6, 'stress'],
    ['von Mises', 1, 'stress'],
    ['k', 1, 'turbulent energy'],
    ['alpha.water', 1, 'plain number'],
    ['yPlus', 1, 'plain number'],
  ])('%s of %i components is %s', (name, components, quantity) => expect(quantityByName(name, components)?.name).toBe(quantity))

  test.each([
    ['p', 3],
    ['T', 3],
    ['banana', 1],
    ['constructor', 1],
  ])('%s of %i components is nothing known', (name, components) => expect(quantityByName(name, components)).toBeUndefined())

  test('the unit has the last word: p in m²/s² is a pressure over the density', () => {
    expect(quantityOf('p', 1, 'Pa')).toBe('pressure')
    expect(quantityOf('p', 1, 'kPa')).toBe('pressure')
    expect(quantityOf('p', 1, 'm²/s²')).toBe('pressure over density')
    expect(quantityOf('other', 1, 'm²/s²')).toBe('turbulent energy')
    expect(quantityOf('R', 6, 'm²/s²')).toBeNull()
    expect(quantityOf('whatever', 1, 'mm')).toBe('length')
    expect(quantityOf('whatever', 1, null)).toBeNull()
  })

  test.each(quantities.flatMap((q) => q.choices.map((choice) => [q.name, q.unit, choice] as const)))(
    '%s: %s can be shown in %s',
    (_, unit, choice) => {
      const dimensions = [parseUnit(unit)!.dimensions, parseUnit(choice)!.dimensions] as const
      expect(sameDimensions(...dimensions)).toBe(true)
    },
  )

  test('the unit of the file comes first among the choices', () => {
    expect(unitChoices('MPa').slice(0, 2)).toEqual(['MPa', 'Pa'])
    expect(unitChoices(null)).toEqual([])
  })

  test('values are shown in the unit chosen for their dimensions; differences of levels have no offset', () => {
    const chosen = { [dimensionKey(parseUnit('K')!.dimensions)]: '°C', [dimensionKey(parseUnit('Pa')!.dimensions)]: 'kPa' }
    const shown = (unit: string, x: number, isDifference = false): number => {
      const d = displayOf(unit, chosen, isDifference)!
      return d.factor * x + d.offset
    }
    expect(shown('K', 300)).toBeCloseTo(26.85, 10)
    expect(shown('K', 300, true)).toBe(300)
    expect(shown('°C', 20)).toBe(20)
    expect(shown('bar', 1.5)).toBeCloseTo(150, 10)
    expect(displayOf('m/s', chosen)).toEqual({ unit: 'm/s', factor: 1, offset: 0 })
    expect(displayOf(null, chosen)).toBeNull()
  })
})

describe('units of fields that name none', () => {
  const guess = (fields: Field[], ranges: Record<string, [number, number]>, more: Partial<Catalogue> = {}): Record<string, string> =>
    guessUnits(catalogue(fields, more), (name) => (ranges[name] ? { min: ranges[name][0], max: ranges[name][1] } : undefined))

  test.each([
    ['kelvin', [278, 291], 'K'],
    ['degrees Celsius', [5, 80], '°C'],
    ['degrees below zero', [-40, 10], '°C'],
    ['neither', [-400, 100], undefined],
  ] as const)('temperatures like %s', (_, range, unit) => expect(guess([field('T')], { T: [...range] })['T']).toBe(unit))

  test('a pressure of the size of the square of the speed is divided by density', () => {
    const fields = [field('p'), field('U', 3)]
    expect(guess(fields, { p: [-0.084, 0.146], U: [0, 0.62] })).toEqual({ p: 'm²/s²', U: 'm/s' })
    expect(guess(fields, { p: [-84, 146], U: [0, 0.62] })['p']).toBe('Pa')
    expect(guess(fields, { p: [101300, 101350], U: [0, 0.62] })['p']).toBe('Pa')
  })

  test('displacements are in the unit of length, stresses with it in mm in MPa', () => {
    const fields = [field('displacement', 3), field('stress', 6)]
    const ranges: Record<string, [number, number]> = { displacement: [0, 5], stress: [0, 100] }
    expect(guess(fields, ranges, { lengthUnit: 'mm' })).toEqual({ displacement: 'mm', stress: 'MPa' })
    expect(guess(fields, ranges, { lengthUnit: null })).toEqual({ stress: 'Pa' })
  })

  test('guesses follow the unit of length that is set later; what was set stays', () => {
    const fields = [
      field('displacement', 3),
      field('stress', 6, { unit: 'Pa', unitFrom: 'guess' }),
      field('T'),
      field('von_mises_stress', 1, { unit: 'kPa', unitFrom: 'user' }),
    ]
    const units = (lengthUnit: string | null): (string | null)[] =>
      describeCase(catalogue(fields, { lengthUnit: null }), { lengthUnit }).fields.map((f) => f.unit)
    expect(units('mm')).toEqual(['mm', 'MPa', null, 'kPa'])
    expect(units('m')).toEqual(['m', 'Pa', null, 'kPa'])
    expect(describeCase(catalogue(fields), { lengthUnit: 'mm' }).fields.map((f) => f.unitFrom)).toEqual([
      'guess',
      'guess',
      undefined,
      'user',
    ])
    expect(describeCase(catalogue(fields), { roles: {} }).fields).toEqual(fields)
  })

  test('what the file or the user says is left alone, as is what was never looked at', () => {
    expect(guess([field('T', 1, { unit: 'K', unitFrom: 'file' })], { T: [5, 6] })).toEqual({})
    expect(guess([field('T')], {})).toEqual({})
  })
})

describe('roles', () => {
  test.each([
    ['Inlet 1', 'inlet'],
    ['inflow_main', 'inlet'],
    ['outlet', 'outlet'],
    ['Drain', 'outlet'],
    ['symmetryPlane', 'symmetry'],
    ['cyclic_half0', 'periodic'],
    ['wall-bottom', 'wall'],
    ['Free surface', 'slip wall'],
    ['WallViscous', 'wall'],
    ['InflowSubsonic', 'inlet'],
    ['interior', undefined],
    ['empty', 'other'],
    ['Empty tank', undefined],
    ['wedge', 'symmetry'],
    ['mappedWall', 'interface'],
    ['Box', undefined],
    ['Pinion', undefined],
  ])('%s: %s', (name, role) => expect(roleByName(name)).toBe(role))

  test.each([
    [{ flux: 0, area: 2, speed: 0 }, 'wall'],
    [{ flux: 1e-9, area: 2, speed: 1 }, 'slip wall'],
    [{ flux: -1.5, area: 2, speed: 0.8 }, 'inlet'],
    [{ flux: 1.5, area: 2, speed: 0.8 }, 'outlet'],
  ] as const)('what flows %j makes a %s', (flow, role) => expect(roleByFlow(flow, 1)).toBe(role))

  test('nothing flows anywhere: no guess', () => expect(roleByFlow({ flux: 0, area: 1, speed: 0 }, 0)).toBeUndefined())
})

describe('components', () => {
  test.each([
    [['u', 'v', 'w'], [{ name: 'velocity', from: ['u', 'v', 'w'] }]],
    [['Uz', 'Ux', 'Uy'], [{ name: 'U', from: ['Ux', 'Uy', 'Uz'] }]],
    [['vel_x', 'vel_y', 'vel_z'], [{ name: 'vel', from: ['vel_x', 'vel_y', 'vel_z'] }]],
    [['Sxx', 'Syy', 'Szz', 'Sxy', 'Syz', 'Sxz'], [{ name: 'S', from: ['Sxx', 'Syy', 'Szz', 'Sxy', 'Syz', 'Sxz'] }]],
    [['u', 'v'], []],
    [['ax', 'by', 'cz'], []],
  ])('%j', (names, groups) => expect(componentGroups(catalogue(names.map((name) => field(name))))).toEqual(groups))

  test('scalars on other parts do not belong together', () => {
    expect(componentGroups(catalogue([field('u'), field('v'), field('w', 1, { parts: ['Arm'] })]))).toEqual([])
  })

  test('joined, they are one field more; taken apart, it is left without parts so that the others keep their places', () => {
    const scalars = catalogue(['u', 'v', 'w', 'T'].map((name) => field(name)))
    const joined = describeCase(scalars, { join: { name: 'velocity', from: ['u', 'v', 'w'] } })
    expect(joined.fields[4]).toMatchObject({ name: 'velocity', components: 3, kind: 'vector', from: ['u', 'v', 'w'] })
    expect(componentGroups(joined)).toEqual([])
    const apart = describeCase(joined, { unjoin: 'velocity' })
    expect(apart.fields).toHaveLength(5)
    expect(apart.fields[4]!.parts).toEqual([])
    expect(describeCase(apart, { join: { name: 'velocity', from: ['u', 'v', 'w'] } }).fields).toEqual(joined.fields)
    expect(() => describeCase(scalars, { join: { name: 'T', from: ['u', 'v', 'w'] } })).toThrow('already')
    expect(() => describeCase(scalars, { join: { name: 'x', from: ['u', 'v', 'nowhere'] } })).toThrow('not three or six scalars')
  })
})

describe('what was said of a case', () => {
  const known = describeCase(catalogue([field('T'), field('U', 3)]), {
    lengthUnit: 'mm',
    units: { T: '°C' },
    roles: { Drain: 'outlet' },
    materials: { Water: { name: 'water', constants: { density: 1000 } } },
  })

  test('is kept when it is read again', () => {
    const again = keepDescription(catalogue([field('U', 3), field('T')]), known)
    expect(again.lengthUnit).toBe('mm')
    expect(again.fields[1]).toMatchObject({ name: 'T', unit: '°C', unitFrom: 'user' })
    expect(again.parts[0]!.material!.constants['density']).toBe(1000)
    expect(again.parts[1]!.role).toEqual({ is: 'outlet', from: 'user' })
  })

  test('of a table, what its rows stand along has the unit that was said; what is no table has none', () => {
    const [table] = catalogue([]).parts
    const rows = catalogue([field('p')], { parts: [{ ...table!, name: 'table', dimension: 0, abscissa: { name: 'angle', unit: null } }] })
    const said = describeCase(rows, { abscissae: { table: '°', Water: 'm' } })
    expect(said.parts[0]!.abscissa).toEqual({ name: 'angle', unit: '°', unitFrom: 'user' })
    expect(keepDescription(rows, said).parts).toEqual(said.parts)
    expect(describeCase(known, { abscissae: { Water: 'm' } }).parts[0]!.abscissa).toBeUndefined()
    expect(() => describeCase(rows, { abscissae: { table: 'furlong' } })).toThrow('not a unit')
  })

  test('joined fields keep their places in the list, those taken apart as well', () => {
    const names = ['u', 'v', 'w', 'a', 'b', 'c']
    const fresh = catalogue(names.map((name) => field(name)))
    const both = describeCase(describeCase(fresh, { join: { name: 'first', from: ['u', 'v', 'w'] } }), {
      join: { name: 'second', from: ['a', 'b', 'c'] },
    })
    const apart = describeCase(describeCase(both, { unjoin: 'first' }), { units: { second: 'm/s' } })
    const again = keepDescription(catalogue(names.map((name) => field(name))), apart)
    expect(again.fields.map((f) => f.name)).toEqual(apart.fields.map((f) => f.name))
    expect(again.fields[6]!.parts).toEqual([])
    expect(again.fields[7]).toMatchObject({ name: 'second', unit: 'm/s', unitFrom: 'user', parts: ['Water'] })
  })

  test('does not name what is no unit', () => expect(() => describeCase(known, { units: { T: 'furlong' } })).toThrow('not a unit'))

  test('new moments are counted; another mesh, field or time means reading anew', () => {
    const time = (index: number, value: number): Catalogue['moments'][number] => ({
      index,
      kind: 'time',
      label: `${value}`,
      value,
      unit: 's',
      topology: 0,
      coordinates: 0,
    })
    const old = catalogue([field('T')], { moments: [time(0, 0), time(1, 1)] })
    expect(addedMoments(old, catalogue([field('T')], { moments: [time(0, 0), time(1, 1), time(2, 2)] }))).toBe(1)
    expect(addedMoments(old, old)).toBe(0)
    expect(addedMoments(old, catalogue([field('T')], { moments: [time(0, 0.5), time(1, 1)] }))).toBeNull()
    expect(addedMoments(old, catalogue([field('T'), field('k')], { moments: old.moments }))).toBeNull()
    expect(addedMoments(old, catalogue([field('T')], { moments: old.moments, parts: [] }))).toBeNull()
  })
})

describe('cautions', () => {
  const looked = { parts: new Map(), fields: new Map(), flows: new Map() }
  const texts = (c: Catalogue, more = {}): string =>
    checkCautions({ catalogue: c, ...looked, ...more })
      .map((x) => x.text)
      .join('\n')
  const figures = { min: 278, mean: 280, max: 291, minAt: null, maxAt: null, notANumber: 0, infinite: 0, componentRanges: [], spread: [] }

  test('an unknown unit of length is asked for beside the box', () => {
    expect(texts(catalogue([], { lengthUnit: null, lengthUnitFrom: 'guess' }))).toContain('The box is 8 × 8 × 2.')
  })

  test('a guess says what it rests on', () => {
    const fields = new Map([[fieldKey('Water', 'T'), figures]])
    expect(texts(catalogue([field('T', 1, { unit: 'K', unitFrom: 'guess' })]), { fields })).toContain('278 … 291 fits K')
  })

  test('not-a-number, missing moments and flows that do not close are named', () => {
    const fields = new Map([[fieldKey('Water', 'T'), { ...figures, notANumber: 1, infinite: 2 }]])
    expect(texts(catalogue([field('T', 1, { unit: 'K' })]), { fields })).toContain('1 value that is not a number and 2 infinite ones')
    expect(
      texts(
        catalogue([field('T', 1, { moments: [] }), field('U', 3)], {
          moments: [0, 1].map((index) => ({ ...catalogue([]).moments[0]!, index, label: `${index}0` })),
        }),
      ),
    ).toContain('At 10 s the field U is missing')
    const flows = new Map([['Drain', { flux: 1, area: 2, speed: 1 }]])
    expect(texts(catalogue([field('U', 3)]), { flows })).toContain('does not flow out (U over its surfaces: 0 in, 1 out)')
  })

  test('fields that are missing together are named together; what begins with the run is a note', () => {
    const times = [0, 1, 2, 3].map((index) => ({
      ...catalogue([]).moments[0]!,
      index,
      kind: 'time',
      label: `${index}`,
      value: index,
      unit: 's',
    }))
    const found = checkCautions({
      catalogue: catalogue(
        [
          field('T', 1),
          field('U', 3, { moments: [1, 2, 3] }),
          field('p', 1, { moments: [1, 2, 3] }),
          field('k', 1, { moments: [0, 1] }),
        ].map((f) => ({ ...f, moments: f.name === 'T' ? [0, 1, 2, 3] : f.moments })),
        { moments: times },
      ),
      parts: new Map(),
      fields: new Map(),
      flows: new Map(),
    })
    expect(found.filter((c) => c.text.includes('missing'))).toEqual([
      { level: 'note', text: 'At 0 s the fields U and p are missing.' },
      { level: 'caution', text: 'At 2 s, 3 s the field k is missing.' },
    ])
  })

  test('what is the same everywhere is named once for each part', () => {
    const same = { ...figures, min: 2, mean: 2, max: 2 }
    const fields = new Map([
      [fieldKey('Water', 'T'), same],
      [fieldKey('Water', 'U'), same],
    ])
    expect(texts(catalogue([field('T', 1), field('U', 3)]), { fields })).toContain('Everywhere in Water: T is 2, U is 2.')
  })

  test.each([
    ['time', 3],
    ['mode', 0],
    ['index', 0],
  ])('of moments that are each a %s, number %i says most at first', (kind, telling) => {
    expect(tellingMoment({ moments: [0, 1, 2, 3].map((index) => ({ ...catalogue([]).moments[0]!, index, kind })) })).toBe(telling)
  })

  test.each([
    [[0, 1, 2, 5, 6], [2]],
    [[0, 1, 2, 3], []],
    [[0, 10], []],
  ])('gaps in %j', (times, gaps) => expect(timeGaps(times)).toEqual(gaps))
})

describe('versions of the mesh', () => {
  const moving = (versions: number[]): Catalogue =>
    catalogue([], {
      moments: versions.map((v, index) => ({
        index,
        kind: 'time',
        label: `${index}`,
        value: index,
        unit: 's',
        topology: v,
        coordinates: v,
      })),
    })

  test.each([
    ['all alike', [0, 0, 0], ['a', 'a', 'a'], false, [0, 0, 0]],
    ['one that moved unseen', [0, 0, 0], ['a', 'b', 'a'], true, [0, 1, 0]],
    ['two that moved, one of them seen', [0, 1, 1], ['a', 'b', 'c'], true, [0, 1, 2]],
    ['seen as others, but alike', [0, 1, 2], ['a', 'b', 'c'], false, [0, 1, 2]],
  ])('%s', (_, known, keys, needs, versions) => {
    expect(needsVersions(moving(known), keys)).toBe(needs)
    expect(withVersions(moving(known), keys).moments.map((m) => m.topology)).toEqual(versions)
  })
})
