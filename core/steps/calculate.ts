/** A number worked out from other readings, with their units: a pressure drop, a coefficient, an efficiency. */
import { Type } from '@sinclair/typebox'
import { formatNumber } from '../colour/ticks'
import { parseFormula } from '../fields/formula/parse'
import type { Expression } from '../fields/formula/parse'
import type { Numbers } from '../fields/formula/typed'
import { named } from '../measure/reductions'
import type { Reading } from '../measure/results'
import { isSameKind, parseUnit, unitName } from '../units/units'
import { letterOf } from './offers'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({ text: Type.String({ minLength: 1, maxLength: 10_000 }) })

export const calculate = defineStep({
  id: 'calculate',
  version: 1,
  title: 'Calculate',
  words: ['calculate', 'difference', 'ratio', 'drop', 'pressure drop', 'coefficient', 'efficiency', 'sum of readings'],
  icon: 'M5 3 H19 V21 H5 Z M8 6.5 H16 M8.5 12 H8.6 M12 12 H12.1 M15.5 12 H15.6 M8.5 16.5 H8.6 M12 16.5 H12.1 M15.5 16.5 H15.6',
  settings: Settings,
  inputs: [{ name: 'from', accepts: ['reading'], isList: true, atFirst: 2, makes: 'measure' }],
  defaults: ({ nReadings }, wishes) => ({ text: wishes.text ?? (nReadings > 1 ? 'a - b' : 'a') }),
  yields: () => 'reading',
  sentence: () => ['Calculate ', { token: 'calculation', setting: 'text', input: 'from' }, ' from ', { token: 'input', input: 'from' }],
  calculates: 'text',
  begunWith: (units) => ({ text: units.length < 2 ? 'a' : units.every((unit) => areAlike(unit, units[0]!)) ? 'a - b' : 'a / b' }),
  reading: (context) => calculated(context, settingsOf(Settings, context).text),
})

/** As far as they are known. */
function areAlike(a: string | null, b: string | null): boolean {
  return a === null || b === null || isSameKind(a, b)
}

function calculated(context: StepContext, text: string): Reading {
  const readings = context.readings('from')
  const known = Object.fromEntries(readings.map((reading, i) => [letterOf(i), numbersOf(reading)]))
  const { values, dimensions } = context.calculate(text, known)
  const lines = readings.flatMap((reading, i) => [
    `${letterOf(i)} = ${formatNumber(reading.value, 8)} ${reading.unit ?? '(unit unknown)'}`,
    ...reading.madeOf.map((line) => `${letterOf(i)}: ${line}`),
  ])
  return {
    ...named(values),
    unit: dimensions && unitName(dimensions),
    ...(isDifference(parseFormula(text)) && { isDifference: true }),
    madeOf: [text, ...lines],
    cautions: readings.flatMap(({ cautions }, i) => cautions.map((caution) => `${letterOf(i)}: ${caution}`)),
  }
}

/** Whether levels such as temperatures are taken from each other. */
function isDifference(of: Expression): boolean {
  switch (of.kind) {
    case 'binary':
      return of.operator === '-' || ((of.operator === '*' || of.operator === '/') && (isDifference(of.left) || isDifference(of.right)))
    case 'negate':
    case 'component':
      return isDifference(of.of)
    case 'call':
      return ['abs', 'mag'].includes(of.name) && of.arguments.some(isDifference)
    default:
      return false
  }
}

/** In coherent units; of a vector its components. */
function numbersOf({ value, components, unit }: Reading): Numbers {
  const parsed = unit === null ? null : parseUnit(unit)
  const values = components ? Object.values(components) : [value]
  return {
    values: parsed ? values.map((x) => x * parsed.factor + parsed.offset) : values,
    dimensions: parsed?.dimensions ?? null,
  }
}
