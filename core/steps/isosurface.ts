/** The surface where a field has a value; on a surface the lines where it has. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import type { FieldValues, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { GROUP_CELLS } from '../mesh/MeshBlock'
import { cutCells } from './kernels/cutCells'
import { shapeOfCut } from './kernels/blockShapes'
import { cutShape } from './kernels/cutShape'
import { emptyShape, joinShapes } from './Shape'
import { smoothed, smoothedNote } from './smoothed'
import type { Shape } from './Shape'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  variable: Type.String(),
  /** In the variable's unit. */
  value: Type.Number(),
})

export const isosurface = defineStep({
  id: 'isosurface',
  version: 1,
  title: 'Surface where',
  words: ['isosurface', 'contour', 'level', 'surface where', 'isoline'],
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface'], isList: true }],
  yields: (_, input) => (input === 'surface' ? 'lines' : 'surface'),
  sentence: ({ variable }) => [
    'Surface where ',
    { token: 'variable', setting: 'variable', kind: 'scalar' },
    ' = ',
    { token: 'number', setting: 'value', quantity: 'variable', variable },
    ' in ',
    { token: 'input', input: 'of' },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shapeVariables: (settings) => [String(settings['variable'])],
  shape(context) {
    const { variable, value } = settingsOf(Settings, context)
    const regions = context.regions('of')
    const shape = regions.length ? levelOfRegions(regions, variable, value, context) : levelOfSurface(context, variable, value)
    shape.direction = `to larger ${variable}`
    return shape
  },
})

function requireScalar(variable: string, components: number): void {
  if (components !== 1) throw new DataError('not-scalar', `“${variable}” has ${components} components; choose a scalar such as mag(${variable}) or a component.`)
}

function levelOfSurface(context: StepContext, variable: string, value: number): Shape {
  const shape = context.shape('of')
  if (shape.kind !== 'surface') throw new DataError('no-level', 'Lines have no surface where a field has a value; choose a region or a surface.')
  const { values, components, place } = context.values(variable, shape)
  requireScalar(variable, components)
  if (place !== 'point') throw new DataError('cell-values', `“${variable}” lives on cells and jumps between them, so it has no such line; choose a variable that lives on points, or smooth(${variable}).`)
  return cutShape(shape, values.map((x) => x - value))
}

function levelOfRegions(parts: readonly PartBlocks[], variable: string, value: number, context: StepContext): Shape {
  const shapes: Shape[] = []
  let isSmoothed = false
  for (const part of parts) {
    const { components, place } = context.quantity(variable, part.name)
    requireScalar(variable, components)
    isSmoothed ||= place === 'cell'
    const wanted = place === 'cell' ? smoothed(variable) : variable
    for (let k = 0; k < part.nBlocks; k++) {
      context.check()
      const field = context.blockValues(wanted, part, k)
      const shape = levelOfBlock(part.block(k), field, value, part.name, k)
      if (shape.cells.length) shapes.push(shape)
    }
  }
  const shape = shapes.length ? joinShapes('surface', shapes) : emptyShape('surface')
  return isSmoothed ? { ...shape, notes: [...(shape.notes ?? []), smoothedNote(variable)] } : shape
}

/** Isosurface of one block; exported for the bench. Stored extremes of groups are used when there are any. */
export function levelOfBlock(
  mesh: MeshBlock,
  field: FieldValues & { groups?: Float64Array },
  value: number,
  part: string,
  block: number,
): Shape {
  const { values, groups } = field
  if (groups && !groups.some((x, i) => i % 2 === 0 && x <= value && groups[i + 1]! >= value)) {
    return emptyShape('surface')
  }
  const isCrossed = groups
    ? (group: number) => groups[2 * group]! <= value && groups[2 * group + 1]! >= value
    : (group: number) => group * GROUP_CELLS < mesh.types.length
  return shapeOfCut(cutCells(mesh, (p) => values[p]! - value, isCrossed), part, block)
}
