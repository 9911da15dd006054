/** `stavik info FILE [--json]`: what is in a result file. */
import { UserError } from '../core/errors'
import { integrateCells, magnitude } from '../core/measure/integrateCells'
import { integrateShape } from '../core/measure/integrateShape'
import { mergeTotals } from '../core/measure/sums'
import type { Totals } from '../core/measure/sums'
import type { PartBlocks } from '../core/mesh/MeshBlock'
import type { Field } from '../core/study/caseModel'
import type { CaseData } from '../core/study/Evaluator'
import { readCase } from '../core/study/memoryCase'
import { mapValues, joinShapes } from '../core/steps/Shape'
import type { Shape } from '../core/steps/Shape'
import { facesOfBlock, skinOfBlock, wiresOfBlock } from '../core/steps/kernels/blockShapes'
import { readArguments, table } from './arguments'
import { withCase } from './openCase'

export interface FieldInfoRow {
  name: string
  on: 'points' | 'cells'
  components: number
  min: number | null
  max: number | null
  mean: number | null
  region: string
  unit: string | null
  /** Where the values live, as the case has it. */
  place: string
  kind: string
  /** Indices of the moments at which the field exists. */
  moments: number[]
  nonFinite: number
  componentRanges?: [number, number][]
}

export interface Info {
  format: string
  regions: { name: string; cells: number; points: number; cellTypes: Record<string, number>; bounds: (number | null)[]; volume: number }[]
  surfaces: { name: string; faces: number; area: number }[]
  times: number[]
  moments: { index: number; kind: string; label: string; value: number | null; unit: string | null }[]
  fields: FieldInfoRow[]
  cautions: string[]
}

export async function info(args: string[]): Promise<void> {
  const options = readArguments(args, { json: 'flag' }, './stavik info FILE [--json]')
  const [path] = options.positional
  if (!path) throw new UserError('usage', 'Name a result file: ./stavik info FILE [--json].')
  const result = await withCase(path, async (opened) => describeCase(await readCase(opened, 0)))
  process.stdout.write(options.has('json') ? `${JSON.stringify(result)}\n` : `${readable(result)}\n`)
}

/** Figures of all parts and fields at one moment. */
export function describeCase(data: CaseData): Info {
  const { catalogue } = data
  const regions: Info['regions'] = []
  const surfaces: Info['surfaces'] = []
  const fields: FieldInfoRow[] = []
  const hasSurfaces = catalogue.parts.some((p) => p.dimension === 2)
  const nRegions = catalogue.parts.filter((p) => p.dimension === 3).length
  for (const entry of catalogue.parts) {
    const part = data.part(entry.name)
    const shape = wholeShape(part)
    if (entry.dimension === 3) {
      const ones = (k: number) => ({ values: new Float64Array(part.block(k).types.length).fill(1), components: 1, place: 'cell' as const })
      const volume = cellTotals(part, ones, 1).measure
      regions.push({ name: entry.name, cells: entry.cells, points: entry.points, cellTypes: entry.cellTypes, bounds: entry.bounds, volume })
      if (!hasSurfaces) surfaces.push({ name: nRegions === 1 ? 'outer' : `${entry.name}/outer`, faces: skinFaces(part), area: areaOf(shape) })
    } else if (entry.dimension === 2) surfaces.push({ name: entry.name, faces: entry.cells, area: areaOf(shape) })
    for (const field of catalogue.fields) if (field.parts.includes(entry.name)) fields.push(fieldRow(part, field, shape))
  }
  const times = catalogue.moments.filter((m) => m.kind === 'time').map((m) => m.value!)
  const moments = catalogue.moments.map(({ index, kind, label, value, unit }) => ({ index, kind, label, value, unit }))
  return { format: catalogue.format, regions, surfaces, times, moments, fields, cautions: catalogue.cautions }
}

function wholeShape(part: PartBlocks): Shape {
  const make = part.dimension === 3 ? skinOfBlock : part.dimension === 2 ? facesOfBlock : wiresOfBlock
  const kind = part.dimension >= 2 ? 'surface' : part.dimension === 1 ? 'lines' : 'points'
  return joinShapes(kind, Array.from({ length: part.nBlocks }, (_, k) => make(part.block(k), part.name, k)))
}

function skinFaces(part: PartBlocks): number {
  let n = 0
  for (let k = 0; k < part.nBlocks; k++) n += part.block(k).skin.length / 2
  return n
}

function areaOf(shape: Shape): number {
  return integrateShape(shape, { values: new Float64Array(shape.cells.length).fill(1), components: 1, place: 'element' }).measure
}

function cellTotals(part: PartBlocks, values: (k: number) => Parameters<typeof integrateCells>[1], components: number): Totals {
  const groups = []
  for (let k = 0; k < part.nBlocks; k++) groups.push(...integrateCells(part.block(k), values(k)))
  return mergeTotals(groups, components)
}

/**
 * Extremes are over all values, the mean is by the measure of the cells: volume, area or length. Vectors count by
 * their magnitude, tensors by their norm.
 */
function fieldRow(part: PartBlocks, field: Field, shape: Shape): FieldInfoRow {
  const { components } = field
  const sizes = (k: number) => {
    const { values, place } = part.field(field.name, k)
    const out = new Float64Array(values.length / components)
    for (let i = 0; i < out.length; i++) out[i] = magnitude(values, i, components)
    return { values: out, components: 1, place }
  }
  const totals = part.dimension === 3 ? cellTotals(part, sizes, 1) : integrateShape(shape, mapValues(shape, (_, k) => sizes(k)))
  const ranges: [number, number][] = Array.from({ length: components }, () => [Infinity, -Infinity])
  const range: [number, number] = [Infinity, -Infinity]
  const bad = new Set<number>()
  for (let k = 0; k < part.nBlocks; k++) {
    const { values } = part.field(field.name, k)
    const block = part.block(k)
    const numbers = field.place === 'cell' ? block.cellNumbers : block.pointNumbers
    const magnitudes = sizes(k).values
    for (let i = 0; i < magnitudes.length; i++) {
      if (!Number.isFinite(magnitudes[i]!)) bad.add(numbers[i]!)
      else widen(range, magnitudes[i]!)
      for (let c = 0; c < components; c++) if (Number.isFinite(values[i * components + c]!)) widen(ranges[c]!, values[i * components + c]!)
    }
  }
  return {
    name: field.name,
    on: field.place === 'cell' ? 'cells' : 'points',
    components,
    min: finite(range[0]),
    max: finite(range[1]),
    mean: finite(totals.mean[0]!),
    region: part.name,
    unit: field.unit,
    place: field.place,
    kind: field.kind,
    moments: field.moments,
    nonFinite: bad.size,
    ...(components > 1 && { componentRanges: ranges }),
  }
}

function widen(range: [number, number], x: number): void {
  if (x < range[0]) range[0] = x
  if (x > range[1]) range[1] = x
}

function finite(x: number): number | null {
  return Number.isFinite(x) ? x : null
}

function momentsInWords(moments: Info['moments']): string {
  if (moments.length === 1) return 'one moment'
  const kinds = new Set(moments.map((m) => m.kind))
  const [first, last] = [moments[0]!, moments[moments.length - 1]!]
  return `${moments.length} ${kinds.size === 1 ? `moments (${first.kind})` : 'moments'}, ${first.label} to ${last.label}${first.unit && kinds.size === 1 ? ` ${first.unit}` : ''}`
}

function readable(result: Info): string {
  const number = (x: number | null): string => (x === null ? '–' : Number(x.toPrecision(6)).toString())
  const lines = [`${result.format}, ${momentsInWords(result.moments)}`]
  const section = (title: string, rows: string[][]): void => {
    if (rows.length > 1) lines.push('', title, table(rows))
  }
  section('Regions', [
    ['name', 'cells', 'points', 'volume', 'box'],
    ...result.regions.map((r) => [r.name, `${r.cells}`, `${r.points}`, number(r.volume), `${r.bounds.slice(0, 3).map(number).join(' ')} … ${r.bounds.slice(3).map(number).join(' ')}`]),
  ])
  section('Surfaces', [['name', 'faces', 'area'], ...result.surfaces.map((s) => [s.name, `${s.faces}`, number(s.area)])])
  section('Fields', [
    ['name', 'part', 'on', 'components', 'unit', 'min', 'mean', 'max', 'not finite'],
    ...result.fields.map((f) => [f.name, f.region, f.on, `${f.components}`, f.unit ?? '?', number(f.min), number(f.mean), number(f.max), `${f.nonFinite}`]),
  ])
  for (const caution of result.cautions) lines.push('', `Caution: ${caution}`)
  return lines.join('\n')
}
