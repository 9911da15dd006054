/** The surface where a field has a value, or those of several values; on a surface the lines. */
import { Type } from '@sinclair/typebox'
import { ticks } from '../colour/ticks'
import { DataError } from '../errors'
import { labelOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import type { DomainBlock, DomainMesh } from '../mesh/Domain'
import type { FloatArray, GroupRanges, PartBlocks } from '../mesh/MeshBlock'
import { pieceOfCut } from '../shapes/blockShapes'
import { cutCells } from '../shapes/cutCells'
import { cutPiece } from '../shapes/cutShape'
import { labelPlaces } from '../shapes/labelPlaces'
import type { Piece } from '../shapes/Shape'
import { seriesSentence, seriesSettings, seriesSteps } from './series'
import { smoothed, smoothedNote } from './smoothed'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  variable: Type.String(),
  /** In the variable's unit. */
  value: Type.Number(),
  ...seriesSettings,
  series: Type.Union([Type.Literal('one'), Type.Literal('several'), Type.Literal('list')], { default: 'one' }),
  /** From one value to the next. */
  spacing: Type.Number({ default: 1 }),
  /** Values that are listed one by one. */
  list: Type.Array(Type.Number(), { maxItems: 200, default: [] }),
  /** On the lines of a surface. */
  labels: Type.Union([Type.Literal('numbers'), Type.Literal('none')], { default: 'none' }),
})

const labelChoices = [
  { value: 'numbers', label: 'with numbers', words: ['with numbers', 'labelled', 'labels'] },
  { value: 'none', label: 'without numbers' },
] as const

const listOption = { value: 'list', label: 'each of these', words: ['listed', 'each of these', 'list of values'] }

/** A few values to begin a list with. */
function listed(round: readonly number[]): number[] {
  const step = Math.max(1, Math.floor(round.length / 4))
  return round.filter((_, i) => i % step === 0)
}

/** A block of the domain or a piece of a surface, and the value there. */
interface Unit {
  value: number
  of: DomainBlock | Piece
}

export const isosurface = defineStep({
  id: 'isosurface',
  version: 3,
  title: 'Surface where',
  words: ['isosurface', 'contour', 'level', 'surface where', 'isoline', 'surface'],
  icon: 'M3 19 C7 19 7 13 11 13 S16 7 21 7 M3 12 C6 12 6 6 10 6 S14 3 17 3',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface'], isList: true }],
  defaults({ pick, range }, wishes) {
    const variable = wishes.variable ?? pick(1)
    const [min, max] = range(variable) ?? [0, 0]
    const round = max > min ? ticks(min, max, 10) : []
    const [first = 0, second = first + 1] = round
    const value = wishes.series === 'several' ? first : Number(((min + max) / 2).toPrecision(3))
    const spacing = Number((second - first).toPrecision(6))
    return {
      variable,
      value,
      series: 'one' as const,
      count: round.length || 9,
      spacing,
      list: listed(round),
      labels: 'numbers' as const,
      ...wishes,
    }
  },
  presets: [
    { title: 'Several surfaces where', words: 'isosurfaces contour lines levels series isolines bands', settings: { series: 'several' } },
  ],
  handles: ({ variable, series }) => (series === 'list' ? [] : [{ handle: 'value', setting: 'value', variable }]),
  look: { isLit: true, isSmooth: true },
  yields: (_, input) => (input === 'surface' ? 'lines' : 'surface'),
  drawnSettings: ['labels'],
  drawn: ({ labels, variable }) => (labels === 'numbers' ? { labels: { variable } } : {}),
  sentence: ({ variable, series }, input) => [
    'Surface where ',
    { token: 'variable', setting: 'variable', kind: 'scalar' },
    ' = ',
    series === 'list'
      ? { token: 'numbers', setting: 'list', variable }
      : { token: 'number', setting: 'value', quantity: 'variable', variable },
    ' in ',
    { token: 'input', input: 'of' },
    ...seriesSentence(
      series,
      { token: 'number', setting: 'spacing', quantity: 'variable', variable },
      ['lines', 'isolines', 'contours', 'levels'],
      [listOption],
    ),
    ...(input === 'surface' ? ([', ', { token: 'choice', setting: 'labels', options: labelChoices }] as const) : []),
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shapeVariables: ['variable'],
  shape: workOf<Unit, Piece | undefined>({
    isShared: true,
    units: (context) => unitsOf(context),
    unit(context, { value, of }) {
      if (!('part' in of)) return levelOfPiece(context, of, value)
      const wanted = isOnCells(context, of.part) ? smoothed(context.variable('variable')) : context.variable('variable')
      const groups = context.groupRanges(wanted, context.domain('of'), of)
      const mesh = !groups || hasLevel(groups, value) ? of.mesh() : undefined
      if (!mesh) return undefined
      const { values } = context.domainValues(wanted, context.domain('of'), of, mesh)
      return levelOfBlock(mesh, { values, groups }, value, of.part.name, of.block)
    },
    merge(context, found) {
      const variable = context.variable('variable')
      const { parts } = context.domain('of')
      const isLines = parts.length === 0
      const values = isLines ? unitsOf(context).map(({ value }) => value) : []
      const filled = found.flatMap((piece, i) => (piece && piece.cells.length > 0 ? [{ piece, value: values[i]! }] : []))
      const pieces = filled.map(({ piece }) => piece)
      const onCells = parts.filter((part) => isOnCells(context, part)).map(({ name }) => name)
      return {
        kind: parts.length ? 'surface' : 'lines',
        pieces,
        ...(isLines && {
          labels: labelPlaces(
            pieces,
            filled.map(({ value }) => value),
          ),
        }),
        direction: `to larger ${labelOf(variable)}`,
        ...(onCells.length && { notes: [smoothedNote(variable, onCells, onCells.length === parts.length)] }),
      }
    },
  }),
})

function unitsOf(context: StepContext): Unit[] {
  const settings = settingsOf(Settings, context)
  const isList = settings.series === 'list' && settings.list.length > 0
  const values = isList ? settings.list : seriesSteps(settings).map((by) => Number((settings.value + by).toPrecision(12)))
  const of = inputsOf(context)
  return values.flatMap((value) => of.map((one) => ({ value, of: one })))
}

function inputsOf(context: StepContext): readonly (DomainBlock | Piece)[] {
  const { parts, blocks } = context.domain('of')
  if (parts.length) {
    requireScalar(context.variable('variable'), context, parts)
    return blocks
  }
  const shape = context.shape('of')
  if (shape.kind !== 'surface')
    throw new DataError('no-level', 'Lines have no surface where a field has a value; choose a region or a surface.')
  return shape.pieces
}

function isOnCells(context: StepContext, part: PartBlocks): boolean {
  return context.quantity(context.variable('variable'), [part.name]).place === 'cell'
}

function requireScalar(variable: Expression, context: StepContext, parts: readonly PartBlocks[]): void {
  const { components } = context.quantity(
    variable,
    parts.map(({ name }) => name),
  )
  if (components !== 1) throw notScalar(labelOf(variable), components)
}

function notScalar(variable: string, components: number): DataError {
  return new DataError('not-scalar', `“${variable}” has ${components} components; choose a scalar such as mag(${variable}) or a component.`)
}

function levelOfPiece(context: StepContext, piece: Piece, value: number): Piece | undefined {
  const variable = context.variable('variable')
  const label = labelOf(variable)
  const { components, pieces } = context.values(variable, { ...context.shape('of'), pieces: [piece] })
  if (components !== 1) throw notScalar(label, components)
  const { values, place } = pieces[0]!
  if (place !== 'point') {
    throw new DataError(
      'cell-values',
      `“${label}” lives on cells and jumps between them, so it has no such line; choose a variable that lives on points, or ` +
        `smooth(${label}).`,
    )
  }
  return cutPiece(
    piece,
    values.map((x) => x - value),
  )
}

function hasLevel(groups: GroupRanges, value: number): boolean {
  for (let g = 0; g < groups.length; g += 2) if (groups[g]! <= value && groups[g + 1]! >= value) return true
  return false
}

/** Isosurface of one block; exported for the bench. @param groups  extremes of the groups of its cells, if they are known */
export function levelOfBlock(
  mesh: DomainMesh,
  { values, groups }: { values: FloatArray; groups?: GroupRanges | undefined },
  value: number,
  part: string,
  block: number,
): Piece {
  const isCrossed = groups ? (group: number) => groups[2 * group]! <= value && groups[2 * group + 1]! >= value : () => true
  return pieceOfCut(
    cutCells(mesh, (p) => values[p]! - value, isCrossed),
    mesh,
    part,
    block,
  )
}
