/** What flows through surfaces, one by one: for a flux through some of them and for the balance of a region. */
import { formatNumber } from '../colour/ticks'
import { DataError } from '../errors'
import { callOf, labelOf, nameOf, productOf } from '../fields/formula/expressions'
import { flowOf } from '../measure/flow'
import { sizeOfShape } from '../measure/integrateShape'
import type { ReadingPart } from '../measure/results'
import { sumCells } from '../measure/sumCells'
import { powerName, productName } from '../measure/unitNames'
import type { PartBlocks } from '../mesh/MeshBlock'
import { elementCount } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'
import { parseUnit, sameDimensions } from '../units/units'
import type { StepContext } from './StepKind'

/** Through one surface: out of the region that is named, and into it. */
export interface SurfaceFlow {
  name: string
  out: number
  into: number
}

export interface Flows {
  surfaces: SurfaceFlow[]
  unit: string | null
  /** Direction that counts as out, in words. */
  words: string
  madeOf: string[]
  cautions: string[]
}

export function netOf(flows: readonly SurfaceFlow[]): number {
  return flows.reduce((sum, { out, into }) => sum + out - into, 0)
}

/** In and out apart, and each surface where there are several. */
export function partsOfFlow({ surfaces, unit }: Flows): ReadingPart[] {
  const total = (of: 'out' | 'into'): number => surfaces.reduce((sum, own) => sum + own[of], 0)
  const each = surfaces.length > 1 ? surfaces.map((own) => ({ name: own.name, value: netOf([own]), unit })) : []
  return [{ name: 'out', value: total('out'), unit }, { name: 'in', value: total('into'), unit }, ...each]
}

/** @param input  of the surfaces. @param isMass  times the density */
export function flowsThrough(context: StepContext, input: string, isMass: boolean): Flows {
  if (context.domain(input).parts.length)
    throw new DataError('no-surface', 'A flux goes through a surface; choose a surface or a slice, not a region.')
  const variable = context.variable('variable')
  const stored = context.parts(input)
  const names = stored.map(({ name }) => name)
  if (stored.length && context.quantity(variable, names).plain?.place === 'face') return storedFlows(context, input, stored, isMass)
  const shape = context.shape(input)
  if (shape.kind !== 'surface') throw new DataError('no-surface', 'A flux goes through a surface; lines have none.')
  const through = callOf('dot', variable, nameOf('normal'))
  const values = context.values(isMass ? productOf(nameOf('density'), through) : through, shape)
  const sides = sidesOf(context, input, shape)
  let nonFinite = 0
  const surfaces = [...piecesByPart(shape)].map(([name, at]): SurfaceFlow => {
    const own = { ...shape, pieces: at.map((i) => shape.pieces[i]!) }
    const found = flowOf(own, { ...values, pieces: at.map((i) => values.pieces[i]!) })
    nonFinite += found.nonFinite
    return turned({ name, out: found.out, into: found.into }, sides.sign(name))
  })
  const area = `area ${formatNumber(sizeOfShape(shape).measure, 8)} ${context.lengthUnit ? powerName(context.lengthUnit, 2) : ''}`
  const what = `${isMass ? 'density · ' : ''}${labelOf(variable)} · normal`
  return {
    surfaces,
    unit: productName(values.unit, context.lengthUnit, 2),
    words: sides.words,
    madeOf: [`sum of ${what} over ${elementCount(shape).toLocaleString('en')} triangles, ${area}`, `positive ${sides.words}`],
    cautions: nonFinite ? [`${nonFinite} triangles with values that are not finite are left out.`] : [],
  }
}

/** The sum of what the solver itself has flowing through each face: better than an integral over interpolated values. */
function storedFlows(context: StepContext, input: string, parts: readonly PartBlocks[], isMass: boolean): Flows {
  const variable = context.variable('variable')
  const label = labelOf(variable)
  if (parts.length < context.inputs(input).length) {
    throw new DataError('not-stored', `“${label}” is stored on the faces of the case's own surfaces; choose those alone.`)
  }
  const names = parts.map(({ name }) => name)
  const { unit } = context.quantity(variable, names)
  const isMassRate = unit !== null && sameDimensions(parseUnit(unit)!.dimensions, parseUnit('kg/s')!.dimensions)
  if (isMass && !isMassRate) {
    throw new DataError(
      'no-mass',
      `“${label}” is in ${unit ?? 'no known unit'}, which is no mass flow; measure its flux, or the mass flow with a velocity.`,
    )
  }
  const sides = sidesOf(context, input, context.shape(input))
  const sums = parts.map((part) => sumCells(part, (k) => context.blockValues(variable, names, part, k), context.check))
  const surfaces = parts.map(({ name }, i): SurfaceFlow => {
    const [sum = 0, positive = 0] = [sums[i]!.sums[0], sums[i]!.positive[0]]
    return turned({ name, out: positive, into: positive - sum }, sides.sign(name))
  })
  const nFaces = sums.reduce((n, { cells }) => n + cells, 0)
  const nonFinite = sums.reduce((n, found) => n + found.nonFinite, 0)
  return {
    surfaces,
    unit,
    words: sides.words,
    madeOf: [`sum of ${label} as stored on ${nFaces.toLocaleString('en')} faces`, `positive ${sides.words}`],
    cautions: nonFinite ? [`${nonFinite} faces without a finite value are left out.`] : [],
  }
}

function turned({ name, out, into }: SurfaceFlow, sign: number): SurfaceFlow {
  return sign < 0 ? { name, out: into, into: out } : { name, out, into }
}

/** Pieces of a shape by the part that they lie in. */
export function piecesByPart({ pieces }: Shape): Map<string, number[]> {
  const found = new Map<string, number[]>()
  pieces.forEach(({ ranges }, i) => {
    const name = ranges[0]?.part ?? ''
    found.set(name, [...(found.get(name) ?? []), i])
  })
  return found
}

/** What makes a flux positive out of the named region, by surface, and the direction in words. */
export function sidesOf(context: StepContext, input: string, shape: Shape): { sign(part: string): number; words: string } {
  const out = context.inputs('out of')[0]
  const region = out && 'part' in out ? out.part : undefined
  if (!region) return { sign: () => 1, words: shape.direction ?? 'along the normal' }
  const surfaces = context.inputs(input).map((own) => ('part' in own ? context.catalogueOf(own.part) : undefined))
  const stranger = surfaces.find((part) => part?.owners && !part.owners.includes(region))
  if (stranger) {
    throw new DataError(
      'not-boundary',
      `${stranger.name} does not bound ${region}; choose another region under “out of”, or leave that surface out.`,
    )
  }
  const isBoundary = surfaces.some((part) => part?.owners)
  return {
    sign: (name) => (surfaces.some((part) => part?.name === name && part.owners?.[1] === region) ? -1 : 1),
    words: isBoundary ? `out of ${region}` : (shape.direction ?? `out of ${region}`),
  }
}
