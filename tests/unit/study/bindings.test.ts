/** Parts and variables of a study that cases call by other names. */
import { describe, expect, it, test } from 'vitest'
import { bind, bindingRows, closestName, setFactor } from '../../../core/study/bindings'
import { FramePlan } from '../../../core/evaluate/FramePlan'
import { planOf } from '../../../core/evaluate/plan'
import { scopeOn } from '../../../core/fields/formula/scope'
import type { Catalogue } from '../../../core/case/catalogue'
import { attachCase, detachCase, newStep, newStudy } from '../../../core/study/defaults'

test.each([
  ['Inlet 1', ['Inlet 1', 'inlet_1'], 'Inlet 1'],
  ['Inlet 1', ['INLET_01', 'Outlet'], 'INLET_01'],
  ['Inlet 1', ['inlet1', 'inlet_1'], undefined],
  ['Wall', ['fluid/wall', 'solid/skin'], 'fluid/wall'],
  ['Wall', ['a/wall', 'b/wall'], undefined],
  ['Wall', ['Floor'], undefined],
])('%s among %j is %s', (wanted, names, found) => expect(closestName(wanted, names)).toBe(found))

function catalogue(parts: string[], fields: [string, number][]): Catalogue {
  return {
    ...{ format: 'test', lengthUnit: 'm', lengthUnitFrom: 'file', timeUnit: 's', sets: [], interfaces: [], cautions: [] },
    parts: parts.map((name, i) => ({
      name,
      dimension: i ? 2 : 3,
      cells: 1,
      points: 8,
      cellTypes: { hexahedron: 1 },
      bounds: [0, 0, 0, 1, 1, 1],
    })),
    fields: fields.map(([name, components]) => ({
      name,
      components,
      place: 'point',
      kind: components === 3 ? 'vector' : 'scalar',
      numberType: 'Float64',
      unit: null,
      parts,
      moments: [0],
    })),
    moments: [{ index: 0, kind: 'index', label: 'steady', value: null, unit: null, topology: 0, coordinates: 0 }],
  }
}

describe('a second case with names of its own', () => {
  const study = newStudy('two')
  const first = catalogue(
    ['Water', 'Inlet 1', 'Drain'],
    [
      ['U', 3],
      ['T', 1],
    ],
  )
  const second = catalogue(
    ['water', 'inlet_01', 'Hatch'],
    [
      ['u', 3],
      ['temp', 1],
    ],
  )
  const a = attachCase(study, '1', 'A', first)
  const b = attachCase(study, '2', 'B', second)

  it('is bound where the names are near, and adds what is new', () => {
    expect(Object.fromEntries(Object.values(study.parts).map((p) => [p.name, p.binding[b]?.[0] ?? null]))).toEqual({
      Water: 'water',
      'Inlet 1': 'inlet_01',
      Drain: null,
      Hatch: 'Hatch',
    })
    expect(study.variables['u']!.binding[b]).toEqual({ field: 'u' })
    expect(Object.values(study.variables).map((v) => v.name)).toEqual(['U', 'T', 'temp'])
  })

  it('is shown in one table and bound by hand there', () => {
    const rows = bindingRows(
      study,
      new Map([
        [a, first],
        [b, second],
      ]),
    )
    const drain = rows.find((row) => row.name === 'Drain')!
    expect(drain.bound).toEqual({ [a]: 'Drain', [b]: null })
    expect(drain.offers[b]).toEqual(['inlet_01', 'Hatch'])
    bind(study, drain, b, 'Hatch')
    bind(
      study,
      rows.find((row) => row.name === 'T')!,
      b,
      'temp',
    )
    expect(study.parts[drain.id]!.binding[b]).toEqual(['Hatch'])
    expect(study.variables['t']!.binding[b]).toEqual({ field: 'temp' })
    bind(study, drain, b, null)
    expect(study.parts[drain.id]!.binding).toEqual({ [a]: ['Drain'] })
  })

  it('may store a variable in another measure', () => {
    const id = Object.keys(study.variables).find((key) => study.variables[key]!.name === 'T')!
    setFactor(study, id, b, 1.8)
    expect(
      bindingRows(
        study,
        new Map([
          [a, first],
          [b, second],
        ]),
      ).find((row) => row.name === 'T')!.factors,
    ).toEqual({ [b]: 1.8 })
    study.steps['m'] = { ...newStep(study, 'measure', [{ part: 'water' }]), settings: { quantity: 'mean', variable: id } }
    const unitsOf = (caseId: string, catalogue: Catalogue) => {
      const names = new FramePlan(
        planOf(study),
        { case: caseId, moment: 0 },
        { key: '', id: '', generation: '', catalogue },
        () => undefined,
      ).names
      return scopeOn(names, null).field('T')!
    }
    expect(unitsOf(a, first)).toMatchObject({ name: 'T', factor: 1 })
    expect(unitsOf(b, second)).toMatchObject({ name: 'temp', factor: 1.8 })
    setFactor(study, id, b, 1)
    expect(study.variables[id]!.binding[b]).toEqual({ field: 'temp' })
    delete study.steps['m']
  })

  it('is taken out with its bindings; another becomes the base', () => {
    detachCase(study, a)
    expect(study.cases[b]!.isBase).toBe(true)
    expect(Object.values(study.parts).every((p) => !(a in p.binding))).toBe(true)
    expect(study.parts['water']!.binding).toEqual({ [b]: ['water'] })
  })
})
