/** A plane of a structured block at an index i, j or k, once or several times. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import type { PartBlocks } from '../mesh/MeshBlock'
import { canBeStructured, indexPlaneOfBlock, structureOf } from '../shapes/indexPlane'
import type { IndexPlane } from '../shapes/indexPlane'
import type { Piece } from '../shapes/Shape'
import { seriesSentence, seriesSettings, seriesSteps } from './series'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  axis: Type.Union([Type.Literal('i'), Type.Literal('j'), Type.Literal('k')]),
  /** Of the points, the first is 1. */
  index: Type.Integer({ minimum: 1, maximum: 2 ** 31 }),
  ...seriesSettings,
  /** From one to the next. */
  spacing: Type.Integer({ minimum: 1, maximum: 2 ** 31, default: 1 }),
})

const axes = [
  { value: 'i', label: 'i' },
  { value: 'j', label: 'j' },
  { value: 'k', label: 'k' },
] as const

interface Unit {
  part: PartBlocks
  block: number
  plane: IndexPlane
}

export const indexPlane = defineStep({
  id: 'index-plane',
  version: 1,
  title: 'Index plane',
  words: ['index plane', 'grid plane', 'structured', 'i plane', 'j plane', 'k plane', 'grid line', 'layer', 'ijk'],
  icon: 'M4 4 H20 V20 H4 Z M4 9.3 H20 M4 14.6 H20 M9.3 4 V20 M14.6 4 V20',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region'], isList: true }],
  fits: ({ dimension, cells, points }) => dimension === 3 && canBeStructured(cells, points),
  defaults: (_, wishes) => ({ ...({ axis: 'i', index: 1, series: 'one', count: 5, spacing: 1 } as const), ...wishes }),
  yields: () => 'surface',
  sentence: ({ series }) => [
    'Index plane of ',
    { token: 'input', input: 'of' },
    ' at ',
    { token: 'choice', setting: 'axis', options: axes },
    ' = ',
    { token: 'number', setting: 'index', quantity: 'count' },
    ...seriesSentence(series, { token: 'number', setting: 'spacing', quantity: 'count' }),
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shape: workOf<Unit, Piece>({
    units(context) {
      const parts = context.parts('of')
      if (parts.length < context.inputs('of').length)
        throw new DataError('not-structured', 'Index planes go through whole regions of structured blocks; choose a region itself.')
      return parts.flatMap((part) => unitsOf(context, part))
    },
    unit: (_, { part, block, plane }) => indexPlaneOfBlock(part.block(block), part.name, block, plane),
    merge(context, found) {
      const sizes = context.parts('of').map((part) => {
        const [i, j, k] = part.within(() => structureIn(context, part)).map((n) => n + 1)
        return `${part.name}: i to ${i}, j to ${j}, k to ${k}`
      })
      return { kind: 'surface', pieces: found.filter(({ cells }) => cells.length > 0), notes: sizes }
    },
  }),
})

function unitsOf(context: StepContext, part: PartBlocks): Unit[] {
  const settings = settingsOf(Settings, context)
  const structure = part.within(() => structureIn(context, part))
  const axis = (['i', 'j', 'k'] as const).indexOf(settings.axis) as 0 | 1 | 2
  const indices = seriesSteps(settings).map((by) => settings.index - 1 + by)
  return indices
    .filter((index) => index <= structure[axis])
    .flatMap((index) => Array.from({ length: part.nBlocks }, (_, block) => ({ part, block, plane: { structure, axis, index } })))
}

function structureIn(context: StepContext, part: PartBlocks): readonly [number, number, number] {
  const { cells = 0, points = 0 } = context.catalogueOf(part.name) ?? {}
  const structure = part.nBlocks ? structureOf(part.block(0), cells, points) : undefined
  if (!structure)
    throw new DataError('not-structured', `${part.name} is no structured block, so it has no indices i, j and k; use a slice instead.`)
  return structure
}
