/** Nodes or cells by their numbers: those of the solver, which a field holds, or their order in the file. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { DataError } from '../errors'
import { labelOf } from '../fields/formula/expressions'
import type { FloatArray, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { wholesOf } from '../mesh/MeshBlock'
import { foundPieces } from '../shapes/foundPoints'
import type { FoundPoint } from '../shapes/foundPoints'
import type { FactTable, Shape } from '../shapes/Shape'
import { oneOf } from './oneOf'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  what: oneOf('nodes', 'cells'),
  by: oneOf('file', 'variable'),
  variable: Type.String(),
  numbers: Type.Array(Type.Number(), { minItems: 1, maxItems: 10_000 }),
})

const things = [
  { value: 'nodes', label: 'nodes', words: ['node', 'nodes', 'points'] },
  { value: 'cells', label: 'cells', words: ['cell', 'cells', 'elements'] },
]

const countings = [
  { value: 'variable', label: 'by the variable', words: ['by the variable', 'by'] },
  { value: 'file', label: 'in their order in the file', words: ['in their order in the file', 'in the file', 'order'] },
]

interface Unit {
  part: PartBlocks
  block: number
}

export const find = defineStep({
  id: 'find',
  version: 1,
  title: 'Find',
  words: ['find', 'node number', 'cell number', 'element number', 'node by number', 'number of a node', 'id'],
  icon: 'M10 4 a6 6 0 1 0 0.01 0 M14.5 14.5 L20 20 M8.5 8 L10.5 7 V13',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface', 'lines'], isList: true, isPart: true }],
  defaults({ numbering, range }, wishes) {
    const what = wishes.what ?? 'nodes'
    const variable = numbering(what === 'nodes' ? 'point' : 'cell')
    const by = variable ? ('variable' as const) : ('file' as const)
    return { what, by, variable, numbers: [(variable && range(variable)?.[0]) || 1], ...wishes }
  },
  beginsAnew: { what: ['by', 'variable'] },
  presets: [{ title: 'Find cells', words: 'cell element by number', settings: { what: 'cells' } }],
  look: { plain: '#1F2A2E' },
  yields: () => 'lines',
  isPoints: () => true,
  variables: ({ by }) => (by === 'variable' ? ['variable'] : []),
  sentence: ({ by }) => [
    'Find ',
    { token: 'choice', setting: 'what', options: things },
    ' of ',
    { token: 'input', input: 'of' },
    ' numbered ',
    { token: 'numbers', setting: 'numbers', isPlain: true },
    ', ',
    { token: 'choice', setting: 'by', options: countings },
    ...(by === 'variable' ? ([' ', { token: 'variable', setting: 'variable', kind: 'scalar' }] as const) : []),
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shapeVariables: ['variable'],
  shape: workOf<Unit, FoundPoint[]>({
    units(context) {
      const parts = context.parts('of')
      if (parts.length < context.inputs('of').length)
        throw new DataError('no-numbers', 'Numbers are those of whole parts of the case; choose a part itself.')
      return parts.flatMap((part) => Array.from({ length: part.nBlocks }, (_, block) => ({ part, block })))
    },
    unit: (context, { part, block }) => foundIn(context, settingsOf(Settings, context), part, block),
    merge: (context, found) => joined(context, found.flat()),
  }),
})

function foundIn(context: StepContext, settings: Static<typeof Settings>, part: PartBlocks, block: number): FoundPoint[] {
  const wanted = new Set(settings.numbers)
  const mesh = part.block(block)
  const numbers = settings.by === 'variable' ? numbersOf(context, settings.what, part, block) : orderInFile(mesh, settings.what)
  const place = { part: part.name, block }
  return settings.what === 'nodes' ? nodesOf(mesh, numbers, wanted, place) : cellsOf(mesh, numbers, wanted, place)
}

/** @throws DataError where the variable does not number what is looked for */
function numbersOf(context: StepContext, what: 'nodes' | 'cells', part: PartBlocks, block: number): FloatArray {
  const variable = context.variable('variable')
  const { values, components, place } = context.blockValues(variable, [part.name], part, block)
  if (components !== 1 || place !== (what === 'nodes' ? 'point' : 'cell')) {
    const own = components === 1 ? `stands on ${place === 'point' ? 'points' : 'cells'}` : 'is no single number'
    throw new DataError('no-numbers', `${labelOf(variable)} ${own}, so it does not number ${what}; choose another variable.`)
  }
  return values
}

/** From 1. Points that splitting of cells has added have none. */
function orderInFile(mesh: MeshBlock, what: 'nodes' | 'cells'): Float64Array {
  const numbers = Float64Array.from(what === 'cells' ? mesh.cellNumbers : (mesh.pointSources ?? mesh.pointNumbers), (n) => n + 1)
  if (what === 'nodes') for (const p of mesh.addedPoints ?? []) numbers[p] = NaN
  return numbers
}

interface InBlock {
  part: string
  block: number
}

function nodesOf(mesh: MeshBlock, numbers: FloatArray, wanted: ReadonlySet<number>, place: InBlock): FoundPoint[] {
  const { offsets, connectivity, points } = mesh
  const cellOf = new Map<number, number>()
  for (let p = 0; p < numbers.length; p++) if (wanted.has(numbers[p]!)) cellOf.set(p, -1)
  if (!cellOf.size) return []
  for (let c = 0; c + 1 < offsets.length; c++)
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) if (cellOf.get(connectivity[i]!) === -1) cellOf.set(connectivity[i]!, c)
  addWholes(mesh, cellOf)
  return [...cellOf].map(([p, cell]) => ({
    ...place,
    ...{ number: numbers[p]!, id: mesh.pointNumbers[p]!, cell, at: [points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!] },
    sources: [p],
    weights: [1],
  }))
}

/** Nodes of quadratic cells that none of their linear pieces uses. */
function addWholes(mesh: MeshBlock, cellOf: Map<number, number>): void {
  const wholes = wholesOf(mesh)
  if (!wholes) return
  const { wholeOf, wholeOffsets, wholeNodes } = wholes
  for (let c = 0; c < wholeOf.length; c++) {
    const of = wholeOf[c]!
    if (of < 0) continue
    for (const p of wholeNodes.subarray(wholeOffsets[of]!, wholeOffsets[of + 1]!)) if (cellOf.get(p) === -1) cellOf.set(p, c)
  }
}

/** At the mean of the nodes of each cell; a cell that was split is all of its pieces. */
function cellsOf(mesh: MeshBlock, numbers: FloatArray, wanted: ReadonlySet<number>, place: InBlock): FoundPoint[] {
  const { offsets, connectivity, points } = mesh
  const nodes = new Map<number, { cell: number; own: Set<number> }>()
  for (let c = 0; c + 1 < offsets.length; c++) {
    if (!wanted.has(numbers[c]!)) continue
    const id = mesh.cellNumbers[c]!
    if (!nodes.has(id)) nodes.set(id, { cell: c, own: new Set() })
    for (let i = offsets[c]!; i < offsets[c + 1]!; i++) nodes.get(id)!.own.add(connectivity[i]!)
  }
  return [...nodes].map(([id, { cell, own }]) => {
    const sources = [...own]
    const mean = (d: number): number => sources.reduce((sum, p) => sum + points[3 * p + d]!, 0) / sources.length
    const weights = sources.map(() => 1 / sources.length)
    return { ...place, number: numbers[cell]!, id, cell, at: [mean(0), mean(1), mean(2)], sources, weights }
  })
}

/** What is shared by blocks once for each part, with what was not found. */
function joined(context: StepContext, all: readonly FoundPoint[]): Shape {
  const { what, numbers } = settingsOf(Settings, context)
  const seen = new Set<string>()
  const found = all.filter(({ part, id }) => {
    const key = `${id} ${part}`
    const isNew = !seen.has(key)
    seen.add(key)
    return isNew
  })
  const there = new Set(found.map(({ number }) => number))
  const missing = numbers.filter((number) => !there.has(number))
  const several = found.length > there.size ? [`${found.length} ${what} with ${there.size} different numbers`] : []
  const word = what === 'nodes' ? 'node' : 'cell'
  const lacking = missing.length ? [`no ${word} ${missing.slice(0, 5).join(', ')}${missing.length > 5 ? ' …' : ''} there`] : []
  const order = new Map(numbers.map((number, i) => [number, i]))
  const rows = [...found]
    .sort((a, b) => order.get(a.number)! - order.get(b.number)!)
    .slice(0, MOST_ROWS)
    .map(({ number, part, at }) => [number, part, ...at])
  return {
    kind: 'points',
    pieces: foundPieces(found),
    columns: [{ name: 'number', unit: null, title: `number of the ${word}` }],
    notes: [...several, ...lacking],
    table: { columns: [...[word, 'part'].map((name) => ({ name, unit: null })), ...coordinates(context)], rows },
  }
}

function coordinates({ lengthUnit }: StepContext): FactTable['columns'] {
  return ['x', 'y', 'z'].map((name) => ({ name, unit: lengthUnit }))
}

const MOST_ROWS = 200
