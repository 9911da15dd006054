/** A small study of a tank with a slice, a surface and a reading. */
import type { Catalogue } from '../../core/case/catalogue'
import { addFirstSteps, attachCase, caseBox, defaultSettings, newStep, newStudy, plainSurroundings } from '../../core/study/defaults'
import type { Step, Study } from '../../core/study/studyModel'

export const CASE = '11111111-1111-4111-8111-111111111111'
export const part = (name: string, dimension: number) => ({
  name,
  dimension,
  cells: 8,
  points: 27,
  cellTypes: {},
  bounds: [-4, -4, 0, 4, 4, 2],
})
const field = (name: string, components: number, parts: string[]) => ({
  name,
  place: 'point',
  kind: 'scalar',
  components,
  numberType: 'Float64',
  unit: 'm/s',
  parts,
  moments: [0],
})
export const catalogue: Catalogue = {
  format: 'test',
  lengthUnit: 'm',
  lengthUnitFrom: 'file',
  timeUnit: 's',
  sets: [],
  interfaces: [],
  cautions: [],
  parts: [part('Water', 3), part('Arm', 3), part('Wall', 2), part('Arm skin', 2)],
  fields: [field('U', 3, ['Water', 'Wall']), field('T', 1, ['Water'])],
  moments: [0, 1].map((index) => ({ index, kind: 'time', label: `${index}`, value: index, unit: 's', topology: 0, coordinates: 0 })),
}

export function study(): Study {
  const made = newStudy('Test')
  attachCase(made, CASE, '40 L/s', catalogue)
  addFirstSteps(made)
  made.formulas['speed'] = { name: 'speed', rank: 1, text: 'mag(U)' }
  made.steps['slice'] = withSettings(made, 'slice', { of: [{ part: 'water' }] })
  made.steps['level'] = { ...withSettings(made, 'isosurface', { of: [{ step: 'slice' }] }), settings: { variable: 'speed', value: 0.2 } }
  made.steps['mean'] = { ...withSettings(made, 'measure', { of: [{ step: 'slice' }] }), settings: { quantity: 'mean', variable: 't' } }
  return made
}

export function withSettings(made: Study, kind: string, inputs: Step['inputs']): Step {
  return { ...newStep(made, kind), inputs, settings: defaultSettings(kind, plainSurroundings(made, caseBox(catalogue))) }
}
