/** Shows parts as they are: outer surfaces of regions, surfaces, lines. */
import { Type } from '@sinclair/typebox'
import { defineStep } from './StepKind'

export const show = defineStep({
  id: 'show',
  version: 1,
  title: 'Show',
  words: ['show', 'display', 'surface', 'boundary', 'geometry', 'outer'],
  settings: Type.Object({}),
  inputs: [{ name: 'of', accepts: ['region', 'surface', 'lines'], isList: true }],
  // Show is nobody's parent: others take the part itself
  yields: () => undefined,
  sentence: () => ['Show ', { token: 'input', input: 'of' }, ', ', { token: 'colour' }],
  hasColour: true,
  passesOn: true,
})
