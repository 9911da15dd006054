/** Paths of what drifts with a flow, or of spheres that it drags along, through the moments of the case. */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { DataError } from '../errors'
import { diagonal } from '../mesh/boxes'
import { direction, VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { looseLines } from '../shapes/drawnLine'
import type { Shape } from '../shapes/Shape'
import { Dragged, Drifting } from '../trace/motions'
import type { Motion, Sphere } from '../trace/motions'
import { MovingField } from '../trace/MovingField'
import { pathColumns } from '../trace/pathColumns'
import { endingsOf, endNotes, endTable } from '../trace/pathEndings'
import { followPaths } from '../trace/paths'
import type { Paths } from '../trace/paths'
import { letGoAt } from '../trace/releases'
import type { Let } from '../trace/releases'
import { equalMasses } from '../trace/sizes'
import { lengthFactor } from '../units/units'
import { periodicSides, sizeOfRegions, surfaceNames } from './boundarySides'
import { flowsOf } from './flowThroughTime'
import { followWords } from './followWords'
import { placesToStart, Seeding, seedingDefaults, seedsOf } from './seeding'
import { oneOf } from './oneOf'
import { defineStep, settingsOf, workOf } from './StepKind'
import type { StepContext } from './StepKind'

/** Places at which something is let go. */
const MOST_PLACES = 20_000

const Settings = Type.Object({
  variable: Type.String(),
  /** Places at which something is let go. */
  count: Type.Integer({ minimum: 1, maximum: MOST_PLACES }),
  ...Seeding,
  what: oneOf('drifting', 'spheres'),
  release: oneOf('once', 'moments', 'every'),
  /** Seconds from one release to the next. */
  every: Type.Number({ exclusiveMinimum: 0 }),
  span: oneOf('moments', 'still'),
  /** Seconds that a flow which stays as it is is followed. */
  duration: Type.Number({ exclusiveMinimum: 0 }),
  way: oneOf('onwards', 'back'),
  sizes: oneOf('listed', 'spread'),
  /** Of spheres, in mm: each is let go at every place. */
  diameters: Type.Array(Type.Number({ exclusiveMinimum: 0 }), { minItems: 1, maxItems: 50 }),
  /** Of spheres of which each size has the same mass: Rosin and Rammler's median in mm, the exponent, and how many sizes. */
  median: Type.Number({ exclusiveMinimum: 0 }),
  exponent: Type.Number({ minimum: 0.1, maximum: 100 }),
  nSizes: Type.Integer({ minimum: 1, maximum: 50 }),
  /** kg/m³ */
  density: Type.Number({ exclusiveMinimum: 0 }),
  /** kg/m³ */
  fluidDensity: Type.Number({ exclusiveMinimum: 0 }),
  /** Pa·s */
  viscosity: Type.Number({ exclusiveMinimum: 0 }),
  /** Where weight pulls. */
  down: VectorSchema,
  start: oneOf('flow', 'rest', 'given'),
  /** m/s */
  startVelocity: VectorSchema,
  /** Share of the speed across a surface that is kept where a sphere bounces. */
  bounce: Type.Number({ minimum: 0, maximum: 1 }),
  /** Error allowed per step, as a share of the diagonal. */
  tolerance: Type.Number({ minimum: 1e-12, maximum: 1e-2 }),
})
export type FollowSettings = Static<typeof Settings>

/** m/s² */
const GRAVITY = 9.80665
/** Steps of a path from one moment to the next. */
const MAX_STEPS = 20_000
/** Points of all paths up to which bends between moments are kept. */
const MAX_POINTS = 2_000_000
/** Paths in all. */
const MOST_PATHS = 200_000

export const follow = defineStep({
  id: 'follow',
  version: 1,
  title: 'Follow',
  words: ['paths', 'path lines', 'pathlines', 'particles', 'particle tracks', 'particle paths', 'drift', 'residence time', 'unsteady'],
  icon: 'M3 18 C8 18 8 8 13 8 S18 13 20 13 M3 18 h.01 M8.5 13 h.01 M13 8 h.01 M20 13 h.01',
  settings: Settings,
  inputs: [
    { name: 'of', accepts: ['region'], isList: true },
    seedsOf('paths'),
    { name: 'bounced', accepts: ['surface'], isList: true, isOptional: true, none: 'nothing' },
  ],
  defaults({ pick, range, box }, wishes) {
    const variable = wishes.variable ?? pick(3)
    const fastest = Math.max(...(range(variable) ?? [0, 0]).map(Math.abs))
    // several times through all of it: the box may be that of what it starts from
    const duration = fastest > 0 ? Number(((8 * diagonal(box)) / fastest).toPrecision(2)) : 60
    return {
      variable,
      count: wishes.what === 'spheres' ? 25 : 40,
      ...seedingDefaults(box),
      what: 'drifting' as const,
      release: 'once' as const,
      every: Number((duration / 60).toPrecision(1)),
      span: 'moments' as const,
      duration,
      way: 'onwards' as const,
      ...{ sizes: 'listed' as const, diameters: [0.5, 1, 2, 4], median: 2, exponent: 3, nSizes: 6 },
      // food for fish in water
      ...{ density: 1050, fluidDensity: 998, viscosity: 1e-3, down: [0, 0, -1] as Vector },
      ...{ start: 'flow' as const, startVelocity: [0, 0, 0] as Vector, bounce: 0.5, tolerance: 1e-6 },
      ...wishes,
    }
  },
  presets: [
    {
      title: 'Follow spheres with mass',
      words: 'particles with mass pellets droplets dust sediment drag gravity inertial',
      settings: { what: 'spheres' },
    },
    { title: 'Follow what is let go at every moment', words: 'streaks streaklines smoke dye release', settings: { release: 'moments' } },
  ],
  look: { width: 1.2, hasHalo: true, column: pathColumns.age.name },
  yields: () => 'lines',
  isTraced: true,
  sentence: followWords,
  hasColour: true,
  shapeVariables: ['variable'],
  needsUnits: true,
  looksAtBoundary: true,
  isThroughMoments: ({ span }) => span === 'moments',
  shape: workOf<'all', Shape>({
    units: () => ['all'],
    unit: followAll,
    merge: (_, [shape]) => shape!,
  }),
})

function followAll(context: StepContext): Shape {
  const settings = settingsOf(Settings, context)
  const { parts } = context.domain('of')
  if (!parts.length) throw new DataError('no-region', 'Paths need a region of volume cells; choose one under “in”.')
  const flow = flowsOf(context, settings)
  const size = sizeOfRegions(context)
  const lets = letGoAt(placesToStart(context, settings, MOST_PLACES), flow.moments, {
    ...settings,
    diameters: diametersOf(settings) ?? [0],
  })
  if (lets.length > MOST_PATHS) {
    const few = lets.length.toLocaleString('en')
    throw new DataError('too-many', `These are ${few} paths, more than ${MOST_PATHS.toLocaleString('en')}; take fewer places or releases.`)
  }
  const field = new MovingField(flow.factor)
  const sides = periodicSides(context, size)
  try {
    const paths = followPaths(field, flow.moments, lets, {
      ...{
        tolerance: settings.tolerance * size,
        size,
        maxSteps: MAX_STEPS,
        maxPoints: MAX_POINTS,
        check: context.check,
        progress: context.progress,
      },
      motionOf: motionsOf(context, settings, field, lets),
      ...bouncing(context, settings, size),
      sides,
    })
    return shapeOf(context, settings, paths, { lets, sign: flow.sign, unit: flow.unit, notes: [...flow.notes, ...sides.notes()], size })
  } finally {
    field.close()
  }
}

/** mm; undefined for what has no size. */
function diametersOf({ what, sizes, diameters, median, exponent, nSizes }: FollowSettings): number[] | undefined {
  if (what !== 'spheres') return undefined
  return sizes === 'listed' ? diameters : equalMasses(median, exponent, nSizes)
}

/** One for each size. */
function motionsOf(context: StepContext, settings: FollowSettings, field: MovingField, lets: readonly Let[]): (i: number) => Motion {
  if (settings.what === 'drifting') {
    const drifting = new Drifting(field)
    return () => drifting
  }
  if (settings.way === 'back')
    throw new DataError('spheres-back', 'Spheres with mass cannot be followed back in time, where drag drives them apart; take “onwards”.')
  if (context.lengthUnit === null)
    throw new DataError('no-length-unit', 'The length unit of the case is not known, so drag and weight are not; set it in the data check.')
  const metres = lengthFactor(context.lengthUnit, 'm')
  const gravity = direction(settings.down as Vector).map((c) => (c * GRAVITY) / metres)
  const starts = { flow: undefined, rest: [0, 0, 0], given: (settings.startVelocity as Vector).map((c) => c / metres) }
  const start = starts[settings.start as keyof typeof starts]
  const { density, fluidDensity, viscosity } = settings
  const motions = diametersOf(settings)!.map((mm) => {
    const sphere: Sphere = { density, diameter: mm / 1000, fluidDensity, viscosity, gravity, lengthFactor: metres, ...(start && { start }) }
    return new Dragged(field, sphere)
  })
  return (i) => motions[lets[i]!.size]!
}

/** Where spheres bounce: the part of the velocity across the surface turns round. */
function bouncing(context: StepContext, { what, bounce }: FollowSettings, size: number) {
  if (what !== 'spheres' || !context.inputs('bounced').length) return {}
  const surfaces = surfaceNames(context, size, [{ name: 'bounced', shape: context.shape('bounced') }])
  return {
    atBoundary: () => (state: Float64Array) => {
      const found = surfaces.at(state[0]!, state[1]!, state[2]!)
      if (!found) return false
      const across = found.normal.reduce((sum, c, d) => sum + c * state[d + 3]!, 0)
      found.normal.forEach((c, d) => (state[d + 3]! -= (1 + bounce) * across * c))
      return true
    },
  }
}

interface Followed {
  lets: readonly Let[]
  /** -1 back in time. */
  sign: number
  unit: string | null
  notes: readonly string[]
  size: number
}

function shapeOf(context: StepContext, settings: FollowSettings, paths: Paths, { lets, sign, unit, notes, size }: Followed): Shape {
  const { starts, positions, times, speeds } = paths
  const of = new Uint32Array(times.length)
  for (let k = 0; k < lets.length; k++) of.fill(k, starts[k]!, starts[k + 1]!)
  const own = (valueOf: (point: number, path: number) => number): Float64Array => Float64Array.from(times, (_, p) => valueOf(p, of[p]!))
  const { time, age, speed, release, place, diameter } = pathColumns
  const diameters = diametersOf(settings)
  const speedUnit = unit && context.lengthUnit && `${context.lengthUnit}/${unit}`
  const columns = [
    { ...time, unit, values: own((p) => sign * times[p]!) },
    { ...age, unit, values: own((p, k) => times[p]! - lets[k]!.time) },
    { ...speed, unit: speedUnit, values: speeds },
    { ...release, unit: '1', values: own((_, k) => lets[k]!.release + 1) },
    { ...place, unit: '1', values: own((_, k) => lets[k]!.place + 1) },
    ...(diameters ? [{ ...diameter, unit: 'mm', values: own((_, k) => diameters[lets[k]!.size]!) }] : []),
  ]
  const endings = endingsOf(paths, lets, surfaceNames(context, size))
  return {
    kind: 'lines',
    pieces: [{ ...looseLines(positions, starts), columns: columns.map(({ values }) => values) }],
    columns: columns.map(({ values: _, ...column }) => column),
    notes: [...notes, ...endNotes(endings), ...(settings.what === 'spheres' ? [LAW] : [])],
    table: endTable(endings, diameters, settings.sizes === 'spread', unit),
  }
}

const LAW = 'drag of a sphere (Schiller and Naumann), weight and buoyancy; no added mass, no lift, no effect on the flow'
