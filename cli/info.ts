/** `stavik info FILE [--time T | --moment I] [--json]`: what is in a result file. */
import { UserError } from '../core/errors'
import { fieldSummary } from '../core/check/fieldFigures'
import { partSize } from '../core/check/partFigures'
import type { PartBlocks } from '../core/mesh/MeshBlock'
import { storedPlace } from '../core/case/catalogue'
import type { Field } from '../core/case/catalogue'
import type { CaseData } from '../core/case/CaseData'
import { readArguments, table } from './arguments'
import { chooseMoment } from './chooseMoment'
import { withData } from './openCase'

const USAGE = './stavik info FILE [--time T | --moment I] [--json]'

export interface FieldInfoRow {
  name: string
  on: 'points' | 'cells' | 'case'
  components: number
  min: number | null
  max: number | null
  mean: number | null
  /** null: the whole case. */
  region: string | null
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
  lines: { name: string; lines: number; points: number; length: number }[]
  clouds: { name: string; points: number }[]
  times: number[]
  moments: { index: number; kind: string; label: string; value: number | null; unit: string | null }[]
  fields: FieldInfoRow[]
  cautions: string[]
}

export async function info(args: string[]): Promise<void> {
  const options = readArguments(args, { time: 'value', moment: 'value', json: 'flag' }, USAGE)
  const [path] = options.positional
  if (!path) throw new UserError('usage', `Name a result file: ${USAGE}.`)
  const result = await withData(
    path,
    (catalogue) => ({ moment: chooseMoment(catalogue, options.value('time'), options.value('moment')) }),
    (data, moment) => describeCase(data, moment),
  )
  process.stdout.write(options.has('json') ? `${JSON.stringify(result)}\n` : `${readable(result)}\n`)
}

/** Figures of all parts and fields at one moment. */
export function describeCase(data: CaseData, moment = 0): Info {
  const { catalogue } = data
  const regions: Info['regions'] = []
  const surfaces: Info['surfaces'] = []
  const lines: Info['lines'] = []
  const clouds: Info['clouds'] = []
  const fields: FieldInfoRow[] = []
  const hasSurfaces = catalogue.parts.some((p) => p.dimension === 2)
  const nRegions = catalogue.parts.filter((p) => p.dimension === 3).length
  for (const entry of catalogue.parts) {
    const part = data.part(entry.name)
    const { size, skinArea, skinFaces } = partSize(part)
    if (entry.dimension === 3) {
      regions.push({
        name: entry.name,
        cells: entry.cells,
        points: entry.points,
        cellTypes: entry.cellTypes,
        bounds: entry.bounds,
        volume: size,
      })
      if (!hasSurfaces) surfaces.push({ name: nRegions === 1 ? 'outer' : `${entry.name}/outer`, faces: skinFaces, area: skinArea! })
    } else if (entry.dimension === 2) surfaces.push({ name: entry.name, faces: entry.cells, area: size })
    else if (entry.dimension === 1) lines.push({ name: entry.name, lines: entry.cells, points: entry.points, length: size })
    else clouds.push({ name: entry.name, points: entry.points })
    for (const field of catalogue.fields) if (field.parts.includes(entry.name)) fields.push(fieldRow(part, field))
  }
  for (const field of catalogue.fields) if (field.place === 'whole case') fields.push(numberRow(field, moment))
  const times = catalogue.moments.filter((m) => m.kind === 'time').map((m) => m.value!)
  const moments = catalogue.moments.map(({ index, kind, label, value, unit }) => ({ index, kind, label, value, unit }))
  return { format: catalogue.format, regions, surfaces, lines, clouds, times, moments, fields, cautions: catalogue.cautions }
}

/** A number of the whole case at one moment. */
function numberRow({ name, unit, place, kind, moments, values }: Field, moment: number): FieldInfoRow {
  const value = values?.[moment] ?? null
  return { name, on: 'case', components: 1, min: value, max: value, mean: value, region: null, unit, place, kind, moments, nonFinite: 0 }
}

function fieldRow(part: PartBlocks, field: Field): FieldInfoRow {
  const { components } = field
  const figures = fieldSummary(part, field.name, components)
  return {
    name: field.name,
    on: `${storedPlace(field.place)}s`,
    components,
    ...{ min: figures.min, max: figures.max, mean: figures.mean },
    region: part.name,
    unit: field.unit,
    place: field.place,
    kind: field.kind,
    moments: field.moments,
    nonFinite: figures.notANumber + figures.infinite,
    ...(components > 1 && { componentRanges: figures.componentRanges }),
  }
}

function momentsInWords(moments: Info['moments']): string {
  if (moments.length === 1) return 'one moment'
  const kinds = new Set(moments.map((m) => m.kind))
  const [first, last] = [moments[0]!, moments[moments.length - 1]!]
  return (
    `${moments.length} ${kinds.size === 1 ? `moments (${first.kind})` : 'moments'}, ${first.label} to ` +
    `${last.label}${first.unit && kinds.size === 1 ? ` ${first.unit}` : ''}`
  )
}

function readable(result: Info): string {
  const number = (x: number | null): string => (x === null ? '–' : Number(x.toPrecision(6)).toString())
  const lines = [`${result.format}, ${momentsInWords(result.moments)}`]
  const section = (title: string, rows: string[][]): void => {
    if (rows.length > 1) lines.push('', title, table(rows))
  }
  section('Regions', [
    ['name', 'cells', 'points', 'volume', 'box'],
    ...result.regions.map((r) => [
      r.name,
      `${r.cells}`,
      `${r.points}`,
      number(r.volume),
      `${r.bounds.slice(0, 3).map(number).join(' ')} … ${r.bounds.slice(3).map(number).join(' ')}`,
    ]),
  ])
  section('Surfaces', [['name', 'faces', 'area'], ...result.surfaces.map((s) => [s.name, `${s.faces}`, number(s.area)])])
  section('Lines', [
    ['name', 'lines', 'points', 'length'],
    ...result.lines.map((l) => [l.name, `${l.lines}`, `${l.points}`, number(l.length)]),
  ])
  section('Points', [['name', 'points'], ...result.clouds.map((c) => [c.name, `${c.points}`])])
  section('Fields', [
    ['name', 'part', 'on', 'components', 'unit', 'min', 'mean', 'max', 'not finite'],
    ...result.fields.map((f) => [
      f.name,
      f.region ?? '–',
      f.place === 'corner' ? 'corners' : f.on,
      `${f.components}`,
      f.unit ?? '?',
      number(f.min),
      number(f.mean),
      number(f.max),
      `${f.nonFinite}`,
    ]),
  ])
  for (const caution of result.cautions) lines.push('', `Caution: ${caution}`)
  return lines.join('\n')
}
