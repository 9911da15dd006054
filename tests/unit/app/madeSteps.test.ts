/** A new step that nothing in the study fits is not made: a sentence says what it needs. */
import { expect, it } from 'vitest'
import { lackOf } from '../../../app/composables/madeSteps'
import { stepKind, stepKinds } from '../../../core/steps'
import { newStudy } from '../../../core/study/defaults'

const study = newStudy('Empty')
const lacks = (kind: string, has: boolean, of = study): string | undefined =>
  lackOf(stepKind(kind), { settings: {}, inputs: {} }, of, () => has)

it('says what is needed, and what sees values between points', () => {
  expect(lacks('isosurface', false)).toMatch(/^Surface where needs a region or .*, and there is none in this study\.$/)
  const points = { name: 'Markers', rank: 1, dimension: 0, binding: {} }
  const withPoints = { ...study, parts: { points } }
  expect(lacks('isosurface', false, withPoints)).toMatch(/seen with Carry, onto a sheet\.$/)
})

it('says nothing where something fits, where something is chosen, or where nothing is needed', () => {
  expect(lacks('isosurface', true)).toBeUndefined()
  expect(lackOf(stepKind('isosurface'), { settings: {}, inputs: { of: [{ part: 'water' }] } }, study, () => false)).toBeUndefined()
  for (const { id, inputs } of stepKinds) if (!inputs.length) expect(lacks(id, false)).toBeUndefined()
})
