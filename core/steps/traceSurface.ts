/** Lines along a surface that follow a vector: limiting streamlines at a wall, flow within a cut. */
import { Type } from '@sinclair/typebox'
import { DataError } from '../errors'
import { labelOf } from '../fields/formula/expressions'
import { boxOfPoints, diagonal, unionBox } from '../mesh/boxes'
import type { Vector } from '../mesh/vectors'
import { cornerValues, partsOf, triangleCorners } from '../shapes/Shape'
import type { Piece, Shape } from '../shapes/Shape'
import { LineBuilder } from '../trace/lineShapes'
import { seedPoints } from '../trace/seeds'
import { SurfaceTracer } from '../trace/surfaceLines'
import type { FieldTriangles, SurfaceLine } from '../trace/surfaceLines'
import { directionChoice, Directions, travelColumns } from './streamWords'
import { timeAlong } from './timeAlong'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

const Settings = Type.Object({
  variable: Type.String(),
  count: Type.Integer({ minimum: 1, maximum: 5000 }),
  direction: Directions,
  /** Longest line as a multiple of the diagonal of the surface. */
  length: Type.Number({ minimum: 0.01, maximum: 1000 }),
})

const MAX_STEPS = 50_000

export const traceSurface = defineStep({
  id: 'trace-surface',
  version: 1,
  title: 'Surface streamlines',
  words: ['surface lines', 'oil flow', 'limiting streamlines', 'skin friction lines', 'tangential streamlines'],
  icon: 'M3 20 L7 5 H21 L17 20 Z M6 16 C9 12 11 16 14 12 S17 9 19 9',
  settings: Settings,
  inputs: [
    { name: 'of', accepts: ['surface'], isList: true },
    { name: 'seeds', accepts: ['lines', 'surface'], isOptional: true, none: 'all over it' },
  ],
  defaults: ({ pick }, wishes) => ({
    ...{ variable: wishes.variable ?? pick(3), count: 80, direction: 'both' as const, length: 0.3 },
    ...wishes,
  }),
  look: { width: 1, hasHalo: true, isPlain: true },
  yields: () => 'lines',
  sentence: () => [
    'Surface streamlines ',
    { token: 'number', setting: 'count', quantity: 'count' },
    ' of ',
    { token: 'variable', setting: 'variable', kind: 'vector' },
    ' on ',
    { token: 'input', input: 'of' },
    ' from ',
    { token: 'input', input: 'seeds' },
    ' ',
    directionChoice,
    ' for up to ',
    { token: 'number', setting: 'length', quantity: 'factor' },
    ' of its diagonal',
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  shapeVariables: ['variable'],
  needsUnits: true,
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit: traceAll,
    merge: (_, [shape]) => shape!,
  }),
})

function traceAll(context: StepContext): Shape {
  const surface = context.shape('of')
  if (surface.kind !== 'surface') throw new DataError('no-surface', 'Such lines lie on a surface; choose one under “on”.')
  const { count, direction, length } = settingsOf(Settings, context)
  const variable = context.variable('variable')
  const { triangles, from, unit } = trianglesOf(context, surface)
  const size = diagonal(unionBox(surface.pieces.map(({ points }) => boxOfPoints(points))))
  const tracer = new SurfaceTracer(triangles, size)
  const seeds = seedPoints(context.inputs('seeds').length ? context.shape('seeds') : surface, count)
  const options = { maxLength: length * size, maxSteps: MAX_STEPS, check: context.check }
  const lines = seeds.map((seed, i) => {
    context.progress(i / seeds.length)
    const back = direction === 'downstream' ? undefined : tracer.trace(seed, { ...options, sign: -1 })
    const forth = direction === 'upstream' ? undefined : tracer.trace(seed, { ...options, sign: 1 })
    return { back, forth }
  })
  const time = timeAlong(context.lengthUnit, unit)
  const ends = lines.flatMap(({ back, forth }) => [back, forth].flatMap((line) => line ?? []))
  const notes = [...new Set(ends.map(({ end }) => end))].map((end) => `${ends.filter((line) => line.end === end).length} ${end}`)
  return {
    kind: 'lines',
    pieces: [pieceOf(lines.map(joined), { surface, from, tracer, factor: time.factor })],
    columns: travelColumns(time.unit, context.lengthUnit),
    notes: [...notes, `the part of ${labelOf(variable)} across the surface is left out`],
  }
}

/** Where each triangle comes from. */
interface Origin {
  piece: number
  element: number
}

function trianglesOf(context: StepContext, surface: Shape): { triangles: FieldTriangles; from: Origin[]; unit: string | null } {
  const variable = context.variable('variable')
  const { pieces, components, unit } = context.values(variable, surface)
  if (components !== 3) throw new DataError('not-vector', `“${labelOf(variable)}” is no vector; lines follow a vector such as a velocity.`)
  const from = surface.pieces.flatMap(({ cells }, piece) => Array.from(cells, (_, element): Origin => ({ piece, element })))
  const corners = new Float64Array(9 * from.length)
  const vectors = new Float64Array(9 * from.length)
  let at = 0
  surface.pieces.forEach((piece, n) => {
    vectors.set(cornerValues('surface', piece, pieces[n]!).values, at)
    corners.set(triangleCorners(piece), at)
    at += 9 * piece.cells.length
  })
  return { triangles: { corners, vectors }, from, unit }
}

type Places = Pick<SurfaceLine, 'places' | 'times'>

/** What leads to a seed and what leads away from it as one line. */
function joined({ back, forth }: { back: SurfaceLine | undefined; forth: SurfaceLine | undefined }): Places {
  const reversed = back && { places: [...back.places].reverse(), times: [...back.times].reverse() }
  if (!reversed || !forth) return reversed ?? forth!
  return { places: [...reversed.places, ...forth.places.slice(1)], times: [...reversed.times, ...forth.times.slice(1)] }
}

interface On {
  surface: Shape
  from: readonly Origin[]
  tracer: SurfaceTracer
  factor: number
}

/** With the values that the surface has at each place. */
function pieceOf(lines: readonly Places[], { surface, from, tracer, factor }: On): Piece {
  const names = partsOf(surface)
  const builder = new LineBuilder(names.map((name) => ({ name })))
  const times: number[] = []
  const lengths: number[] = []
  for (const { places, times: own } of lines) {
    if (places.length < 2) continue
    builder.startPath()
    let last: Vector | undefined
    let way = 0
    places.forEach(({ triangle, s, t }, i) => {
      const { piece, element } = from[triangle]!
      const on = surface.pieces[piece]!
      const at = tracer.position(triangle, s, t)
      if (last) way += Math.hypot(at[0] - last[0], at[1] - last[1], at[2] - last[2])
      last = at
      times.push(own[i]! * factor)
      lengths.push(way)
      const range = on.ranges.find(({ elementStart, elementEnd }) => element >= elementStart && element < elementEnd)
      if (!range) return builder.addOutside(at)
      builder.add(at, names.indexOf(range.part), range.block, { cell: on.cells[element]!, ...mixedWeights(on, element, [1 - s - t, s, t]) })
    })
  }
  return { ...builder.finish(), columns: [Float64Array.from(times), Float64Array.from(lengths)] }
}

/** Points of the case that count in a triangle. */
function mixedWeights({ elements, weightStarts, sources, weights }: Piece, element: number, shares: readonly number[]) {
  const nodes: number[] = []
  const own: number[] = []
  shares.forEach((share, i) => {
    const p = elements[3 * element + i]!
    for (let w = weightStarts[p]!; w < weightStarts[p + 1]!; w++) {
      nodes.push(sources[w]!)
      own.push(share * weights[w]!)
    }
  })
  return { nodes, weights: own }
}
