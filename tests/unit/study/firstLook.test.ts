/** What studies of flows, solids and others open with; and the finished study of the demo. */
import { describe, expect, it } from 'vitest'
import type { Catalogue } from '../../../core/case/catalogue'
import { checkStudy } from '../../../core/study/check'
import { addFirstSteps, attachCase, newStudy } from '../../../core/study/defaults'
import { isSigned } from '../../../core/study/signed'
import { firstLookAt } from '../../../core/study/firstLook'
import type { Study } from '../../../core/study/studyModel'
import { furnish } from '../../../demo/morning'

const CASE = '11111111-1111-4111-8111-111111111111'
const bounds = [-4, -4, 0, 4, 4, 2]
const part = (name: string, dimension: number, cells = 8) => ({ name, dimension, cells, points: 27, cellTypes: {}, bounds })
const field = (name: string, components: number, parts: string[], unit: string | null = null) => ({
  ...{ name, place: 'point', kind: 'scalar', components, numberType: 'Float64', unit, parts, moments: [0] },
})

function opened(parts: ReturnType<typeof part>[], fields: ReturnType<typeof field>[]): { made: Study; words: string | undefined } {
  const catalogue = {
    ...{ format: 'test', lengthUnit: 'm', lengthUnitFrom: 'file', timeUnit: 's', sets: [], interfaces: [], cautions: [] },
    moments: [{ index: 0, kind: 'time', label: '0', value: 0, unit: 's', topology: 0, coordinates: 0 }],
    parts,
    fields,
  } as unknown as Catalogue
  const made = newStudy('Test')
  const id = attachCase(made, CASE, 'a', catalogue)
  addFirstSteps(made)
  const look = firstLookAt(made, id, catalogue)
  look?.apply(made)
  return { made: checkStudy(made), words: look?.words }
}

describe('a study opens with', () => {
  it('a slice through the middle of a flow across its shortest side, by the speed', () => {
    const { made, words } = opened(
      [part('Arm', 3), part('Water', 3, 900), part('Wall', 2)],
      [field('U', 3, ['Water'], 'm/s'), field('T', 1, ['Water'], 'K')],
    )
    expect(words).toBe('a slice through the middle by the speed')
    expect(made.formulas['speed']).toMatchObject({ name: 'speed', text: 'mag(U)' })
    expect(made.steps['middle']).toMatchObject({
      ...{ kind: 'slice', inputs: { of: [{ part: 'water' }] }, look: { variable: 'speed', range: { mode: 'everything' } } },
      settings: { form: 'plane', origin: [0, 0, 1], normal: [0, 0, 1] },
    })
  })

  it('the displacement of a solid on its surface, or else the stress', () => {
    const { made, words } = opened([part('Bracket', 3)], [field('T', 1, ['Bracket'], 'K'), field('displacement', 3, ['Bracket'], 'm')])
    expect(words).toBe('displacement on the surface')
    expect(made.steps['bounds']).toMatchObject({ inputs: { of: [{ part: 'bracket' }] }, look: { variable: 'displacement', opacity: 1 } })
    expect(opened([part('Bracket', 3)], [field('stress', 6, ['Bracket'], 'Pa')]).words).toBe('stress on the surface')
  })

  it('a slice by any scalar, and nothing more where there is none, or no region', () => {
    expect(opened([part('Block', 3)], [field('q', 1, ['Block'])]).words).toBe('a slice through the middle by q')
    expect(opened([part('Block', 3)], []).words).toBeUndefined()
    expect(opened([part('Block', 3)], [field('node number', 1, ['Block'])]).words).toBeUndefined()
    expect(opened([part('Sheet', 2)], [field('q', 1, ['Sheet'])]).words).toBeUndefined()
  })
})

it('what takes both signs by its nature is known by how it is written', () => {
  const made = newStudy('Test')
  const formula = (text: string): boolean => {
    made.formulas['f'] = { name: 'f', rank: 1, text }
    return isSigned(made, 'f')
  }
  expect(['curl(U).z', 'div(U)', 'U.x', 'grad(T).y'].map(formula)).toEqual([true, true, true, true])
  expect(['mag(U)', 'T', 'curl(U)', 'U.x * U.x', 'abs(U.x)'].map(formula)).toEqual([false, false, false, false, false])
  expect(['T - from("60 L/s", T)', 'mean(p) - p', 'mag(U) - mag(at(first, U))', 'ddt(T)'].map(formula)).toEqual([true, true, true, true])
  expect(['from("60 L/s", T)', 'T - 2', 'p1 - p2', 'T -'].map(formula)).toEqual([false, false, false, false])
  for (const [name, is] of [
    ['Ux', true],
    ['T', false],
    ['vorticity_z', true],
  ] as const) {
    made.variables['v'] = { name, rank: 1, components: 1, binding: {} }
    expect(isSigned(made, 'v'), name).toBe(is)
  }
})

it('the finished study of the demo fits its schema and refers to nothing that is not there', () => {
  const names = ['Water', 'Arm', 'Wall', 'Floor', 'Drain']
  const parts = names.map((name, i) => part(name, i < 2 ? 3 : 2, i === 0 ? 900 : 8))
  const { made } = opened(parts, [field('U', 3, ['Water'], 'm/s'), field('T', 1, ['Water'], 'K'), field('age', 1, ['Water'], 's')])
  furnish(made)
  checkStudy(made)
  for (const { inputs, look } of Object.values(made.steps)) {
    for (const ref of Object.values(inputs).flat()) {
      if ('step' in ref) expect(made.steps[ref.step], ref.step).toBeDefined()
      else if ('part' in ref) expect(made.parts[ref.part], ref.part).toBeDefined()
    }
    if (look.variable) expect(made.formulas[look.variable] ?? made.variables[look.variable], look.variable).toBeDefined()
  }
  for (const { step } of Object.values(made.exhibits)) expect(made.steps[step!]).toBeDefined()
})
