/** The part of regions, surfaces or lines in which a condition holds. */
import { Type } from '@sinclair/typebox'
import { DataError, FormulaError } from '../errors'
import { differenceOf, isStrictly } from '../fields/formula/conditions'
import type { ConditionTree } from '../fields/formula/conditions'
import { labelOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import { cellMeans } from '../shapes/cellMeans'
import { not } from '../shapes/condition'
import type { Condition, Level } from '../shapes/condition'
import { valuesOnMesh } from '../mesh/Domain'
import { partsOf } from '../shapes/Shape'
import { cellChoices } from './clip'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  /** In the formula language. */
  condition: Type.String({ minLength: 1, maxLength: 10_000 }),
  cells: Type.Union([Type.Literal('cut'), Type.Literal('whole')]),
})

export const keep = defineStep({
  id: 'keep',
  version: 1,
  title: 'Keep',
  words: ['keep', 'keep where', 'threshold', 'filter', 'where', 'condition', 'zone'],
  icon: 'M3 5 H21 L14.5 12.5 V20 L9.5 17.5 V12.5 Z',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface', 'lines'], isList: true }],
  defaults({ pick, range, nameOf, written }, wishes) {
    const variable = pick(1)
    const [min, max] = range(variable) ?? [0, 0]
    return {
      condition: `${nameOf(variable)} > ${written(variable, Number(((min + max) / 2).toPrecision(3)))}`,
      cells: 'cut' as const,
      ...wishes,
    }
  },
  look: { isLit: true, takesPlace: true },
  yields: (_, input) => input,
  sentence: () => [
    'Keep ',
    { token: 'input', input: 'of' },
    ' where ',
    { token: 'condition', setting: 'condition' },
    ', ',
    { token: 'choice', setting: 'cells', options: cellChoices },
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  variables: () => [],
  conditions: ['condition'],
  keeps: (context) => conditionOf(context, context.condition('condition')),
})

function conditionOf(context: StepContext, tree: ConditionTree): Condition {
  if (tree.is === 'comparison') return comparisonOf(context, tree.expression)
  if (tree.is === 'not') return not(conditionOf(context, tree.of[0]))
  return { is: tree.is, of: [conditionOf(context, tree.of[0]), conditionOf(context, tree.of[1])] }
}

function comparisonOf(context: StepContext, expression: Expression): Condition {
  const { parts } = context.domain('of')
  const names = parts.length ? parts.map(({ name }) => name) : partsOf(context.shape('of'))
  const difference = differenceOf(expression)
  // says what is wrong with it where it stands, in its own words
  const whole = context.quantity(expression, names)
  if (!whole.isCondition) {
    throw new FormulaError(
      'no-condition',
      `“${labelOf(expression)}” is a value, not a condition; compare it with something, such as ${labelOf(expression)} > 0.`,
      expression.range,
    )
  }
  const isOnCells = whole.place === 'cell'
  if (whole.place === 'mixed') {
    throw new DataError(
      'mixed-places',
      `${labelOf(expression)} lives on points of one part and on cells of another; keep each part by itself.`,
    )
  }
  if (!difference)
    return isOnCells
      ? { is: 'cells', level: levelOf(context, expression, names, 0.5) }
      : { is: 'cells', level: equal(context, expression, names) }
  const level = levelOf(context, difference, names, 0)
  const isStrict = isStrictly(expression)
  if (isOnCells) return { is: 'cells', level, isStrict }
  return settingsOf(Settings, context).cells === 'whole'
    ? { is: 'cells', level: cellMeans(level), isStrict }
    : { is: 'level', level, isStrict }
}

/** Values of an expression less a threshold, where they live. */
function levelOf(context: StepContext, expression: Expression, names: readonly string[], threshold: number): Level {
  const less = (values: ArrayLike<number>): Float64Array => {
    const out = new Float64Array(values.length)
    for (let i = 0; i < out.length; i++) out[i] = values[i]! - threshold
    return out
  }
  return {
    onMesh(mesh, { part, block }) {
      const field = context.blockValues(expression, names, part, block)
      return less(field.place === 'cell' ? field.values : valuesOnMesh(mesh, field).values)
    },
    onPiece(piece, of) {
      const { pieces } = context.values(expression, { ...of, pieces: [piece] })
      const { values, place } = pieces[0]!
      if (place === 'corner') throw new DataError('no-condition', `${labelOf(expression)} jumps between elements; leave out “normal”.`)
      return less(values)
    },
  }
}

/** Equal at all points of a cell. */
function equal(context: StepContext, expression: Expression, names: readonly string[]): Level {
  return cellMeans(levelOf(context, expression, names, 1 - 1e-9))
}
