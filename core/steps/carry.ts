/**
 * Values of one thing on another: of a region through its cells, of points by tetrahedra between them, of surfaces and lines from the
 * nearest place; within a case or from one case to another. What is carried is a column of the result.
 */
import { formatNumber } from '../colour/ticks'
import { DataError, UserError } from '../errors'
import { labelOf, nameOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import { joinArrays } from '../formats/meshParts'
import { magnitude } from '../measure/integrateCells'
import type { Quantity } from '../measure/results'
import { carryByCells } from '../mesh/carryByCells'
import type { Carried } from '../mesh/carryByCells'
import { spacingIn, spacingOfShape } from '../measure/spacing'
import type { FieldValues, PartBlocks } from '../mesh/MeshBlock'
import { ScatteredPoints } from '../mesh/ScatteredPoints'
import { vectorsOf } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { apartFaces, carryByFaces } from '../shapes/carryByFaces'
import { carryByPoints, pointsOf } from '../shapes/carryByPoints'
import type { ByPoints } from '../shapes/carryByPoints'
import { NearestPlaces } from '../shapes/carryByNearest'
import { dividedLines } from '../shapes/dividedLines'
import { looseCopy } from '../shapes/drawnLine'
import { joinValues } from '../shapes/Shape'
import type { Piece, Shape } from '../shapes/Shape'
import { fitSimilarity } from '../shapes/similarity'
import type { Similarity } from '../shapes/similarity'
import { movedPoints, turned } from '../shapes/turned'
import type { Motion } from '../shapes/turned'
import type { Triangle } from '../shapes/TriangleGrid'
import { displayIn, inDisplay } from '../units/quantities'
import { lengthFactor } from '../units/units'
import { carrySentence, CarrySettings, near, rounded } from './carryWords'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext, Survey } from './StepKind'

/** Name of the column with what is carried, its components, what the target has itself, and how much that is more. */
const CARRIED = 'carried'
const OWN = 'own'
const DEVIATION = 'deviation'
/** Fields of a target of another case that come along. */
const MOST_FIELDS = 12

/** Times that one is further apart than the other. */
const MUCH = 4

export const carry = defineStep({
  id: 'carry',
  version: 2,
  title: 'Carry',
  words: ['carry', 'map', 'interpolate', 'project', 'transfer', 'resample', 'other mesh', 'measured', 'sensors'],
  icon: 'M4 6 h6 v6 H4 z M14 14 l6 -2 v6 l-6 2 z M11 9 C15 9 17 9 17 11 M15.5 10 L17 11.5 L18.5 10',
  settings: CarrySettings,
  inputs: [
    { name: 'onto', accepts: ['lines', 'surface'], isAnywhere: true, isForBare: true, makes: 'sheet' },
    { name: 'from', accepts: ['region', 'surface', 'lines'], isAnywhere: true },
  ],
  defaults({ pick, box }, wishes) {
    const own = {
      variable: pick(1) || pick(3),
      case: '',
      by: 'between' as const,
      count: 8,
      ...near(box),
      outside: 'gap' as const,
      value: 0,
    }
    // each on itself: nothing moves until one of them is changed
    const pairs = [box.slice(0, 3), [box[3], box[1], box[2]], [box[0], box[4], box[2]]].map((place) => place.map(rounded) as Vector)
    return { ...own, aligned: 'none' as const, here: pairs, there: pairs, ...wishes }
  },
  look: { width: 2.2, column: CARRIED, takesPlace: true },
  yields: (_, inputClass) => inputClass,
  hasColour: true,
  sourceVariables: { variable: 'from' },
  caseOf: (settings, input) => (input === 'from' ? settings.case : ''),
  sentence: carrySentence,
  surveyed: 'from',
  looksAtOutside: ({ outside }) => (outside === 'nearest' ? 'from' : undefined),
  survey: surveyOf,
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit: carriedShape,
    merge: (_, [shape]) => shape!,
  }),
})

/** Tetrahedra between points, which do not depend on where their values go; nothing of anything else. */
function surveyOf(context: StepContext): Survey {
  const source = context.elsewhere('from')
  const shape = source.hasShapes('from') ? source.shape('from') : undefined
  if (shape?.kind !== 'points') return { meta: null, arrays: {} }
  return new ScatteredPoints(pointsOf(shape), context.check).packed()
}

/** What comes of the source at places, with its quantity. */
interface Found extends Carried {
  quantity: Quantity
  notes: string[]
}

function carriedShape(context: StepContext): Shape {
  const { outside, value, by } = settingsOf(CarrySettings, context)
  const [target, source] = [context.elsewhere('onto'), context.elsewhere('from')]
  const alignment = alignmentOf(context)
  // of the source, as it is where the places are
  const toSource = lengthFactor(target.lengthUnit, source.lengthUnit)
  const spacing = spacingOfSource(source) / ((alignment?.scale ?? 1) * toSource)
  // lines drawn by hand get a point wherever the source has one
  const shape = by === 'faces' ? apart(target.shape('onto')) : dividedLines(target.shape('onto'), spacing)
  const lying = positionsOf(shape, toSource)
  const places = alignment ? movedPoints(lying, alignment.motion) : lying
  const found = by === 'faces' ? carriedFaces(context, places) : carriedTo(context, by, places)
  if (alignment) found.values = turned(found.values, found.components, backOf(alignment))
  const n = places.length / 3
  const lost = lostOf(found)
  if (outside === 'value') for (const i of lost) found.values.fill(value, i * found.components, (i + 1) * found.components)
  const share = formatNumber((100 * lost.length) / Math.max(n, 1), 3)
  const gaps = outside === 'value' ? `have the value ${formatNumber(value)}` : 'have none'
  const lostNotes = lost.length
    ? [`${lost.length.toLocaleString('en')} of ${n.toLocaleString('en')} places (${share} %) find nothing and ${gaps}`]
    : []
  const columns = [...columnsOf(found), ...ownColumns(context, target, shape, found)]
  const toOwn = lengthFactor(target.lengthUnit, context.lengthUnit)
  const pieces = target === context ? shape.pieces : shape.pieces.map((piece) => looseCopy(piece, toOwn))
  return {
    ...shape,
    columns: [...(shape.columns ?? []), ...columns.map(({ values: _, ...column }) => column)],
    pieces: withColumns(pieces, columns),
    notes: [
      ...(shape.notes ?? []),
      ...alignmentNotes(context, alignment),
      ...found.notes,
      ...lostNotes,
      ...deviationNotes(columns),
      ...finenessNotes(spacing / spacingOfShape(shape)),
    ],
  }
}

/** In the length unit of the source. */
function alignmentOf(context: StepContext): Similarity | undefined {
  const { aligned, here, there } = settingsOf(CarrySettings, context)
  if (aligned === 'none') return undefined
  const factor = lengthFactor(context.lengthUnit, context.elsewhere('from').lengthUnit)
  const [own, other] = [here, there].map((list) => list.map((place) => place.map((c) => factor * c) as Vector)) as [Vector[], Vector[]]
  return fitSimilarity(own, other, aligned === 'scaled')
}

/** Vectors and tensors of the source as they stand on the target. */
function backOf({ turn }: Similarity): Motion {
  return [0, 1, 2].flatMap((i) => [turn[i]!, turn[4 + i]!, turn[8 + i]!, 0])
}

function alignmentNotes(context: StepContext, alignment: Similarity | undefined): string[] {
  if (!alignment) return []
  const { rms, largest, scale, turn } = alignment
  const degrees = (180 / Math.PI) * Math.acos(Math.min(1, Math.max(-1, (turn[0]! + turn[5]! + turn[10]! - 1) / 2)))
  const unit = context.elsewhere('from').lengthUnit ?? ''
  const scaled = settingsOf(CarrySettings, context).aligned === 'scaled' ? `, scaled by ${formatNumber(scale, 6)}` : ''
  return [
    `aligned: turned by ${formatNumber(degrees, 4)}°${scaled}; what remains between the pairs is ${formatNumber(rms, 3)} ${unit} rms, ` +
      `at most ${formatNumber(largest, 3)} ${unit}`,
  ]
}

function positionsOf({ pieces }: Shape, factor: number): Float64Array {
  const points = pieces.map((piece) => piece.points)
  return joinArrays(Float64Array, points).map((x) => factor * x)
}

function lostOf({ values, components }: Carried): number[] {
  return Array.from({ length: values.length / components }, (_, i) => i).filter((i) => Number.isNaN(values[i * components]!))
}

/** @throws DataError where there are no faces */
function apart(shape: Shape): Shape {
  if (shape.kind !== 'surface') throw noFaces('onto a surface')
  const { texture: _, labels: __, ...rest } = shape
  return { ...rest, pieces: shape.pieces.map(apartFaces) }
}

function noFaces(what: string): DataError {
  return new DataError('no-faces', `Face by face values go from surfaces onto surfaces: carry ${what}, or choose another way.`)
}

/** @param places  three of each face of the target */
function carriedFaces(context: StepContext, places: Float64Array): Found {
  const source = context.elsewhere('from')
  const expression = context.variable('variable')
  const shape = source.hasShapes('from') ? source.shape('from') : undefined
  if (shape?.kind !== 'surface') throw noFaces('from a surface')
  const { name, unit, ...values } = source.values(expression, shape)
  const corners = vectorsOf(places)
  const targets = Array.from({ length: corners.length / 3 }, (_, t) => corners.slice(3 * t, 3 * t + 3) as Triangle)
  const { components, besideShare, farthest, nEmpty, ...found } = carryByFaces(shape, values, targets, context.check)
  const all = Float64Array.from({ length: (places.length / 3) * components }, (_, i) => {
    const [corner, c] = [Math.floor(i / components), i % components]
    return found.values[Math.floor(corner / 3) * components + c]!
  })
  const share = formatNumber(100 * besideShare, 3)
  const far = `${share} % of the source lie beside and went to the nearest faces, at most ${formatNumber(farthest, 4)}`
  const notes = [
    'the total over the surface is that of the source',
    ...(besideShare > 0 ? [`${far} ${source.lengthUnit ?? ''} away`] : []),
    ...(nEmpty ? [`${nEmpty.toLocaleString('en')} of ${targets.length.toLocaleString('en')} faces got nothing`] : []),
  ]
  return { values: all, components, nLost: 0, quantity: { name, unit }, notes }
}

function carriedTo(context: StepContext, by: ByPoints['by'], places: Float64Array): Found {
  const { count, reach, radius, outside } = settingsOf(CarrySettings, context)
  const source = context.elsewhere('from')
  const expression = context.variable('variable')
  if (!source.hasShapes('from')) {
    const domain = source.domain('from')
    const names = domain.parts.map(({ name }) => name)
    const { components, unit } = source.quantity(expression, names)
    const valuesOf = (part: PartBlocks, block: number): FieldValues => source.blockValues(expression, names, part, block)
    const found = carryByCells(domain, places, components, valuesOf, context.check)
    const notes = outside === 'nearest' && found.nLost ? [fromOutside(source, expression, places, found, context.check)] : []
    return { ...found, quantity: { name: labelOf(expression), unit }, notes }
  }
  const shape = source.shape('from')
  const { name, unit, ...values } = source.values(expression, shape)
  const quantity = { name, unit }
  if (shape.kind !== 'points') {
    const { largest, ...found } = new NearestPlaces(shape).carry(places, values, context.check)
    const far = `from the nearest places, at most ${formatNumber(largest, 4)} ${source.lengthUnit ?? ''} away`
    return { ...found, quantity, notes: [far] }
  }
  const scattered = new ScatteredPoints(pointsOf(shape), context.check, context.survey())
  const own = joinValues(shape, values)
  const within = reach === 'within' ? lengthFactor(context.lengthUnit, source.lengthUnit) * radius : Infinity
  const found = carryByPoints(scattered, own, places, { by, count, within, takesNearest: outside === 'nearest' }, context.check)
  const flat =
    by === 'between' && scattered.isFlat ? ['the points lie in a plane or on a line: what is aside of it takes their values'] : []
  const { nRepeated } = scattered
  const repeated = nRepeated ? [`${nRepeated.toLocaleString('en')} points lie where another one is and are left out`] : []
  return { ...found, quantity, notes: [...flat, ...repeated] }
}

/** Gives places outside a region the values at the nearest places of its outside. @returns how many, and how far they are */
function fromOutside(source: StepContext, expression: Expression, places: Float64Array, found: Carried, check: () => void): string {
  const lost = lostOf(found)
  const outer = source.shape('from')
  const there = Float64Array.from(lost.flatMap((i) => [...places.subarray(3 * i, 3 * i + 3)]))
  const { values, largest } = new NearestPlaces(outer).carry(there, source.values(expression, outer), check)
  lost.forEach((i, k) => found.values.set(values.subarray(k * found.components, (k + 1) * found.components), i * found.components))
  found.nLost = 0
  const [n, all] = [lost.length, places.length / 3].map((count) => count.toLocaleString('en'))
  const far = `at most ${formatNumber(largest, 4)} ${source.lengthUnit ?? ''} away`
  return `${n} of ${all} places lie outside and have the values nearest to them, ${far}`
}

/** A value of each point of the target. */
interface Column {
  name: string
  title: string
  unit: string | null
  values: Float64Array
}

/** Of a vector its size, by which it is coloured, and its components. */
function columnsOf({ values, components, quantity: { name, unit } }: Found): Column[] {
  const n = values.length / components
  const title = `${name}, carried`
  const size: Column = { name: CARRIED, title, unit, values: Float64Array.from({ length: n }, (_, i) => signedSize(values, i, components)) }
  if (components === 1) return [size]
  const letters = components === 3 ? ['x', 'y', 'z'] : Array.from({ length: components }, (_, c) => `${c + 1}`)
  const parts = letters.map((letter, c): Column => ({
    ...{ name: `${CARRIED} ${letter}`, title: `${name}.${letter}, carried`, unit },
    values: Float64Array.from({ length: n }, (_, i) => values[i * components + c]!),
  }))
  return [size, ...parts]
}

function signedSize(values: Float64Array, i: number, components: number): number {
  return components === 1 ? values[i]! : magnitude(values, i, components)
}

/** What the target has of the same variable, and how much that is more; with its other fields where it is of another case. */
function ownColumns(context: StepContext, target: StepContext, shape: Shape, found: Found): Column[] {
  const expression = context.variable('variable')
  const own = found.components === 1 && valuesAtPoints(target, expression, shape)
  const compared: Column[] = []
  if (own && own.values.length === found.values.length) {
    const { unit } = found.quantity
    const to = displayIn(own.unit, unit)
    const there = own.values.map((x) => inDisplay(to, x))
    compared.push(
      { name: OWN, title: `${own.name}, as it is there`, unit, values: there },
      { name: DEVIATION, title: `${own.name}, less what is carried`, unit, values: there.map((x, i) => x - found.values[i]!) },
    )
  }
  if (target === context) return compared
  const others = target.fields().filter(({ field, called }) => field.components === 1 && called !== labelOf(expression))
  const fields = others.slice(0, MOST_FIELDS).flatMap(({ called }): Column[] => {
    const values = valuesAtPoints(target, nameOf(called), shape)
    return values ? [{ name: called, title: called, unit: values.unit, values: values.values }] : []
  })
  return [...compared, ...fields]
}

/** Undefined where it has none. */
function valuesAtPoints(target: StepContext, expression: Expression, shape: Shape): (Quantity & { values: Float64Array }) | undefined {
  try {
    const { name, unit, ...values } = target.values(expression, shape)
    const joined = joinValues(shape, values)
    const isAtPoints = joined.place === 'point' || shape.kind === 'points'
    return isAtPoints && joined.components === 1 ? { name, unit, values: joined.values } : undefined
  } catch (error) {
    if (error instanceof UserError) return undefined
    throw error
  }
}

function deviationNotes(columns: readonly Column[]): string[] {
  const column = columns.find(({ name }) => name === DEVIATION)
  const known = column?.values.filter((x) => Number.isFinite(x))
  if (!known?.length) return []
  const mean = known.reduce((sum, x) => sum + x, 0) / known.length
  const rms = Math.sqrt(known.reduce((sum, x) => sum + x * x, 0) / known.length)
  const largest = known.reduce((most, x) => (Math.abs(x) > Math.abs(most) ? x : most), 0)
  const [a, b, c] = [mean, rms, largest].map((x) => formatNumber(x, 4))
  return [`${column!.title}, at ${known.length} points: mean ${a}, rms ${b}, largest ${c} ${column!.unit ?? ''}`]
}

/** Whether the source is much coarser or finer than what it is carried onto. @param ratio  of how far their points are apart */
function finenessNotes(ratio: number): string[] {
  if (ratio > MUCH)
    return [`the source is about ${formatNumber(ratio, 2)} times as coarse as the places: between its points it is taken as linear`]
  if (ratio < 1 / MUCH)
    return [`the source is about ${formatNumber(1 / ratio, 2)} times as fine as the places, between which details are missed`]
  return []
}

function spacingOfSource(source: StepContext): number {
  if (source.hasShapes('from')) return spacingOfShape(source.shape('from'))
  const { parts } = source.domain('from')
  const cells = parts.reduce((n, { name }) => n + (source.catalogueOf(name)?.cells ?? 0), 0)
  return spacingIn(
    parts.flatMap(({ boxes }) => [...boxes]),
    cells,
  )
}

function withColumns(pieces: readonly Piece[], columns: readonly Column[]): Piece[] {
  let first = 0
  return pieces.map((piece) => {
    const end = first + piece.points.length / 3
    const own = columns.map(({ values }) => values.slice(first, end))
    first = end
    return { ...piece, columns: [...(piece.columns ?? []), ...own] }
  })
}
